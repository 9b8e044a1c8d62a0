import * as z from 'zod';
import type { BroughtUp } from './brought-up';
import { arrivalsOf, outOfTen } from '../boards/arrivals';

/** States of a device in words, the same everywhere. */
export const DeviceStateSchema = z.enum([
  'planned',
  'held',
  'queued',
  'writing',
  'verifying',
  'card ready',
  'booting',
  'late',
  'seen',
  'proved',
  'coming up',
  'ready',
  'handed over',
]);
export type DeviceState = z.infer<typeof DeviceStateSchema>;

export const CardStateSchema = z.enum([
  'queued',
  'writing',
  'verifying',
  'verified',
  'failed',
  'unfinished',
  'cancelled',
  /** It was verified, and its card was used for something else since. */
  'lost',
]);
export type CardState = z.infer<typeof CardStateSchema>;

/** How a card's write stands. */
export interface CardFact {
  state: CardState;
  /** Share of the work done, 0 to 1. */
  share: number;
  /** Milliseconds since 1970 of the last change of state. */
  at: number;
}

/** What is known of a device; times in milliseconds since 1970. */
export interface DeviceFacts {
  /** Whether a finding stops this device. */
  stopped: boolean;
  card: CardFact | null;
  poweredAt: number | null;
  seen: {
    standing: 'proved' | 'likely' | 'guess';
    at: number;
    /** Other addresses at which the newest search had the same key sign: somebody copied the card. */
    alsoAt: readonly string[];
  } | null;
  handedOverAt: number | null;
  /** How far it is with being brought up; null where nobody began. */
  bringUp?: BroughtUp | null;
  /** Whether the batch is brought up at all. */
  bringUpWanted?: boolean;
  /** As the board's profile has it. */
  firstBootSeconds: number;
  /** Seconds from power-on to proof that this bench has seen of boards of its kind. */
  arrivals?: readonly number[];
}

/** The five stages, in working order. */
export const stages = ['plan', 'cards', 'boot', 'bringUp', 'handOver'] as const;
export type Stage = (typeof stages)[number];

export type ArcMode = 'open' | 'hatched' | 'solid' | 'notched';

/** One arc of the ring. */
export interface Arc {
  stage: Stage;
  mode: ArcMode;
  /** Share done while hatched, 0 to 1. */
  share: number;
  /** Why a hand is needed, while notched. */
  word: string;
}

export interface DeviceStanding {
  state: DeviceState;
  since: number | null;
  /** Whether the device waits for a person. */
  needsHand: boolean;
  ring: Arc[];
  /** Stages that hold this device up no longer, since the plan leaves them out. */
  leftOut: readonly Stage[];
}

const cardWords: Partial<Record<CardState, string>> = {
  failed: 'failed',
  unfinished: 'unfinished',
  cancelled: 'unfinished',
  lost: 'card gone',
};

function cardArc(card: CardFact | null): Pick<Arc, 'mode' | 'share' | 'word'> {
  if (!card) return { mode: 'open', share: 0, word: '' };
  if (card.state === 'verified') return { mode: 'solid', share: 1, word: '' };
  const word = cardWords[card.state];
  if (word) return { mode: 'notched', share: card.share, word };
  return { mode: 'hatched', share: card.share, word: '' };
}

function bringUpArc({ bringUp }: DeviceFacts): Arc {
  const arc = (mode: ArcMode, share = 0, word = ''): Arc => ({ stage: 'bringUp', mode, share, word });
  if (!bringUp) return arc('open');
  const { state, share } = bringUp;
  switch (state) {
    case 'ready':
      return arc('solid', 1);
    case 'queued':
    case 'running':
      return arc('hatched', share);
    case 'hand':
      return arc('notched', share, 'needs a look');
    default:
      return arc('notched', share, 'stopped');
  }
}

/** Whether it is known which board a device is: it signed with the device's key, and at one place only. */
export const isSure = (seen: DeviceFacts['seen']): boolean =>
  seen?.standing === 'proved' && seen.alsoAt.length === 0;

/** How far a board that was given its card has come, in one word. */
export type Presence = 'proved' | 'likely' | 'guess' | 'copied' | 'not powered' | 'booting' | 'missing';

/** @param now milliseconds since 1970 */
export function presenceOf(facts: DeviceFacts, now: number): Presence {
  const { seen, poweredAt } = facts;
  if (seen) return seen.alsoAt.length > 0 ? 'copied' : seen.standing;
  if (poweredAt === null) return 'not powered';
  return deviceStanding(facts, now).state === 'late' ? 'missing' : 'booting';
}

/** Whether noting a device as powered means something: its card is ready, and nobody has seen its board yet. */
export const mayBePowered = ({ card, seen }: DeviceFacts): boolean => card?.state === 'verified' && !seen;

/** Whether a device can be brought up now: it is known which board it is, and nobody is at it. */
export const mayBeBroughtUp = ({ seen, handedOverAt, bringUp }: DeviceFacts): boolean =>
  isSure(seen) &&
  handedOverAt === null &&
  bringUp?.state !== 'queued' &&
  bringUp?.state !== 'running' &&
  bringUp?.state !== 'ready';

/** Whether a device can be brought up, and nobody has to look at it first. */
export const waitsForBringUp = (facts: DeviceFacts): boolean =>
  mayBeBroughtUp(facts) && facts.bringUp?.state !== 'hand';

/** Whether a board that was proved may still let the bench in by its own key. @param carried whether cards get that key */
export const keepsBenchKey = (
  carried: boolean,
  { seen, bringUp }: { seen: { standing: string } | null; bringUp?: BroughtUp | null },
): boolean => carried && seen?.standing === 'proved' && bringUp?.keyOff !== true;

/**
 * Whether a device can be handed over: it is known which board it is, it was brought up where that is wanted, and it was
 * not handed over before.
 */
export const mayBeHandedOver = ({ seen, handedOverAt, bringUp, bringUpWanted }: DeviceFacts): boolean =>
  isSure(seen) && handedOverAt === null && (bringUpWanted !== true || bringUp?.state === 'ready');

/**
 * State and ring of a device.
 * @param now milliseconds since 1970
 */
export function deviceStanding(facts: DeviceFacts, now: number): DeviceStanding {
  const { card, poweredAt, seen, handedOverAt } = facts;
  const ready = card?.state === 'verified';
  const wait = arrivalsOf(facts.firstBootSeconds, facts.arrivals);
  const usual = wait.usual * 1000;
  const waited = poweredAt === null ? 0 : now - poweredAt;
  const late = poweredAt !== null && !seen && waited > wait.normalUntil * 1000;
  const arc = (stage: Stage, mode: ArcMode, share = 0, word = ''): Arc => ({ stage, mode, share, word });
  const boot = ((): Arc => {
    if (seen && seen.alsoAt.length > 0) return arc('boot', 'notched', 0, 'copied');
    if (seen?.standing === 'proved') return arc('boot', 'solid', 1);
    if (seen) return arc('boot', 'notched', 0, 'not proved');
    if (late) return arc('boot', 'notched', 0, 'missing');
    return poweredAt === null || !ready
      ? arc('boot', 'open')
      : arc('boot', 'hatched', Math.min(waited / usual, 1));
  })();
  const ring: Arc[] = [
    facts.stopped ? arc('plan', 'notched', 0, 'plan') : arc('plan', 'solid', 1),
    { stage: 'cards', ...cardArc(card) },
    boot,
    bringUpArc(facts),
    handedOverAt === null ? arc('handOver', 'open') : arc('handOver', 'solid', 1),
  ];
  const standing = (state: DeviceState, since: number | null): DeviceStanding => ({
    state,
    since,
    needsHand: ring.some((part) => part.mode === 'notched'),
    ring,
    leftOut: facts.bringUpWanted === true ? [] : ['bringUp'],
  });
  if (handedOverAt !== null) return standing('handed over', handedOverAt);
  if (seen && isSure(seen)) {
    const { bringUp } = facts;
    if (bringUp?.state === 'ready') return standing('ready', bringUp.at);
    if (bringUp?.state === 'running' || bringUp?.state === 'queued') return standing('coming up', bringUp.at);
    return standing('proved', seen.at);
  }
  if (seen) return standing('seen', seen.at);
  if (ready && poweredAt !== null) return standing(late ? 'late' : 'booting', poweredAt);
  if (ready) return standing('card ready', card.at);
  if (card && (card.state === 'queued' || card.state === 'writing' || card.state === 'verifying'))
    return standing(card.state, card.at);
  if (card && cardWords[card.state]) return standing('held', card.at);
  return standing(facts.stopped ? 'held' : 'planned', null);
}

/** How many devices wait at a stage, and how many of them for a person. */
export interface StageCount {
  waiting: number;
  hand: number;
}

/** Counts devices at the first stage that they have not done, and the hands needed at each stage. */
export function stageCounts(standings: readonly DeviceStanding[]): Record<Stage, StageCount> {
  const counts = Object.fromEntries(stages.map((stage) => [stage, { waiting: 0, hand: 0 }])) as Record<
    Stage,
    StageCount
  >;
  for (const { ring, leftOut } of standings) {
    const next = ring.find((arc) => arc.mode !== 'solid' && !leftOut.includes(arc.stage));
    if (next) counts[next.stage].waiting++;
    for (const arc of ring) if (arc.mode === 'notched') counts[arc.stage].hand++;
  }
  return counts;
}

/** How long waiting for a first boot is still normal. */
export interface BootWait {
  /** Seconds since power-on. */
  waited: number;
  /** Seconds that a first boot takes as a rule. */
  usual: number;
  /** Seconds until which waiting is normal. */
  normalUntil: number;
  late: boolean;
  /** How many such boots this bench has seen. */
  own: number;
  /** Of ten such boards, how many are there by now; null where too few were seen. */
  there: number | null;
}

/** The wait of a device that was powered and is not seen yet; null when it does not wait. */
export function bootWait(
  { poweredAt, seen, firstBootSeconds, arrivals }: DeviceFacts,
  now: number,
): BootWait | null {
  if (poweredAt === null || seen) return null;
  const waited = Math.max(0, (now - poweredAt) / 1000);
  const { usual, normalUntil, seen: own } = arrivalsOf(firstBootSeconds, arrivals);
  return {
    waited,
    usual,
    normalUntil,
    late: waited > normalUntil,
    own,
    there: outOfTen(waited, arrivals ?? []),
  };
}
