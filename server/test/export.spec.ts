import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Batch, CardFiles, LogEntry } from '@nest-mark/core';
import { baseImage, TestServer, tankPlan } from './helpers/server';

const env = { ...process.env, PATH: `${process.env['PATH'] ?? ''}:/usr/sbin:/sbin`, MTOOLS_SKIP_CHECK: '1' };
const raw = execFileSync('xz', ['-dc', baseImage], { maxBuffer: 1 << 28 });
/** Where the boot partition of the practice image begins and ends, in octets (scripts/lib/base-image.mjs). */
const [bootOffset, bootEnd] = [1 << 20, 7 << 20];

let server: TestServer;
let batch: Batch;
beforeAll(async () => {
  server = await TestServer.start('127.61.14');
  const image = await server.shelve(baseImage);
  batch = await server.batch(tankPlan(2, image.id, '127.61.14'));
});
afterAll(() => server.end());

async function fetched(form: string): Promise<{ path: string; fileName: string; token: string }> {
  const device = batch.plan.devices[1]!;
  const { token, fileName } = await server.ok<{ token: string; fileName: string }>(
    'POST',
    `/batches/${batch.id}/devices/${device.id}/export`,
    { form },
  );
  const response = await fetch(`${server.url}/api/exports/${token}`);
  expect(response.headers.get('content-disposition')).toBe(`attachment; filename="${fileName}"`);
  const path = join(server.folder, fileName);
  writeFileSync(path, Buffer.from(await response.arrayBuffer()));
  return { path, fileName, token };
}

const digest = (bytes: Buffer): string => createHash('sha256').update(bytes).digest('hex');

function isCardOfSecond(card: Buffer): void {
  expect(card.length).toBe(raw.length);
  const rest = raw.subarray(bootEnd);
  expect(rest.length).toBeGreaterThan(5 << 20);
  expect(digest(card.subarray(bootEnd))).toBe(digest(rest));
  const boot = join(server.folder, 'boot.img');
  writeFileSync(boot, card.subarray(bootOffset, bootEnd));
  execFileSync('fsck.fat', ['-n', boot], { env, stdio: 'pipe' });
  const text = execFileSync('mtype', ['-i', boot, '::user-data'], { env, encoding: 'utf8' });
  expect(text).toContain('hostname: tank-02\n');
}

describe('a card as a file', () => {
  it('is the image with the device’s files, which fsck.fat and mtools read', async () => {
    const { path, fileName } = await fetched('img');
    expect(fileName).toBe(`tank-02-${batch.plan.devices[1]!.mark}.img`);
    isCardOfSecond(execFileSync('cat', [path], { maxBuffer: 1 << 28 }));
  });

  it.each([
    ['img.xz', 'xz'],
    ['img.zst', 'zstd'],
  ])('packed as %s is unpacked by Debian’s %s', async (form, tool) => {
    const { path } = await fetched(form);
    isCardOfSecond(execFileSync(tool, ['-dcq', path], { maxBuffer: 1 << 28 }));
  });

  it('only its first-boot files go into a zip that unzip reads', async () => {
    const { path } = await fetched('files');
    expect(execFileSync('unzip', ['-Z1', path], { encoding: 'utf8' }).trim().split('\n').sort()).toEqual([
      'meta-data',
      'nest-mark.json',
      'network-config',
      'user-data',
    ]);
    expect(execFileSync('unzip', ['-p', path, 'user-data'], { encoding: 'utf8' })).toContain(
      'hostname: tank-02\n',
    );
  });

  it('is written to the log, and is not given out by a token that is not known', async () => {
    const exported = async (): Promise<LogEntry[]> =>
      (await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}`)).filter(
        ({ kind }) => kind === 'card-exported',
      );
    const before = (await exported()).length;
    await fetched('files');
    const log = await exported();
    expect(log).toHaveLength(before + 1);
    expect(log[0]!.text).toContain('with its secrets');
    expect(await server.refused('GET', '/exports/44444444-4444-4444-8444-444444444444')).toMatchObject({
      status: 404,
      code: 'export-gone',
    });
    expect(
      await server.refused(
        'POST',
        `/batches/${batch.id}/devices/44444444-4444-4444-8444-444444444444/export`,
        { form: 'img' },
      ),
    ).toMatchObject({ code: 'device-missing' });
  });
});

describe('the files of a card before it is written', () => {
  it('are shown without secrets; with them only when asked, and that is logged', async () => {
    const device = batch.plan.devices[1]!;
    const show = (reveal: boolean) =>
      server.ok<CardFiles>('POST', `/batches/${batch.id}/devices/${device.id}/files`, { reveal });
    const textOf = ({ files }: CardFiles): string =>
      files.flatMap(({ lines }) => lines.map(({ text }) => text)).join('\n');
    const masked = await show(false);
    expect(masked.files.map(({ path }) => path)).toEqual([
      'meta-data',
      'user-data',
      'network-config',
      'nest-mark.json',
    ]);
    expect(textOf(masked)).toContain('hostname: tank-02');
    expect(textOf(masked)).not.toMatch(/[0-9a-f]{64}|b3BlbnNzaC1rZXktdjE/);
    const revealed = async (): Promise<number> =>
      (await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}`)).filter(
        ({ kind }) => kind === 'revealed',
      ).length;
    const before = await revealed();
    await show(false);
    expect(await revealed()).toBe(before);
    const open = await show(true);
    expect(textOf(open)).toContain('b3BlbnNzaC1rZXktdjE');
    const [entry] = await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}&limit=1`);
    expect(entry).toMatchObject({ kind: 'revealed', deviceId: device.id });
  });
});
