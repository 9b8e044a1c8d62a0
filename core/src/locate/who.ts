import { listed } from '../listed';
import { assign, type Edge, type Pairing } from './assign';
import type { HeardClue } from './clue';
import { arrivalWindow, evidenceFor, type Evidence, type Sought } from './evidence';
import { hostsOf, type Host } from './hosts';
import type { Sighting } from './match';

/** What the clues come to for one host that no key tells apart. */
export interface Reckoned {
  deviceId: string;
  host: Host;
  standing: 'likely' | 'guess';
  /** Why, and how sure, in words for people. */
  why: string;
  evidence: Evidence[];
}

/** Bits from which a match is worth a word: four times as probable as not among its like. */
const GUESS_FROM = 2;
/** Bits from which it is likely, together with the margin. */
const LIKELY_FROM = 6;
/** Bits by which the next best assignment has to be worse; 3 is eight to one. */
const MARGIN = 3;
/** So many arrivals in one window tell nothing about any of them. */
const MOST_ARRIVALS = 8;

const sentence = (text: string): string => `${text.charAt(0).toUpperCase()}${text.slice(1)}.`;

/** Devices by what hosts may tell of them, so that not everybody is compared with everybody. */
class SoughtIndex {
  private readonly byName = new Map<string, number[]>();
  private readonly byMark = new Map<string, number[]>();
  private readonly byHardware = new Map<string, number[]>();

  constructor(sought: readonly Sought[]) {
    const put = (map: Map<string, number[]>, key: string, at: number): void => {
      const list = map.get(key);
      if (list) list.push(at);
      else map.set(key, [at]);
    };
    sought.forEach(({ hostName, mark, hardware, named }, at) => {
      put(this.byName, hostName.toLowerCase(), at);
      put(this.byMark, mark, at);
      for (const address of [...hardware, ...named]) put(this.byHardware, address, at);
    });
  }

  /** Devices of which a host tells something by itself. */
  for(host: Host): Set<number> {
    const found = new Set<number>();
    const take = (list: readonly number[] | undefined): void => list?.forEach((at) => found.add(at));
    for (const { name } of host.names) {
      take(this.byName.get(name.toLowerCase()));
      // Counted up: the name that was taken has a smaller number, or none.
      for (const earlier of namesBefore(name)) take(this.byName.get(earlier));
    }
    for (const mark of host.marks) take(this.byMark.get(mark));
    if (host.hardwareAddress !== null) take(this.byHardware.get(host.hardwareAddress));
    return found;
  }
}

/** Most steps that a name is traced back: so many hosts in a row had the names before. */
const BACK = 5;

/** Names that a host may have been given that calls itself this; see `nextName` for the way there. */
function namesBefore(name: string): string[] {
  const [, stem, digits] = /^(.*)-([1-9]\d{0,8})$/.exec(name.toLowerCase()) ?? [];
  if (stem === undefined || digits === undefined) return [];
  const number = Number(digits);
  return [
    stem,
    ...Array.from(
      { length: Math.min(BACK, number - 1) },
      (_, step) => `${stem}-${String(number - 1 - step)}`,
    ),
  ];
}

interface Candidate extends Edge {
  evidence: Evidence[];
}

const sum = (evidence: readonly Evidence[]): number => evidence.reduce((total, { bits }) => total + bits, 0);

/** Whom each host may be, with the evidence; only what speaks for it in all. */
function candidates(
  sought: readonly Sought[],
  hosts: readonly Host[],
  owners: ReadonlyMap<string, string>,
): Candidate[] {
  const index = new SoughtIndex(sought);
  const known = hosts.map((host) => index.for(host));
  const pairs = [
    ...known.flatMap((rows, column) => [...rows].map((row) => ({ row, column }))),
    ...arrivals(
      sought,
      hosts,
      known.map((rows) => rows.size === 0),
    ),
  ];
  return pairs.flatMap(({ row, column }): Candidate[] => {
    const device = sought[row];
    const host = hosts[column];
    if (!device || !host) return [];
    const evidence = evidenceFor(device, host, owners);
    const gain = sum(evidence);
    return gain >= GUESS_FROM ? [{ row, column, gain, evidence }] : [];
  });
}

/** Hosts that say nothing, but came with a power-on. Where many came at once, coming says nothing either. */
function arrivals(
  sought: readonly Sought[],
  hosts: readonly Host[],
  silent: readonly boolean[],
): { row: number; column: number }[] {
  const inOrder = hosts
    .map(({ since }, column) => ({ since, column }))
    .filter(({ column }) => silent[column])
    .sort((a, b) => a.since - b.since);
  const firstFrom = (time: number): number => {
    let low = 0;
    let high = inOrder.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((inOrder[middle]?.since ?? 0) < time) low = middle + 1;
      else high = middle;
    }
    return low;
  };
  return sought.flatMap((device, row) => {
    const window = arrivalWindow(device);
    if (!window) return [];
    const from = firstFrom(window.from);
    const came = inOrder.slice(from, from + MOST_ARRIVALS + 1).filter(({ since }) => since <= window.to);
    return came.length > MOST_ARRIVALS ? [] : came.map(({ column }) => ({ row, column }));
  });
}

function reasons({ margin }: Pairing, { evidence }: Candidate, alike: readonly string[]): string {
  const pro = evidence.filter(({ bits }) => bits > 0).map(({ text }) => text);
  const contra = evidence.filter(({ bits }) => bits < 0).map(({ text }) => text);
  const against = contra.length > 0 ? ` Against it: ${listed(contra)}.` : '';
  const doubt =
    margin < MARGIN && alike.length > 0
      ? ` The same speaks for ${listed(alike)}: power one of them alone, or wait until one signs with its key.`
      : '';
  return `${sentence(listed(pro))}${against}${doubt}`;
}

/** More names than this are not told one by one. */
const NAMED = 3;

/** Others for whom the same host, or for whom another host, would do as well. */
function alikeOf(
  pair: Pairing,
  ofHost: readonly Candidate[],
  ofDevice: readonly Candidate[],
  sought: readonly Sought[],
): string[] {
  const close = ({ gain }: Candidate): boolean => pair.gain - gain < MARGIN;
  const names = ofHost
    .filter((one) => one.row !== pair.row && close(one))
    .map(({ row }) => sought[row]?.hostName ?? '');
  const hosts = ofDevice.filter((one) => one.column !== pair.column && close(one)).length;
  const others = names.length > NAMED ? [`${String(names.length)} other devices`] : names;
  return hosts > 0 ? [...others, `${String(hosts)} other ${hosts === 1 ? 'host' : 'hosts'}`] : others;
}

/** Candidates by their device, or by their host. */
function grouped(all: readonly Candidate[], by: 'row' | 'column'): Map<number, Candidate[]> {
  const groups = new Map<number, Candidate[]>();
  for (const one of all) {
    const group = groups.get(one[by]);
    if (group) group.push(one);
    else groups.set(one[by], [one]);
  }
  return groups;
}

/**
 * Who the hosts probably are that no key tells apart: an assignment over all of them together, so that a host is given
 * to one device only, and to the one without which the others would fit worse.
 * @param sought devices that are not proved, of all batches
 * @param owners which device's board a hardware address was proved to be
 */
export function reckon(
  sought: readonly Sought[],
  hosts: readonly Host[],
  owners: ReadonlyMap<string, string>,
): Reckoned[] {
  const all = candidates(sought, hosts, owners);
  const byDevice = grouped(all, 'row');
  const byHost = grouped(all, 'column');
  return assign(all).flatMap((pair): Reckoned[] => {
    const device = sought[pair.row];
    const host = hosts[pair.column];
    const ofDevice = byDevice.get(pair.row) ?? [];
    const candidate = ofDevice.find(({ column }) => column === pair.column);
    if (!device || !host || !candidate) return [];
    const sure = pair.gain >= LIKELY_FROM && pair.margin >= MARGIN;
    return [
      {
        deviceId: device.deviceId,
        host,
        standing: sure ? 'likely' : 'guess',
        why: reasons(pair, candidate, alikeOf(pair, byHost.get(pair.column) ?? [], ofDevice, sought)),
        evidence: candidate.evidence,
      },
    ];
  });
}

export interface Heard {
  clues: readonly HeardClue[];
  sightings: readonly Sighting[];
}

/**
 * Hosts for which no key of ours speaks, and who they probably are.
 * @param sought devices of all batches
 * @param proved devices that were proved, and where: they need no other evidence, and their hosts are no others
 */
export function reckonUnproved(
  sought: readonly Sought[],
  { clues, sightings }: Heard,
  proved: ReadonlyMap<string, readonly string[]>,
): { reckoned: Reckoned[]; hosts: Host[] } {
  const hosts = hostsOf(clues, sightings);
  const taken = new Set([...proved.values()].flat());
  const open = hosts.filter(({ addresses }) => !addresses.some((address) => taken.has(address)));
  const owners = new Map(
    sought.flatMap(({ deviceId, hardware }) => hardware.map((one) => [one, deviceId] as const)),
  );
  const waiting = sought.filter(({ deviceId }) => !proved.has(deviceId));
  return { reckoned: reckon(waiting, open, owners), hosts };
}
