import { bootWait, deviceStanding, stageCounts, type DeviceFacts } from '../src/progress/standing';
import { batchCsv } from '../src/handover/batch-csv';
import { knownHosts, sshConfig } from '../src/handover/ssh-files';
import { bothSizes, clock } from '../src/units';
import { handed } from './helpers/handed-over';

const facts: DeviceFacts = {
  stopped: false,
  card: null,
  poweredAt: null,
  seen: null,
  handedOverAt: null,
  firstBootSeconds: 120,
};
const card = (state: NonNullable<DeviceFacts['card']>['state'], share = 1): DeviceFacts['card'] => ({
  state,
  share,
  at: 5,
});
const modes = (given: Partial<DeviceFacts>, now = 0): string =>
  deviceStanding({ ...facts, ...given }, now)
    .ring.map((arc) => arc.mode)
    .join(' ');
const state = (given: Partial<DeviceFacts>, now = 0): string =>
  deviceStanding({ ...facts, ...given }, now).state;

describe('a device’s state and ring', () => {
  it.each([
    [{}, 'planned', 'solid open open open open'],
    [{ stopped: true }, 'held', 'notched open open open open'],
    [{ card: card('queued', 0) }, 'queued', 'solid hatched open open open'],
    [{ card: card('writing', 0.4) }, 'writing', 'solid hatched open open open'],
    [{ card: card('verifying', 0.8) }, 'verifying', 'solid hatched open open open'],
    [{ card: card('failed', 0.8) }, 'held', 'solid notched open open open'],
    [{ card: card('unfinished', 0.8) }, 'held', 'solid notched open open open'],
    [{ card: card('verified') }, 'card ready', 'solid solid open open open'],
    [{ card: card('verified'), poweredAt: 0 }, 'booting', 'solid solid hatched open open'],
    [
      { card: card('verified'), poweredAt: 0, seen: { standing: 'proved', at: 9, alsoAt: [] } },
      'proved',
      'solid solid solid open open',
    ],
    [
      { card: card('verified'), poweredAt: 0, seen: { standing: 'guess', at: 9, alsoAt: [] } },
      'seen',
      'solid solid notched open open',
    ],
    [{ card: card('verified'), handedOverAt: 9 }, 'handed over', 'solid solid open open solid'],
  ] as [Partial<DeviceFacts>, string, string][])('%j', (given, expected, ring) => {
    expect(state(given)).toBe(expected);
    expect(modes(given)).toBe(ring);
  });

  it('waits twice the usual boot time before it calls a device late', () => {
    const booting = { card: card('verified'), poweredAt: 1000 };
    expect(state(booting, 1000 + 240_000)).toBe('booting');
    const late = deviceStanding({ ...facts, ...booting }, 1000 + 240_001);
    expect([late.state, late.since, late.needsHand, late.ring[2]?.word]).toEqual([
      'late',
      1000,
      true,
      'missing',
    ]);
    expect(deviceStanding({ ...facts, ...booting }, 61_000).ring[2]?.share).toBe(0.5);
  });
});

describe('counts by stage', () => {
  it('count a device where its work is, and hands wherever one is needed', () => {
    const proved = { standing: 'proved' as const, at: 9, alsoAt: [] };
    const of = (given: Partial<DeviceFacts>) => deviceStanding({ ...facts, ...given }, 0);
    const counts = stageCounts([
      of({}),
      of({ stopped: true }),
      of({ card: card('failed') }),
      of({ card: card('verified') }),
      of({ card: card('verified'), poweredAt: 0, seen: proved }),
      of({ card: card('verified'), poweredAt: 0, seen: proved, handedOverAt: 8 }),
    ]);
    expect(counts).toEqual({
      plan: { waiting: 1, hand: 1 },
      cards: { waiting: 2, hand: 1 },
      boot: { waiting: 1, hand: 0 },
      bringUp: { waiting: 0, hand: 0 },
      handOver: { waiting: 1, hand: 0 },
    });
  });
});

describe('the wait for a first boot', () => {
  const powered = { ...facts, poweredAt: 1000 };
  it('is counted from power-on and is normal up to twice the usual time', () => {
    expect(bootWait(powered, 61_000)).toEqual({
      waited: 60,
      usual: 120,
      normalUntil: 240,
      late: false,
      own: 0,
      there: null,
    });
    expect(bootWait(powered, 241_001)?.late).toBe(true);
    expect(bootWait(powered, 0)?.waited).toBe(0);
  });
  it('is over once the device was seen, and has not begun before power-on', () => {
    expect(bootWait({ ...powered, seen: { standing: 'guess', at: 5, alsoAt: [] } }, 9000)).toBeNull();
    expect(bootWait(facts, 9000)).toBeNull();
  });
});

describe('hand-over files', () => {
  const target = handed({ hostName: 'tank-01', mark: '7KQ4M', hostKey: 'ssh-ed25519 AAA' });

  it('bracket addresses with another port and keep the bare name for the alias', () => {
    expect(knownHosts([{ ...target, address: '10.0.0.9', port: 2222 }])).toBe(
      'tank-01,[tank-01]:2222,[tank-01.local]:2222,[10.0.0.9]:2222 ssh-ed25519 AAA 7KQ4M\n',
    );
    expect(knownHosts([{ ...target, address: null, port: 22 }])).toBe(
      'tank-01,tank-01.local ssh-ed25519 AAA 7KQ4M\n',
    );
  });

  it('fall back to the name on the local link while the address is unknown', () => {
    expect(
      sshConfig([{ ...target, address: null, port: 22 }], { knownHostsFile: '~/a b', jump: '' }),
    ).toContain('HostName tank-01.local');
    expect(
      sshConfig([{ ...target, address: null, port: 22 }], { knownHostsFile: '~/a b', jump: '' }),
    ).toContain('UserKnownHostsFile "~/a b"');
  });

  it('keep spreadsheets from running cells', () => {
    const row = handed({
      nest: 'A1',
      mark: '7KQ4M',
      hostName: 'tank-01',
      role: '=cmd()',
      state: 'proved',
      address: null,
      hardwareAddress: '',
      hostKeyFingerprint: '',
      userName: 'a"b,c',
    });
    expect(batchCsv([row]).split('\r\n')[1]).toBe(`A1,7KQ4M,tank-01,"'=cmd()",proved,,,,"a""b,c",`);
  });
});

describe('units', () => {
  it('say GB and GiB, and minutes', () => {
    expect(bothSizes(32e9)).toBe('32 GB (29.8 GiB)');
    expect(bothSizes(512)).toBe('512 B (512 B)');
    expect([clock(125), clock(3725), clock(-1)]).toEqual(['2:05', '1:02:05', '0:00']);
  });
});
