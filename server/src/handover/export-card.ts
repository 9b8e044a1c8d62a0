import { spawn } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { once } from 'node:events';
import type { Writable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { applyPatches, fileSlug, settingsOf, type ExportForm } from '@nest-mark/core';
import { shelvedBase, type GangCard } from '@nest-mark/station';
import { ZipFile } from 'yazl';
import { problem, reasonOf } from '../platform/http/problems';
import { needReady } from '../rounds';
import { filesFor, gather, patchesFor } from '../cards';
import { record } from '../platform/log/record';
import type { HandOver } from './domain';
import { needBatch } from '../plans';

/** Milliseconds for which a prepared export can be fetched. */
const LASTS = 5 * 60_000;

interface Prepared {
  fileName: string;
  until: number;
  send(into: Writable): Promise<void>;
}

const prepared = new Map<string, Prepared>();

/** Files in a zip carry a fixed time, so that the same card gives the same archive. */
const fixedTime = new Date(2026, 0, 1);

async function* overlaid(
  base: ReturnType<typeof shelvedBase>,
  patches: GangCard['patches'],
): AsyncGenerator<Uint8Array> {
  const reader = await base.open();
  try {
    for (let offset = 0; offset < base.size; offset += base.blockSize) {
      const block = new Uint8Array(Math.min(base.blockSize, base.size - offset));
      await reader.read(block, offset);
      applyPatches(block, offset, patches);
      yield block;
    }
  } finally {
    await reader.close();
  }
}

/** Sends octets through a packer of Debian's. @throws when it fails */
async function packed(
  command: string,
  args: string[],
  from: AsyncIterable<Uint8Array>,
  into: Writable,
): Promise<void> {
  const packer = spawn(command, args, { stdio: ['pipe', 'pipe', 'ignore'] });
  const ended = once(packer, 'close') as Promise<[number | null]>;
  try {
    await Promise.all([pipeline(from, packer.stdin), pipeline(packer.stdout, into, { end: false })]);
    const [code] = await ended;
    if (code !== 0) throw new Error(`${command} ended with ${String(code)}`);
  } finally {
    if (packer.exitCode === null) packer.kill();
  }
  into.end();
}

/**
 * Makes one device's card ready to be fetched as a file, for workstations without access to their readers. What is
 * fetched holds the device's secrets, so it is written to the log.
 * @returns a token that can be used for five minutes
 * @throws Problem when there is no such device, the plan has a finding that stops, or its image cannot take settings
 */
export async function prepareExport(
  handover: HandOver,
  batchId: string,
  deviceId: string,
  form: ExportForm,
): Promise<{ token: string; fileName: string }> {
  const batch = await needBatch(handover.plans, batchId);
  const device = batch.plan.devices.find(({ id }) => id === deviceId);
  if (!device) throw problem('device-missing');
  // What must not be written must not leave as a file either.
  await needReady(handover.rounds, batchId, 'Nothing was exported.');
  const fail = (error: unknown): never => {
    throw problem('card-not-ready', { harmless: 'Nothing was exported.', why: reasonOf(error) });
  };
  // A card that was exported is a writing of its own: a board that booted before takes it anew.
  const { imageId } = settingsOf(batch.plan, device);
  const material = await gather(handover.cards, batch, randomUUID(), imageId).catch(fail);
  const fileName = `${fileSlug(device.hostName)}-${device.mark}${form === 'files' ? '-first-boot.zip' : `.${form}`}`;
  const send = async (into: Writable): Promise<void> => {
    if (form === 'files') {
      const zip = new ZipFile();
      for (const { path, content } of await filesFor(handover.cards, material, device))
        zip.addBuffer(Buffer.from(content), path, { mtime: fixedTime, mode: 0o100600 });
      zip.end();
      await pipeline(zip.outputStream, into);
      return;
    }
    const patches = await patchesFor(handover.cards, material, deviceId);
    const octets = overlaid(shelvedBase(material.folder, material.facts), patches);
    if (form === 'img.xz') await packed('xz', ['-c', '-T2', '-1'], octets, into);
    else if (form === 'img.zst') await packed('zstd', ['-c', '-q'], octets, into);
    else await pipeline(octets, into);
  };
  // What cannot be made is said now, not in the middle of a download.
  await patchesFor(handover.cards, material, deviceId).catch(fail);
  const now = Date.now();
  for (const [token, { until }] of prepared) if (until < now) prepared.delete(token);
  const token = randomUUID();
  prepared.set(token, { fileName, until: now + LASTS, send });
  await record(handover, {
    kind: 'card-exported',
    batchId,
    deviceId,
    text: `The ${form === 'files' ? 'first-boot files' : 'card'} of ${device.hostName} ${form === 'files' ? 'were' : 'was'} exported as ${fileName}, with its secrets.`,
  });
  return { token, fileName };
}

/** @throws Problem when the token is not known or too old */
export function exportBy(token: string): Prepared {
  const found = prepared.get(token);
  if (!found || found.until < Date.now()) throw problem('export-gone');
  return found;
}
