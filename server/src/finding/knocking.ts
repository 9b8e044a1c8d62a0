import type { ShownKey, TcpAnswer } from '@nest-mark/station';

/** How a host answered. */
export interface Answer {
  address: string;
  banner: string | null;
  key: ShownKey | null;
}

/** What knocking needs from the network; given so that time and answers can be played. */
export interface Door {
  probe(address: string): Promise<TcpAnswer>;
  key(address: string): Promise<ShownKey | null>;
  now(): number;
}

interface Place {
  /** When it is asked next, and when a clue spoke of it last. */
  due: number;
  clueAt: number;
  busy: boolean;
  /** When it signed last; 0 for never. */
  signedAt: number;
  tries: number;
  /** Whether a login service answered there that has not signed yet. */
  open: boolean;
}

/** Addresses of one listening; what comes beyond is not contacted. */
const MOST = 4096;
/** Addresses that are asked at once; most of them answer at once or not at all. */
const AT_ONCE = 64;
/** Milliseconds between two knocks at an address whose login service is not up yet, by the age of its last clue. */
const paces: readonly { until: number; every: number }[] = [
  { until: 180_000, every: 500 },
  { until: 600_000, every: 5000 },
  { until: Infinity, every: 30_000 },
];
/** A host that signed is asked again only when it is heard of anew, and not sooner than this. */
const AGAIN_AFTER = 20_000;
/** Times that a login service is asked which does not sign; one that restarts at the end of a first boot resets connections. */
const TRIES = 4;

/**
 * Offers a handshake to every address that a clue speaks of: at once, and again while its login service is not up.
 * Whatever the clue says, only the signature counts.
 */
export class Knocking {
  private readonly places = new Map<string, Place>();
  private inFlight = 0;
  private closed = false;

  constructor(
    private readonly door: Door,
    private readonly onAnswer: (answer: Answer) => void,
  ) {}

  /** A clue speaks of an address. */
  heard(address: string): void {
    const now = this.door.now();
    const known = this.places.get(address);
    if (!known) {
      if (this.places.size >= MOST) return;
      this.places.set(address, { due: now, clueAt: now, busy: false, signedAt: 0, tries: 0, open: false });
      this.turn();
      return;
    }
    known.clueAt = now;
    known.due =
      known.signedAt > 0 ? Math.max(known.signedAt + AGAIN_AFTER, now) : Math.min(known.due, now + 500);
  }

  /** What an address answered could not be written down: it is asked once more. */
  again(address: string): void {
    const place = this.places.get(address);
    if (!place) return;
    place.signedAt = 0;
    place.due = this.door.now() + 1000;
  }

  /** Nobody is asked any more, and what comes later is told to nobody. */
  close(): void {
    this.closed = true;
  }

  /** Whether every address was asked, a login service there several times, and nothing is being asked. */
  get settled(): boolean {
    const asked = ({ tries, open }: Place): boolean => tries >= (open ? TRIES : 1);
    return this.inFlight === 0 && [...this.places.values()].every(asked);
  }

  /** Asks whoever is due, who was never asked first; to be called again and again. */
  turn(): void {
    if (this.closed) return;
    const now = this.door.now();
    const free = AT_ONCE - this.inFlight;
    if (free <= 0) return;
    // However many addresses somebody makes up, each gets its turn.
    const due = [...this.places].filter(([, place]) => !place.busy && place.due <= now);
    due.sort(([, a], [, b]) => Number(a.tries > 0) - Number(b.tries > 0) || a.due - b.due);
    for (const [address, place] of due.slice(0, free)) {
      place.busy = true;
      this.inFlight++;
      void this.ask(address, place).finally(() => {
        place.busy = false;
        place.tries++;
        this.inFlight--;
      });
    }
  }

  private async ask(address: string, place: Place): Promise<void> {
    const answer = await this.door.probe(address).catch(() => null);
    const ssh = answer?.answer === 'open' && (answer.banner?.startsWith('SSH-') ?? false);
    const key = ssh ? await this.door.key(address).catch(() => null) : null;
    const now = this.door.now();
    place.open = ssh && key?.proven !== true;
    if (key?.proven) {
      place.signedAt = now;
      place.due = Infinity;
    } else {
      const age = now - place.clueAt;
      place.due = now + (paces.find(({ until }) => age < until)?.every ?? 30_000);
    }
    if (answer?.answer === 'open' && !this.closed) this.onAnswer({ address, banner: answer.banner, key });
  }
}
