import { execFileSync } from 'node:child_process';
import { truncateSync } from 'node:fs';
import { join } from 'node:path';
import {
  cardFilesOf,
  checkCard,
  makeHostKey,
  OwnDescriptionSchema,
  ownMethodId,
  plainExtras,
  preSharedKey,
  readBootFiles,
  sha512Crypt,
  utf8,
  type BaseFiles,
  type ByteSource,
  type FirstBootMethodId,
  type FirstBootSettings,
  type OwnMethod,
} from '@nest-mark/core';
import { FileSource } from '@nest-mark/station';
import { hashPassword } from '../server/src/cards/hash-password';
import { timed, type Result } from './measure.mjs';

const count = 1000;
const userKey = makeHostKey(new Uint8Array(32).fill(7), new Uint8Array(4), 'mara@bench').publicLine;
const base: BaseFiles = {
  texts: new Map([
    ['cmdline.txt', 'console=tty1 root=PARTUUID=4d41524b-02 rootwait quiet\n'],
    ['config.txt', 'dtparam=audio=on\n[all]\n'],
    ['network.txt', '#network={\n#  ssid="x"\n#  psk="y"\n#}\n'],
  ]),
  mountedAt: '/boot',
  system: null,
};

/** One of each form that a description can have. */
const own: OwnMethod = {
  id: '2f6f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a11',
  description: OwnDescriptionSchema.parse({
    format: 'nest-mark-first-boot-method',
    version: 1,
    title: 'own',
    files: [
      {
        path: 'board.ini',
        form: 'ini',
        entries: [
          { section: 'board', key: 'name', value: '<<hostName>>' },
          { section: 'board', key: 'identity', value: '<<hostKey.base64>>' },
          { section: 'board', key: 'key<<number>>', value: '<<sshKey>>', each: 'key' },
        ],
      },
      {
        path: 'board.yml',
        form: 'yaml',
        entries: [
          { key: 'owner/name', value: '<<user>>' },
          { key: 'owner/hash', value: '<<passwordHash>>' },
          { key: 'zone', value: '<<timeZone>>' },
        ],
      },
      {
        path: 'networks.lst',
        form: 'text',
        quoting: 'percent',
        entries: [{ value: '<<ssid>>;<<wifiKey>>', each: 'network' }],
      },
    ],
  }),
};

/** All first-boot files of 1,000 devices by each method, host keys and password hashes made before. */
export async function filesOfMany(): Promise<Result[]> {
  const hostKey = makeHostKey(new Uint8Array(32).fill(2), new Uint8Array(4), '7KQ4M');
  const key = preSharedKey('Saltmarsh Bench', 'low tide at seven');
  const settings = (n: number): FirstBootSettings => ({
    ...plainExtras,
    bootLines: 'dtparam=i2c_arm=on\ndisplay_rotate=2\n',
    mark: '7KQ4M',
    nest: 'A1',
    deviceId: '00000000-0000-4000-8000-000000000001',
    batchId: 'bench',
    batchName: 'Bench',
    hostName: `tank-${String(n)}`,
    user: {
      name: 'keeper',
      keys: [userKey],
      passwordHash: '$6$reed$x',
      passwordLogin: true,
      sudo: 'usual',
      groups: [],
    },
    hostKey,
    others: [],
    networks: [{ ssid: utf8('Saltmarsh Bench'), security: 'wpa2-psk', key, hidden: false, priority: 10 }],
    country: 'DK',
    timeZone: 'Europe/Copenhagen',
    locale: 'en_GB.UTF-8',
    instanceId: String(n),
  });
  const results: Result[] = [];
  for (const method of [
    'declarative-seed',
    'marker-files',
    'network-template',
    'run-once',
    ownMethodId(own.id),
  ] satisfies FirstBootMethodId[]) {
    let octets = 0;
    const took = await timed(() => {
      for (let n = 0; n < count; n++)
        for (const { content } of cardFilesOf(method, settings(n), base, own)) octets += content.length;
    });
    results.push({
      what: `first-boot files of ${String(count)} devices, ${method.startsWith('own:') ? 'an own method' : method}`,
      figure: `${took.toFixed(0)} ms, ${(octets / count / 1024).toFixed(1)} KiB each`,
      bound: 'under 1,000 ms',
    });
  }
  return results;
}

/** Password hashes a second: in a process of openssl each, two at once, and on this thread. */
export async function hashing(): Promise<Result[]> {
  const turns = 40;
  let longest = 0;
  let last = performance.now();
  const pulse = setInterval(() => {
    longest = Math.max(longest, performance.now() - last);
    last = performance.now();
  }, 5);
  const work = async (): Promise<void> => {
    for (let at = 0; at < turns / 2; at++) await hashPassword(`oyster beds ${String(at)}`);
  };
  const off = await timed(() => Promise.all([work(), work()]));
  clearInterval(pulse);
  const on = await timed(() => {
    for (let at = 0; at < 10; at++) sha512Crypt(`oyster beds ${String(at)}`, 'reedreed');
  });
  return [
    {
      what: 'password hashes off the main thread',
      figure: `${((turns * 1000) / off).toFixed(0)} a second, the main thread held up ${longest.toFixed(0)} ms at most`,
      bound: '',
    },
    { what: 'password hashes by the core alone', figure: `${(10_000 / on).toFixed(0)} a second`, bound: '' },
  ];
}

/** The check of an image of 4 GiB as a worker does it, without the browser around it. */
export async function checkLarge(root: string, folder: string): Promise<Result[]> {
  const image = join(folder, 'large.img');
  execFileSync('sh', ['-c', 'xz -dc "$1" > "$2"', 'sh', join(root, 'data/base/practice-os.img.xz'), image]);
  truncateSync(image, 4 * 2 ** 30);
  const file = await FileSource.open(image);
  let octets = 0;
  const counted: ByteSource = {
    size: file.size,
    read: (offset, length) => {
      octets += length;
      return file.read(offset, length);
    },
  };
  let findings = 0;
  const took = await timed(async () => (findings = checkCard(await readBootFiles(counted)).findings.length));
  await file.close();
  return [
    {
      what: `check of an image of 4 GiB (${String(findings)} findings)`,
      figure: `${took.toFixed(0)} ms, ${(octets / 1000).toFixed(0)} kB read`,
      bound: 'under 1,000 ms and 50 MB',
    },
  ];
}
