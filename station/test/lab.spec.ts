import { buildSync } from 'esbuild';
import { execFileSync, type ChildProcess } from 'node:child_process';
import { readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { isCountedUp, meetingOf, readTable, type Clue } from '@nest-mark/core/find';
import { parseWay } from '../src';
import { NetworkLab, type LabBoard } from './helpers/lab';
import { long } from '../../core/test/helpers/long';

/**
 * Against the programs that boards and networks really have, of Debian 12: avahi 0.8, udhcpc 1.35, OpenSSH 9.2, dnsmasq
 * 2.90, iproute2 6.1. Each board is proved by its signature, on a network whose numbers nobody typed.
 */

interface Line {
  proved?: string;
  address?: string;
  clue?: Clue;
  listening?: string;
}

const possible = NetworkLab.possible();
const BOARDS = 12;

/** Longer than any of these waits on a loaded machine, shorter than the test's own limit. */
const LIMIT_MS = 100_000;

/** What the listening program prints, line by line, as it comes. */
class Ear {
  readonly lines: Line[] = [];
  private readonly child: ChildProcess;

  constructor(
    private readonly lab: NetworkLab,
    ...programAndSource: string[]
  ) {
    this.child = lab.work(process.execPath, programAndSource);
    let rest = '';
    this.child.stdout!.setEncoding('utf8').on('data', (text: string) => {
      const parts = (rest + text).split('\n');
      rest = parts.pop() ?? '';
      for (const part of parts) this.lines.push(JSON.parse(part) as Line);
    });
  }

  /** Looks again and again: at the lines, or at a file that another program writes. */
  async until<T>(look: (lines: readonly Line[]) => T | undefined): Promise<T> {
    for (const end = Date.now() + LIMIT_MS; ; await new Promise((resolve) => setTimeout(resolve, 20))) {
      const found = look(this.lines);
      if (found !== undefined) return found;
      if (this.child.exitCode !== null || Date.now() > end)
        throw new Error(
          `it did not come; heard: ${JSON.stringify(this.lines.slice(-20))}\n${this.lab.lastWords()}`,
        );
    }
  }

  /** Waits until a board has signed. @returns where */
  proof({ hostKey }: LabBoard): Promise<string> {
    return this.until((lines) => lines.find(({ proved }) => proved === hostKey)?.address);
  }

  clues(): Clue[] {
    return this.lines.flatMap(({ clue }) => clue ?? []);
  }

  async stop(): Promise<void> {
    const gone = new Promise((resolve) => this.child.once('exit', resolve));
    this.child.stdin!.end();
    await gone;
  }
}

(possible ? describe : describe.skip)('a network with real programs, in namespaces of its own', () => {
  let lab: NetworkLab;
  let program: string;
  const boards: LabBoard[] = [];
  const names = Array.from({ length: BOARDS }, (_, at) => `tank${String(at + 1).padStart(2, '0')}`);

  const listen = async (source: string): Promise<Ear> => {
    const ear = new Ear(lab, program, source, names.join(','));
    await ear.until((lines) => lines.find(({ listening }) => listening === source));
    return ear;
  };

  beforeAll(() => {
    lab = new NetworkLab();
    // Beside the packages that it needs.
    program = join(__dirname, '../../data', `hear-${String(process.pid)}.mjs`);
    buildSync({
      entryPoints: [join(__dirname, 'helpers/hear.ts')],
      outfile: program,
      bundle: true,
      platform: 'node',
      format: 'esm',
      target: 'node20',
      logLevel: 'silent',
      external: ['ssh2'],
      banner: {
        js: `import { createRequire } from 'node:module'; const require = createRequire(${JSON.stringify(__filename)});`,
      },
    });
    lab.serveAddresses();
  });
  afterAll(async () => {
    rmSync(program, { force: true });
    await lab.end();
  });

  it('twelve boards that are powered one after the other are proved by announcements alone', async () => {
    const ear = await listen('multicast');
    for (const [at, name] of names.entries()) {
      const board = lab.power(at + 1, name);
      boards.push(board);
      await ear.proof(board);
    }
    const four = await ear.until((lines) => {
      const keys = new Set(
        lines.filter(({ address }) => address?.startsWith('10.98.7.')).map(({ proved }) => proved),
      );
      return boards.every(({ hostKey }) => keys.has(hostKey)) ? keys : undefined;
    });
    expect(four.size).toBe(BOARDS);
    // Over IPv6 too, before or beside the address that somebody gave out.
    expect(
      ear.lines.some(({ proved, address }) => proved !== undefined && /^fe80:.*%eth0$/.test(address ?? '')),
    ).toBe(true);
    expect(ear.clues().every(({ name }) => name === null || names.includes(name))).toBe(true);
    await ear.stop();
  });

  it('by this computer’s neighbours alone', async () => {
    const ear = await listen('neighbours');
    await Promise.all(boards.map((board) => ear.proof(board)));
    const seen = (hardware: string, form: RegExp): boolean =>
      ear
        .clues()
        .some(({ address, hardwareAddress }) => hardwareAddress === hardware && form.test(address ?? ''));
    for (const { hardwareAddress } of boards) expect(seen(hardwareAddress, /^10\.98\.7\./)).toBe(true);
    // Those that were asked over IPv6 are neighbours there too, each with its interface.
    expect(boards.some(({ hardwareAddress }) => seen(hardwareAddress, /^fe80:.*%eth0$/))).toBe(true);
    await ear.stop();
  });

  it('by requests for addresses alone, each with its name and its hardware address', async () => {
    const ear = await listen('address-request');
    for (let at = BOARDS; at < BOARDS + 3; at++) {
      const board = lab.power(at + 1, `gate${String(at)}`);
      boards.push(board);
      await ear.proof(board);
      const asks = ear.clues().filter(({ hardwareAddress }) => hardwareAddress === board.hardwareAddress);
      expect(asks.map(({ name }) => name)).toContain(board.hostName);
      expect(asks.every(({ kind }) => kind === 'asks')).toBe(true);
    }
    await ear.stop();
  });

  it('the lists of dnsmasq and of the kernel are read as they are written', () => {
    const leases = readTable(readFileSync(lab.leaseFile, 'utf8')).rows;
    for (const { hostName, hardwareAddress } of boards)
      expect(leases).toContainEqual(
        expect.objectContaining({ hardwareAddress, name: hostName, gone: false }),
      );
    const address = (hardware: string): string | null | undefined =>
      leases.find(({ hardwareAddress }) => hardwareAddress === hardware)?.address;
    for (const form of [['neigh'], ['-j', 'neigh']]) {
      const { rows } = readTable(lab.inside('ws', 'ip', ...form));
      for (const { hardwareAddress } of boards)
        expect(rows).toContainEqual(
          expect.objectContaining({ hardwareAddress, address: address(hardwareAddress) }),
        );
    }
  });

  it('a board that finds its name taken renames itself as we count, and tells its true name where it asks for an address', async () => {
    const ear = await listen('multicast');
    const twin = lab.power(40, names[4]!);
    await ear.proof(twin);
    const said = await ear.until(
      () => ear.clues().find(({ name }) => name !== null && isCountedUp(names[4]!, name))?.name ?? undefined,
    );
    expect(said).toBe('tank05-2');
    const leases = readTable(readFileSync(lab.leaseFile, 'utf8')).rows;
    const own = leases.find(({ hardwareAddress }) => hardwareAddress === twin.hardwareAddress);
    // One of the two keeps the name in the list: it gives a name to the newer lease.
    expect([names[4], null]).toContain(own?.name ?? null);
    await ear.stop();
  });

  it('the system’s own word on the way to the boards: theirs, and the one that a VPN took', () => {
    const way = () => parseWay(lab.inside('ws', 'ip', '-j', 'route', 'get', '10.98.7.9'));
    expect(way()).toEqual({ interface: 'eth0', gateway: null });
    lab.inside('ws', 'ip', 'link', 'add', 'vpn0', 'type', 'veth', 'peer', 'name', 'vpn1');
    lab.inside('ws', 'ip', 'link', 'set', 'vpn0', 'up');
    lab.inside('ws', 'ip', 'route', 'add', '10.98.7.0/25', 'dev', 'vpn0');
    const own = { name: 'eth0', address: '10.98.7.2', subnet: '10.98.7.0/24', wireless: false };
    expect(meetingOf([own], '10.98.7.0/24', way()).notes).toEqual([expect.stringContaining('out by vpn0')]);
    lab.inside('ws', 'ip', 'link', 'del', 'vpn0');
    expect(meetingOf([own], '10.98.7.0/24', way()).notes).toEqual([]);
  });

  it('where the pool is used up a board is heard asking again and again', async () => {
    const full = new NetworkLab();
    try {
      full.serveAddresses(20);
      const ear = new Ear(full, program, 'address-request', '');
      await ear.until((lines) => lines.find(({ listening }) => listening !== undefined));
      const first = full.power(1, 'tank01');
      await ear.proof(first);
      const late = full.power(2, 'tank02');
      const asks = await ear.until(() => {
        const own = ear.clues().filter(({ hardwareAddress }) => hardwareAddress === late.hardwareAddress);
        return own.length >= 3 ? own : undefined;
      });
      expect(asks.every(({ address, name }) => address === null && name === 'tank02')).toBe(true);
      await ear.stop();
    } finally {
      await full.end();
    }
  });

  it.each([
    ['dhcpd', 'dhclient'],
    ['kea-dhcp4', 'networkd'],
  ] as const)(
    'where %s gives out addresses, boards that ask by %s are proved by their requests, and its list is read as it writes it',
    async (server, client) => {
      const other = new NetworkLab();
      try {
        other.serveAddresses(99, server);
        const ear = new Ear(other, program, 'address-request', '');
        await ear.until((lines) => lines.find(({ listening }) => listening !== undefined));
        const asked = [1, 2].map((at) => other.power(at, `sluice0${String(at)}`, { client }));
        const where = await Promise.all(asked.map((board) => ear.proof(board)));
        for (const [at, { hardwareAddress, hostName }] of asked.entries()) {
          const own = ear.clues().filter((clue) => clue.hardwareAddress === hardwareAddress);
          expect(own.map(({ name }) => name)).toContain(hostName);
          const read = await ear.until(() =>
            readTable(readFileSync(other.leaseFile, 'utf8')).rows.find(
              (row) => row.hardwareAddress === hardwareAddress,
            ),
          );
          expect(read).toMatchObject({ address: where[at], name: hostName, gone: false });
        }
        await ear.stop();
      } finally {
        await other.end();
      }
    },
  );

  long(
    'a responder that has our service file tells the mark of the card, also when the board was renamed',
    async () => {
      const other = new NetworkLab();
      try {
        other.serveAddresses();
        const ear = new Ear(other, program, 'multicast', 'gate01');
        await ear.until((lines) => lines.find(({ listening }) => listening !== undefined));
        const first = other.power(1, 'gate01', { mark: '7KQ4M' });
        await ear.proof(first);
        const told = (mark: string): Promise<string | null> =>
          ear.until(() => ear.clues().find((clue) => clue.mark === mark)?.name);
        // Only what has announced itself keeps its name.
        expect(await told('7KQ4M')).toBe('gate01');
        const second = other.power(2, 'gate01', { mark: '7KQ5P' });
        await ear.proof(second);
        expect(isCountedUp('gate01', (await told('7KQ5P')) ?? '')).toBe(true);
        await ear.stop();
      } finally {
        await other.end();
      }
    },
  );

  it('leaves nothing behind: no namespace is left of a lab that ended', async () => {
    const other = new NetworkLab();
    await other.end();
    // All but the first, which is still in use.
    expect(execFileSync('ip', ['netns', 'list'], { encoding: 'utf8' })).not.toMatch(
      new RegExp(`^nm${String(process.pid)}x(?!1[a-z])`, 'm'),
    );
  });
});
