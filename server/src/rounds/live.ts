import type { Round, RoundCard } from '@nest-mark/core';
import type { Phase } from '@nest-mark/station';

interface Live {
  phase: Phase;
  share: number;
  rate: number;
  secondsLeft: number | null;
  /** When and where the rate began to be taken. */
  since: number;
  from: number;
  /** Octets of this phase so far. */
  done: number;
}

/** Writing and reading back weigh the same in a card's share. */
const phaseShare = (phase: Phase, part: number): number => (phase === 'writing' ? part / 2 : 0.5 + part / 2);

/** Progress of rounds that are being written now; too quick for the database. */
export class LiveRounds {
  private readonly cards = new Map<string, Live>();

  /** Notes progress. @returns whether the phase is a new one */
  note(
    roundId: string,
    slotId: string,
    phase: Phase,
    done: number,
    total: number,
    now = Date.now(),
  ): boolean {
    const key = `${roundId}/${slotId}`;
    const known = this.cards.get(key);
    const fresh = known?.phase !== phase;
    const live: Live = fresh
      ? { phase, share: 0, rate: 0, secondsLeft: null, since: now, from: done, done }
      : known;
    const seconds = (now - live.since) / 1000;
    live.share = phaseShare(phase, done / total);
    live.done = done;
    if (seconds > 0.25) {
      live.rate = (done - live.from) / seconds;
      // Reading back takes about as long as writing did.
      const left = phase === 'writing' ? total - done + total : total - done;
      live.secondsLeft = live.rate > 0 ? left / live.rate : null;
    }
    this.cards.set(key, live);
    return fresh;
  }

  /** Begins the rates of a round anew, because it was held or goes on. */
  restart(roundId: string, now = Date.now()): void {
    for (const [key, live] of this.cards)
      if (key.startsWith(`${roundId}/`))
        Object.assign(live, { since: now, from: live.done, rate: 0, secondsLeft: null });
  }

  forget(roundId: string): void {
    for (const key of this.cards.keys()) if (key.startsWith(`${roundId}/`)) this.cards.delete(key);
  }

  /** A round as it stands this moment. */
  overlay(round: Round): Round {
    return { ...round, cards: round.cards.map((card) => this.card(round.id, card)) };
  }

  card(roundId: string, card: RoundCard): RoundCard {
    const live = this.cards.get(`${roundId}/${card.slotId}`);
    if (!live || (card.state !== 'writing' && card.state !== 'verifying')) return card;
    return { ...card, share: live.share, rate: live.rate, secondsLeft: live.secondsLeft };
  }
}
