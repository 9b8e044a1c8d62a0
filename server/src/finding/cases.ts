import {
  arrivalsOf,
  candidates,
  findBoard,
  kindOf,
  searchSubnet,
  settingsOf,
  usesWifi,
  type BatchProgress,
  type CaseView,
  type DeviceProgress,
  type NetworkFacts,
  type PlanView,
  type Sighting,
} from '@nest-mark/core';
import {
  casesOf,
  causes,
  checks,
  hostsOf,
  inCase,
  judge,
  learntOdds,
  meetingOf,
  reasonFor,
  wayTo,
  type BenchFacts,
  type BoardFacts,
  type Case,
  type CauseId,
  type CheckId,
  type Host,
  type Symptom,
} from '@nest-mark/core/find';
import { needBatch, planView } from '../plans';
import type { Finding } from './domain';
import type { KeptAnswer, KeptMend } from './fault-repository';
import { batchProgress, type HowFar } from './progress';

/** Times that a host asks for an address before it counts as getting none. */
const ASKS_OFTEN = 3;
/** Milliseconds for which an answer about a network holds. */
const NETWORK_HOLDS = 12 * 3_600_000;
/** Causes that are listed. */
const LISTED = 8;
const PROBABLE = 0.35;
const POSSIBLE = 0.06;

/** A device that a case may be about, with what the records say. */
interface Board {
  facts: BoardFacts;
  poweredAt: number;
  writtenAt: number;
  due: boolean;
}

/** The network that a board should join: the first of its plan that is on the air here, else the first. */
function joined(view: PlanView, device: PlanView['plan']['devices'][number]): NetworkFacts | null {
  const settings = settingsOf(view.plan, device);
  const board = findBoard(view.boards, settings.boardProfileId);
  if (!board || !usesWifi(board, settings)) return null;
  const byPriority = [...settings.networks].sort((a, b) => b.priority - a.priority);
  const known = candidates(board, byPriority, view.networks).flatMap(({ network }) => network ?? []);
  return known.find(({ heard }) => heard) ?? known[0] ?? null;
}

/** Everything that was heard since a time, by host. */
interface Heard {
  hosts: readonly Host[];
  /** Device by hardware address at which it signed before. */
  boards: ReadonlyMap<string, { deviceId: string }>;
}

function hostsNamed({ hosts, boards }: Heard, deviceId: string, hostName: string): Host[] {
  return hosts.filter(
    ({ names, hardwareAddress }) =>
      names.some(({ name }) => name.toLowerCase() === hostName.toLowerCase()) ||
      (hardwareAddress !== null && boards.get(hardwareAddress)?.deviceId === deviceId),
  );
}

/** What a host says by itself. Tables keep a host for hours after it left. */
const isSignOfLife = (source: Host['sources'][number]): boolean =>
  source === 'multicast' || source === 'address-request' || source === 'call-in';

/** What was heard of a device that is away. */
function symptomOf(
  { search, watch }: Pick<BatchProgress, 'search' | 'watch'>,
  hosts: readonly Host[],
  poweredAt: number,
): Symptom {
  const since = hosts.filter(({ at }) => at >= poweredAt);
  if (since.some(({ sightings }) => sightings[0]?.keyProven === true)) return 'other key';
  if (since.some(({ addresses, sources }) => addresses.length > 0 && sources.some(isSignOfLife)))
    return 'no login';
  if (since.some(({ asked }) => asked >= ASKS_OFTEN)) return 'asks';
  const listens = watch?.sources.some(({ source, on }) => source === 'address-request' && on) ?? false;
  if (watch && watch.at <= poweredAt && listens) return 'nothing heard';
  const searched = search && search.at >= poweredAt && search.state !== 'queued';
  return searched || (watch && (watch.at >= poweredAt || watch.state === 'running'))
    ? 'not found'
    : 'not looked';
}

/** Devices that were powered, there or away, as the search for causes wants them. */
function boardsOf(view: PlanView, progress: HowFar, heard: Heard, now: number, minutesGone: number): Board[] {
  const byId = new Map(progress.devices.map((one) => [one.deviceId, one]));
  const images = new Map(view.images.map((image) => [image.id, image]));
  return view.plan.devices.flatMap((device): Board[] => {
    const one = byId.get(device.id);
    if (!one || one.handedOverAt !== null || !mayBeThere(one)) return [];
    const settings = settingsOf(view.plan, device);
    const profile = findBoard(view.boards, settings.boardProfileId);
    const network = joined(view, device);
    const image = images.get(settings.imageId ?? '');
    // A profile that was taken off the shelf says nothing about its boards.
    if (!profile) return [];
    const { poweredAt, seen } = one;
    const proved = seen?.standing === 'proved' && seen.at >= (poweredAt ?? 0);
    const own = progress.arrivals[kindOf(settings.boardProfileId, settings.imageId)] ?? [];
    const { usual } = arrivalsOf(profile.firstBootSeconds, own);
    const waited = poweredAt === null ? null : (now - poweredAt) / 1000 + minutesGone * 60;
    const round = progress.rounds.find(({ cards }) => cards.some(({ deviceId }) => deviceId === device.id));
    const card = round?.cards.find(({ deviceId }) => deviceId === device.id);
    return [
      {
        poweredAt: poweredAt ?? 0,
        writtenAt: one.card?.at ?? 0,
        due: waited !== null && waited > usual,
        facts: {
          deviceId: device.id,
          hostName: device.hostName,
          nest: device.nest,
          mark: device.mark,
          proved,
          copied: proved && seen.alsoAt.length > 0,
          waited,
          usual,
          symptom: symptomOf(progress, hostsNamed(heard, device.id, device.hostName), poweredAt ?? 0),
          network: network && {
            id: network.id,
            name: network.ssid,
            bands: network.bands,
            country: network.country,
            hidden: network.hidden,
            apart: network.isolation,
          },
          image: { id: image?.id ?? '', title: image?.title ?? '', bits: image?.wordBits ?? null },
          board: {
            id: profile.id,
            title: profile.title,
            bits: profile.wordBits,
            bands: profile.wifiBands,
          },
          country: settings.country,
          round: round?.id ?? null,
          slot: card?.slotId ?? null,
        },
      },
    ];
  });
}

/** A board is asked after once it was powered; one that was never powered waits for that. */
const mayBeThere = ({ poweredAt, seen }: DeviceProgress): boolean => poweredAt !== null || seen !== null;

/** The newest answer to each check that still holds for a case. */
function holding(
  answers: readonly KeptAnswer[],
  boards: readonly Board[],
  drilling: boolean,
  now: number,
): KeptAnswer[] {
  const kept = new Map<string, KeptAnswer>();
  for (const answer of answers) {
    const about = boards.filter(({ facts }) => answer.deviceIds.includes(facts.deviceId));
    if (about.length === 0 || kept.has(answer.check)) continue;
    if (answer.drill !== drilling) continue;
    // A drill begins with its power-on, and so do its answers.
    const what = drilling ? 'power' : checks[answer.check].about;
    const since = Math.max(
      ...about.map(({ poweredAt, writtenAt }) =>
        what === 'power' ? poweredAt : what === 'card' ? writtenAt : now - NETWORK_HOLDS,
      ),
    );
    if (answer.at >= since) kept.set(answer.check, answer);
  }
  // As they were given.
  return [...kept.values()].reverse();
}

/** The newest mending of each cause since the boards' cards were written. */
function mendsFor(mends: readonly KeptMend[], boards: readonly Board[]): KeptMend[] {
  const kept = new Map<string, KeptMend>();
  for (const mend of mends) {
    const about = boards.filter(({ facts }) => mend.deviceIds.includes(facts.deviceId));
    if (about.length === 0 || kept.has(mend.cause)) continue;
    if (about.some(({ writtenAt }) => mend.at >= writtenAt)) kept.set(mend.cause, mend);
  }
  return [...kept.values()].reverse();
}

/** Earliest power-on of those that are away; what was heard before is of another time. */
const earliest = (progress: HowFar): number =>
  Math.min(
    ...progress.devices.flatMap(({ poweredAt, seen }) =>
      poweredAt !== null && (seen === null || seen.at < poweredAt) ? [poweredAt] : [],
    ),
  );

async function heardSince(finding: Finding, batchId: string, progress: HowFar): Promise<Heard> {
  const since = earliest(progress);
  if (!Number.isFinite(since)) return { hosts: [], boards: new Map() };
  const [clues, sightings, boards] = await Promise.all([
    progress.watch ? finding.clues.heard(progress.watch.id) : [],
    finding.repository.sightings(batchId),
    finding.repository.boards(batchId),
  ]);
  const fresh = (one: Pick<Sighting, 'at'>): boolean => one.at >= since;
  return { hosts: hostsOf(clues.filter(fresh), sightings.filter(fresh)), boards };
}

/** The cases of a batch, with what is needed to judge them. */
async function openCases(finding: Finding, batchId: string, known?: HowFar) {
  const batch = await needBatch(finding.plans, batchId);
  const progress = known ?? (await batchProgress(finding, batchId));
  if (!Number.isFinite(earliest(progress))) return null;
  const [view, heard, places, answers, mends, found, now] = await Promise.all([
    planView(finding.plans, batch),
    heardSince(finding, batchId, progress),
    finding.ears.places(),
    finding.faults.answers(batchId),
    finding.faults.mends(batchId),
    finding.faults.found(),
    finding.runs.repository.now(),
  ]);
  const drilling = finding.drillOf(batchId);
  const drill = drilling?.outcome === 'open' ? drilling : null;
  const all = boardsOf(view, progress, heard, now, drill?.minutes ?? 0);
  const bench: BenchFacts = { meet: meetingOf(places, searchSubnet(view.plan, view.networks)).meet };
  const cases = casesOf(
    all.map(({ facts }) => facts),
    bench,
  );
  return { cases, all, answers, mends, drill, odds: learntOdds(found), now };
}

/** Why boards of a batch do not appear, and what to look at next. @throws Problem when there is no such batch */
export async function batchCases(finding: Finding, batchId: string, progress?: HowFar): Promise<CaseView[]> {
  const open = await openCases(finding, batchId, progress);
  if (!open) return [];
  const { cases, all, answers, mends, drill, odds, now } = open;
  const byId = new Map(all.map((board) => [board.facts.deviceId, board]));
  return cases.map((one) => {
    const boards = one.boards.flatMap(({ deviceId }) => byId.get(deviceId) ?? []);
    const said = holding(answers, boards, drill !== null, now);
    const mended = drill ? [] : mendsFor(mends, boards);
    const inVain = [
      ...mended.flatMap(({ cause, inVainAt }) => (inVainAt === null ? [] : [cause])),
      ...(drill?.inVain ?? []),
    ];
    return caseView(one, boards, said, mended, judge(one, said, inVain, odds));
  });
}

/** Progress with what to look at first, where boards are away longer than usual. */
export async function withLook(finding: Finding, progress: HowFar): Promise<BatchProgress> {
  const away = progress.devices.some(({ poweredAt, seen }) => poweredAt !== null && seen === null);
  if (!away) return { ...progress, look: '' };
  const due = (await batchCases(finding, progress.batchId, progress)).find((one) => one.due);
  const found = due?.causes.find(({ id }) => id === due.found);
  return { ...progress, look: due?.next?.question ?? (found ? `Probably ${found.title}.` : '') };
}

/** The looks by which following the advice finds a cause; null where nobody is missing. */
export async function wayByAdvice(
  finding: Finding,
  batchId: string,
  cause: CauseId,
): Promise<CheckId[] | null> {
  const open = await openCases(finding, batchId);
  const [first] = open?.cases ?? [];
  return open && first ? wayTo(first, cause, open.odds) : null;
}

function caseView(
  one: Case,
  boards: readonly Board[],
  said: readonly KeptAnswer[],
  mended: readonly KeptMend[],
  { chances, advice }: ReturnType<typeof judge>,
): CaseView {
  const next = advice.kind === 'ask' ? checks[advice.check] : null;
  return {
    devices: one.boards.map(({ deviceId, hostName, nest }) => ({ deviceId, hostName, nest })),
    due: boards.some(({ due }) => due),
    looked: one.symptom !== 'not looked',
    shared: one.shared,
    known: one.known.map(({ text }) => text),
    causes: chances.slice(0, LISTED).map(({ id, chance }) => ({
      id,
      title: causes[id].title,
      chance: chance >= PROBABLE ? 'probable' : chance >= POSSIBLE ? 'possible' : 'unlikely',
      mend: causes[id].mend,
      place: causes[id].place,
    })),
    next:
      next && advice.kind === 'ask'
        ? {
            check: advice.check,
            question: inCase(next.question, one),
            how: next.how,
            minutes: next.minutes,
            why: reasonFor(next, chances),
          }
        : null,
    found: advice.kind === 'found' ? advice.cause : null,
    said: said.map(({ check, answer, by, at }) => ({
      check,
      question: inCase(checks[check].question, one),
      answer,
      by,
      at,
    })),
    mended: mended.map(({ cause, by, at, inVainAt }) => ({
      cause,
      title: causes[cause].title,
      inVain: inVainAt !== null,
      by,
      at,
    })),
  };
}
