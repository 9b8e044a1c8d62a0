import { fetchHostKey, probeTcp } from '@nest-mark/station';
import { clueKey, type Clue, type HeardClue } from '@nest-mark/core/find';
import { untilRecorded } from '../platform/queue/until-recorded';
import type { WatchOrder } from './clue-repository';
import type { Finding } from './domain';
import { Epochs } from './epochs';
import { Knocking, type Answer } from './knocking';
import { news, provedNow, type Proof } from './news';

/** Different things that one listening keeps; a flood of made-up names must not fill the database. */
const MOST_CLUES = 4000;

/** Who is there, in numbers. */
export interface Looked {
  devices: number;
  proved: number;
  /** Of those, who signed since the listening began. */
  anew: number;
}

/** One listening at work: what it hears, whom it asks, and what it writes down. */
export class Watching {
  private readonly heard = new Map<string, HeardClue>();
  private readonly known = new Set<string>();
  private readonly hardware = new Map<string, string>();
  private writing: Promise<void> = Promise.resolve();
  /** The last of the clues that a person gave and that was taken up. */
  lastGiven = '0';
  private changed = false;
  private names: readonly string[] = [];
  private before: ReadonlyMap<string, Proof> = new Map();
  readonly knocking: Knocking;
  private readonly epochs: Epochs;

  constructor(
    private readonly finding: Finding,
    private readonly runId: string,
    private readonly batchId: string,
    private readonly order: WatchOrder,
    /** When it began: by the database's clock, and by this computer's steady one. */
    private readonly start: { at: number; steady: number },
  ) {
    const { port } = order;
    this.knocking = new Knocking(
      {
        probe: (address) => probeTcp(address, port),
        key: (address) => fetchHostKey(address, port, 1),
        now: () => performance.now(),
      },
      (answer) => this.answered(answer),
    );
    this.epochs = new Epochs(runId, async (address, hostKey) => {
      const key = await fetchHostKey(address, port, 2);
      return key?.proven === true && key.hostKey === hostKey;
    });
  }

  /**
   * The time by the database's clock, by which powering and proofs are noted too. This computer's own clock may be
   * another, and may jump.
   */
  private now(): number {
    return this.start.at + performance.now() - this.start.steady;
  }

  readonly onClue = (clue: Clue): void => {
    const at = this.now();
    const key = clueKey(clue);
    const before = this.heard.get(key);
    if (before) {
      before.times++;
      before.at = at;
    } else {
      if (!this.known.has(key) && this.known.size >= MOST_CLUES) return;
      this.known.add(key);
      this.heard.set(key, { ...clue, at, since: at, times: 1 });
    }
    this.follow(clue);
  };

  private follow({ address, hardwareAddress, kind }: Clue): void {
    if (address === null) return;
    if (hardwareAddress !== null) this.hardware.set(address, hardwareAddress);
    if (kind !== 'leaves') this.knocking.heard(address);
  }

  private answered({ address, banner, key }: Answer): void {
    const { finding, runId, batchId } = this;
    const proven = key?.proven ?? false;
    this.writing = this.writing
      .then(async () => {
        const { look, still } =
          proven && key ? await this.epochs.proved(key.hostKey, address) : { look: runId, still: [] };
        const sighting = (at: string) => ({
          address: at,
          port: this.order.port,
          hardwareAddress: this.hardware.get(at) ?? null,
          banner,
          hostKey: key?.hostKey ?? null,
          keyProven: proven,
        });
        await untilRecorded(finding, () =>
          finding.repository.addSightings({ id: look, batchId }, [...still, address].map(sighting)),
        );
        finding.events.send({ type: 'progress', batchId });
        this.changed = true;
      })
      // The database refused it for good: whoever signed is asked anew.
      .catch(() => this.knocking.again(address));
  }

  /** Names that are asked for: of devices that are not proved. */
  readonly wanted = (): readonly string[] => this.names;

  /** Looks where everybody is, without telling anybody: what comes from now on is news. */
  async begin(): Promise<void> {
    this.before = await provedNow(this.finding, this.batchId);
    await this.look();
  }

  /** Looks who is still wanted, and tells the log who was proved. */
  async look(): Promise<Looked> {
    const { finding, batchId } = this;
    // What comes while it is looked is news for the next look.
    this.changed = false;
    const [proved, batch] = await Promise.all([
      provedNow(finding, batchId),
      finding.plans.repository.find(batchId),
    ]);
    const devices = batch?.plan.devices ?? [];
    const anew = devices.filter(({ id }) => (proved.get(id)?.at ?? 0) >= this.start.at);
    this.names = devices.filter((device) => !anew.includes(device)).map(({ hostName }) => hostName);
    const told = news(new Map(devices.map(({ id, hostName }) => [id, hostName])), this.before, proved);
    if (told.length > 0) {
      await finding.log.add(
        told.map((entry) => ({ ...entry, batchId })),
        finding.knex,
      );
      finding.events.send({ type: 'log' });
    }
    // Only now: what could not be told is told with the next look.
    this.before = proved;
    return { devices: devices.length, proved: proved.size, anew: anew.length };
  }

  get hasNews(): boolean {
    return this.changed;
  }

  /** Writes down what was heard since the last time, and takes up what a person gave. */
  async write(): Promise<void> {
    const { finding, runId } = this;
    const clues = [...this.heard.values()];
    this.heard.clear();
    if (clues.length > 0) {
      await untilRecorded(finding, () => finding.clues.add(runId, clues));
      finding.events.send({ type: 'progress', batchId: this.batchId });
    }
    const { last, clues: given } = await untilRecorded(finding, () =>
      finding.clues.given(runId, this.lastGiven),
    );
    this.lastGiven = last;
    for (const clue of given) this.follow(clue);
  }

  async settled(): Promise<void> {
    await this.writing;
  }
}
