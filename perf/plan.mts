import { randomUUID } from 'node:crypto';
import { join } from 'node:path';
import {
  cardFilesOf,
  noBase,
  plainExtras,
  FatVolume,
  inspectDisk,
  makeHostKey,
  MemorySource,
  personalise,
  preSharedKey,
  SliceSource,
  utf8,
  type FirstBootSettings,
} from '@nest-mark/core';
import { unpack } from '@nest-mark/station';
import { timed, type Result } from './measure.mjs';

const count = 1000;
const userKey = makeHostKey(new Uint8Array(32).fill(7), new Uint8Array(4), 'mara@bench').publicLine;

/** Files and patches of 1,000 devices over the practice image. */
export async function personaliseMany(root: string): Promise<Result> {
  const parts: Buffer[] = [];
  for await (const part of unpack(join(root, 'data/base/practice-os.img.xz'), 'xz')) parts.push(part);
  const disk = new MemorySource(Buffer.concat(parts));
  const boot = (await inspectDisk(disk))[0]!;
  const volume = new SliceSource(disk, boot.offset, boot.size);
  await FatVolume.openReadOnly(volume);
  const key = preSharedKey('Saltmarsh Bench', 'low tide at seven');
  let octets = 0;
  const took = await timed(async () => {
    for (let n = 0; n < count; n++) {
      const settings: FirstBootSettings = {
        mark: '7KQ4M',
        nest: 'A1',
        deviceId: randomUUID(),
        batchId: 'bench',
        batchName: 'Bench',
        hostName: `tank-${String(n)}`,
        user: {
          name: 'keeper',
          keys: [userKey],
          passwordHash: null,
          passwordLogin: false,
          sudo: 'usual',
          groups: [],
        },
        hostKey: makeHostKey(crypto.getRandomValues(new Uint8Array(32)), new Uint8Array(4), '7KQ4M'),
        others: [],
        networks: [{ ssid: utf8('Saltmarsh Bench'), security: 'wpa2-psk', key, hidden: false, priority: 10 }],
        country: 'DK',
        timeZone: 'Europe/Copenhagen',
        locale: 'en_GB.UTF-8',
        ...plainExtras,
        instanceId: String(n),
      };
      const patches = await personalise(volume, boot, cardFilesOf('declarative-seed', settings, noBase));
      octets += patches.reduce((sum, patch) => sum + patch.bytes.length, 0);
    }
  });
  return {
    what: `keys, files and patches of ${String(count)} devices`,
    figure: `${took.toFixed(0)} ms, ${(octets / count / 1024).toFixed(0)} KiB of patches a card`,
    bound: 'under 5,000 ms',
  };
}
