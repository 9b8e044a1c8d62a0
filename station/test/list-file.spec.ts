import { execFileSync } from 'node:child_process';
import { appendFileSync, mkdtempSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Clue } from '@nest-mark/core/find';
import { ClueError, listFile } from '../src';

/** A list on this computer that is read again whenever it changes. Forms are those of dnsmasq(8) and dhcpd.leases(5). */

let folder: string;
let path: string;
let heard: Clue[] = [];
let wake: (() => void) | null = null;
const stops: (() => Promise<void>)[] = [];

beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-list-'));
  path = join(folder, 'leases');
  heard = [];
});
afterEach(async () => {
  for (const stop of stops.splice(0)) await stop();
  rmSync(folder, { recursive: true });
});

const listen = async (listPath = path): Promise<void> => {
  stops.push(
    await listFile.listen({ places: [], names: () => [], callIn: null, listPath }, (clue) => {
      heard.push(clue);
      wake?.();
    }),
  );
};
const until = async (done: () => boolean): Promise<void> => {
  while (!done()) await new Promise<void>((resolve) => (wake = resolve));
};
const lease = (last: number, name = '*', address = `10.8.0.${String(last)}`): string =>
  `1795868973 02:00:5e:00:53:${last.toString(16).padStart(2, '0')} ${address} ${name} *\n`;
const addresses = (): (string | null)[] => heard.map(({ address }) => address);

it('tells what is in it, then what comes, once each, and what of a host has changed', async () => {
  writeFileSync(path, lease(18) + lease(19, 'tank-02'));
  await listen();
  expect(heard).toMatchObject([
    {
      source: 'list-file',
      address: '10.8.0.18',
      hardwareAddress: '02:00:5e:00:53:12',
      name: null,
      kind: 'here',
    },
    { address: '10.8.0.19', name: 'tank-02' },
  ]);
  appendFileSync(path, lease(20, 'tank-03'));
  await until(() => heard.length === 3);
  // Written anew and put in its place, as such programs do.
  writeFileSync(`${path}.new`, lease(18, 'tank-01') + lease(20, 'tank-03'));
  renameSync(`${path}.new`, path);
  await until(() => heard.length === 4);
  expect(heard[3]).toMatchObject({ address: '10.8.0.18', name: 'tank-01' });
});

it('goes on while the file is away, broken, or being written', async () => {
  writeFileSync(path, lease(18));
  await listen();
  rmSync(path);
  writeFileSync(path, Buffer.from([0, 255, 254, 10, 13, 0]));
  writeFileSync(path, 'lease 10.8.0.30 {\n  hardware eth');
  writeFileSync(path, lease(31));
  await until(() => addresses().includes('10.8.0.31'));
  expect(addresses()).not.toContain('10.8.0.30');
});

it('leaves what is gone by the list, and addresses that are nobody’s own', async () => {
  writeFileSync(
    path,
    'lease 10.8.0.40 {\n  ends never;\n  binding state free;\n  hardware ethernet 02:00:5e:00:53:40;\n}\n' +
      'lease 198.51.100.9 {\n  ends never;\n  binding state active;\n  hardware ethernet 02:00:5e:00:53:41;\n}\n' +
      'lease 10.8.0.42 {\n  ends never;\n  binding state active;\n  hardware ethernet 02:00:5e:00:53:42;\n}\n',
  );
  await listen();
  expect(addresses()).toEqual(['10.8.0.42']);
});

it('says what is wrong with a path: none, not from the root, a folder, a pipe, too large, not to be read', async () => {
  const why = async (listPath: string): Promise<string> => {
    const error: unknown = await listen(listPath).catch((caught: unknown) => caught);
    expect(error).toBeInstanceOf(ClueError);
    return (error as Error).message;
  };
  expect(await why(path)).toContain(`There is no ${path}`);
  expect(await why('leases')).toContain('from the root');
  expect(await why(folder)).toContain('no plain file');
  execFileSync('mkfifo', [join(folder, 'pipe')]);
  expect(await why(join(folder, 'pipe'))).toContain('no plain file');
  writeFileSync(path, Buffer.alloc((1 << 20) + 1, 'x'));
  expect(await why(path)).toContain('1 MiB');
});
