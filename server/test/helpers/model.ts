import { mkdtempSync, readFileSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import type {
  Batch,
  BatchProgress,
  MarkFile,
  Plan,
  PracticeAction,
  Proposal,
  Round,
  Search,
} from '@nest-mark/core';
import { FileSource, readMarkFile } from '@nest-mark/station';
import { randomUUID } from 'node:crypto';
import { DatabaseProxy } from './proxy';
import { tinyImage } from './tiny-image';
import { freshMark, tankPlan, TestServer } from './server';
import type { Amount } from '../../../core/test/helpers/soak';

/**
 * The model of a bench: random sequences of what people and machines do: plan edits, undo, arming, pulling, swapping, using cards again,
 * emptying them, booting, searching, kills. After every step what the pages are told must agree with the octets on the
 * practice cards and with who signed.
 *
 * NEST_MARK_SEED repeats a run, NEST_MARK_RUNS sets how many sequences of forty steps.
 */

/** Steps of a sequence. */
const STEPS = 40;
let network: string;
const cardIds = ['card-01', 'card-02', 'card-03', 'card-04', 'card-05'];
const slotIds = ['slot-1', 'slot-2', 'slot-3'];

let server: TestServer;
let proxy: DatabaseProxy;
let imageId: string;
let networkId: string;

const cardFile = (cardId: string): string => join(server.folder, 'practice/cards', `${cardId}.img`);

/** What the octets of a card say, read by themselves. */
async function onCard(cardId: string): Promise<{ mark: MarkFile | null; bootable: boolean }> {
  const source = await FileSource.open(cardFile(cardId)).catch(() => null);
  if (!source) return { mark: null, bootable: false };
  try {
    const first = await source.read(510, 2);
    return { mark: await readMarkFile(source), bootable: first[0] === 0x55 && first[1] === 0xaa };
  } finally {
    await source.close();
  }
}

interface Hand {
  slots: { id: string; cardId: string | null }[];
  cards: { id: string; size: number; place: string | null }[];
}

/** What lies where on the practice bench, from its own file: the view over HTTP reads every card. */
function practice(): Hand {
  const lab = JSON.parse(readFileSync(join(server.folder, 'practice/lab.json'), 'utf8')) as {
    cards: { id: string; size: number }[];
    slots: Record<string, string | null>;
    boards: { nest: string; cardId: string | null }[];
  };
  const slots = Object.entries(lab.slots).map(([id, cardId]) => ({ id, cardId }));
  const cards = lab.cards.map(({ id, size }) => ({
    id,
    size,
    place:
      slots.find(({ cardId }) => cardId === id)?.id ??
      lab.boards.find(({ cardId }) => cardId === id)?.nest ??
      null,
  }));
  return { slots, cards };
}

/** Does what hands would do, without looking at everything afterwards. */
const hands = (action: PracticeAction): Promise<void> => server.domains.practice.lab!.act(action);

/** Waits in short steps: thousands of waits make a run. */
async function until<T>(look: () => Promise<T | null>): Promise<T> {
  const end = Date.now() + 60_000;
  for (;;) {
    const found = await look();
    if (found !== null) return found;
    if (Date.now() > end) throw new Error('waited in vain');
    await new Promise((resolve) => setTimeout(resolve, 4));
  }
}

/** One sequence on a batch of its own. */
class Bench {
  /** Plans before the last change, for undo. */
  private past: Plan[] = [];
  private readonly keys = new Map<string, string>();
  /** Whose card was proved where by the last search, by what the boards really hold. */
  private signed = new Map<string, string>();
  readonly told: string[] = [];

  private constructor(private batch: Batch) {}

  static async make(): Promise<Bench> {
    const plan = { ...tankPlan(3, imageId, network), networks: [{ networkId, priority: 10 }] };
    await hands({ do: 'serials', told: true });
    return new Bench(await server.ok<Batch>('POST', '/batches', { plan, secrets: {} }));
  }

  private get id(): string {
    return this.batch.id;
  }

  private async save(change: (plan: Plan) => Plan): Promise<void> {
    const now = await server.ok<Batch>('GET', `/batches/${this.id}`);
    this.batch = await server.ok<Batch>(
      'PUT',
      `/batches/${this.id}`,
      { plan: change(now.plan), secrets: {} },
      { 'If-Match': `"${String(now.version)}"` },
    );
  }

  private async edit(change: (plan: Plan) => Plan): Promise<void> {
    this.past.push(this.batch.plan);
    await this.save(change);
  }

  private proposal(): Promise<Proposal> {
    return server.ok('GET', `/batches/${this.id}/next-round`);
  }

  private progress(): Promise<BatchProgress> {
    return server.ok('GET', `/batches/${this.id}/progress`);
  }

  /** Does one step. @returns false when it could not be done at the moment, so that nothing changed */
  async step(kind: string, a: number, b: number): Promise<boolean> {
    this.told.push(`${kind} ${String(a)} ${String(b)}`);
    const devices = this.batch.plan.devices;
    const device = devices[a % Math.max(1, devices.length)];
    const slotId = slotIds[b % slotIds.length]!;
    switch (kind) {
      case 'add':
        if (devices.length >= 5) return false;
        await this.edit((plan) => ({
          ...plan,
          devices: [
            ...plan.devices,
            {
              id: randomUUID(),
              nest: `B${String(1 + this.past.length)}`,
              mark: freshMark(),
              hostName: `more-${String(this.past.length)}`,
              role: '',
              notes: '',
              overrides: {},
            },
          ],
        }));
        return true;
      case 'remove':
        if (devices.length <= 1) return false;
        await this.edit((plan) => ({ ...plan, devices: plan.devices.filter(({ id }) => id !== device?.id) }));
        return true;
      case 'rename':
        await this.edit((plan) => ({
          ...plan,
          devices: plan.devices.map((one) =>
            one.id === device?.id ? { ...one, hostName: `named-${String(this.past.length)}` } : one,
          ),
        }));
        return true;
      case 'undo': {
        const before = this.past.pop();
        if (!before) return false;
        await this.save(() => before);
        return true;
      }
      case 'insert': {
        const view = practice();
        const free = view.slots.find(({ id, cardId }) => id === slotId && cardId === null);
        const card = view.cards.find(({ id, place }) => id === cardIds[a % cardIds.length] && place === null);
        if (!free || !card) return false;
        await hands({ do: 'insert', cardId: card.id, slotId });
        return true;
      }
      case 'pull':
        if (practice().slots.find(({ id }) => id === slotId)?.cardId === null) return false;
        await hands({ do: 'pull', slotId });
        return true;
      case 'serials':
        await hands({ do: 'serials', told: a % 2 === 0 });
        return true;
      case 'write':
      case 'write-and-cancel':
      case 'write-and-pull':
      case 'write-and-kill':
        return this.write(kind, device?.id ?? '', slotId);
      case 'restore':
        return this.restore(slotId);
      case 'clear-elsewhere':
        await this.clearElsewhere(cardIds[a % cardIds.length]!, slotId);
        return true;
      case 'seat-and-search':
        await this.search();
        return true;
      case 'restart':
        await server.restart({ databaseUrl: proxy.url });
        return true;
      default:
        throw new Error(kind);
    }
  }

  private async write(kind: string, deviceId: string, slotId: string): Promise<boolean> {
    const { cards, blockers } = await this.proposal();
    const slot = cards.find((card) => card.slotId === slotId);
    if (!slot?.medium || slot.refusal !== null || blockers.length > 0) return false;
    const body = {
      cards: [{ slotId, deviceId, identity: slot.medium.identity }],
      confirm: 'erase 1',
      lookedAt: Date.now(),
    };
    const { id } = await server.ok<Round>('POST', `/batches/${this.id}/rounds`, body);
    if (kind === 'write-and-cancel') await server.call('POST', `/rounds/${id}/cancel`);
    if (kind === 'write-and-pull') await hands({ do: 'pull', slotId });
    if (kind === 'write-and-kill') {
      // Nothing of what follows reaches the database, as when the process died here.
      proxy.goAway();
      const gone = server.restart({ databaseUrl: proxy.url });
      await new Promise((resolve) => setTimeout(resolve, 20));
      proxy.comeBack();
      await gone;
    }
    await until(async () => {
      const row = await server.knex('run').where({ id }).first('state');
      return ['queued', 'running', 'held'].includes((row as { state: string }).state) ? null : true;
    });
    return true;
  }

  private async restore(slotId: string): Promise<boolean> {
    const slot = (await this.proposal()).cards.find((card) => card.slotId === slotId);
    if (!slot?.medium || slot.refusal !== null) return false;
    const { key } = await server.ok<{ key: string }>('POST', '/cards/capacity-check', {
      slotId,
      identity: slot.medium.identity,
      confirm: 'erase this card',
      what: 'restore',
    });
    await until(async () =>
      (await server.domains.runs.repository.about('capacity-check', key)) ? null : true,
    );
    return true;
  }

  /** Somebody empties a card on another computer; back in a reader that tells serial numbers it is noticed. */
  private async clearElsewhere(cardId: string, slotId: string): Promise<void> {
    await hands({ do: 'serials', told: true });
    const view = practice();
    const card = view.cards.find(({ id }) => id === cardId)!;
    if (card.place !== null || !view.slots.some((slot) => slot.id === slotId && slot.cardId === null)) return;
    const before = await onCard(cardId);
    // A card that told no serial number when it was written can be known by nothing once it is empty.
    const known = await server
      .knex('card')
      .where({ key: serialOf(cardId), device_id: before.mark?.deviceId ?? null });
    if (before.mark && known.length === 0) return;
    writeFileSync(cardFile(cardId), '');
    truncateSync(cardFile(cardId), card.size);
    await hands({ do: 'insert', cardId, slotId });
    if (!before.mark) return;
    const lost = before.mark.deviceId;
    await until(async () => {
      const held = await server.knex('card').where({ device_id: lost, key: serialOf(cardId) });
      return held.length === 0 ? true : null;
    });
  }

  private async search(): Promise<void> {
    await hands({ do: 'seat', batchId: this.id });
    await hands({ do: 'powerAll', on: true });
    const view = await until(async () => {
      const now = await server.domains.practice.lab!.view();
      return now.boards.some(({ phase }) => phase === 'starting') ? null : now;
    });
    const { id } = await server.ok<Search>('POST', `/batches/${this.id}/searches`, {
      subnet: `${network}.16/28`,
      port: 2222,
    });
    await until(async () => {
      const { search } = await this.progress();
      return search?.id === id && search.state === 'done' ? true : null;
    });
    this.signed = new Map();
    for (const { cardId, address, phase } of view.boards) {
      const mark = phase === 'online' && cardId !== null ? (await onCard(cardId)).mark : null;
      if (mark && address !== null) this.signed.set(mark.deviceId, address);
    }
    // The cards go back to the drawer, so that the steps that follow can use them.
    for (const { nest, cardId } of view.boards) if (cardId !== null) await hands({ do: 'takeCard', nest });
  }

  /** What the pages are told agrees with the octets and the signatures. */
  async agrees(): Promise<void> {
    const view = practice();
    const [{ cards }, progress] = await Promise.all([this.proposal(), this.progress()]);
    const octets = new Map(await Promise.all(cardIds.map(async (id) => [id, await onCard(id)] as const)));
    for (const { slotId, medium, verifiedFor, deviceId } of cards) {
      const cardId = view.slots.find(({ id }) => id === slotId)?.cardId;
      const truth = cardId == null ? null : octets.get(cardId);
      if ((medium !== null) !== (truth !== null && truth !== undefined))
        throw new Error(`${slotId}: a medium that is not there`);
      if (verifiedFor && (truth?.mark?.deviceId !== verifiedFor.deviceId || !truth.bootable))
        throw new Error(`${slotId}: said to be the card of ${verifiedFor.hostName}, and is not`);
      if (medium?.label && medium.label.deviceId !== truth?.mark?.deviceId)
        throw new Error(`${slotId}: another label`);
      // No card is proposed for erasing whose octets are a writing that is on record as verified.
      if (deviceId && truth?.mark && truth.bootable && (await isVerified(truth.mark)))
        throw new Error(`${slotId}: proposed for erasing, and a verified card`);
    }
    for (const { deviceId, card, seen } of progress.devices) {
      const bearers = [...octets.values()].filter(
        ({ mark, bootable }) => bootable && mark?.deviceId === deviceId,
      );
      if (card?.state === 'verified' && bearers.length === 0)
        throw new Error(`${deviceId}: verified, and no card bears it`);
      if (card?.state === 'lost' && bearers.length > 0)
        throw new Error(`${deviceId}: lost, and a card bears it`);
      if (seen?.standing === 'proved' && !this.signed.has(deviceId))
        throw new Error(`${deviceId}: proved, and nobody signed`);
      if (seen?.standing === 'proved' && seen.address !== this.signed.get(deviceId))
        throw new Error(`${deviceId}: another address`);
    }
    const rows: { id: string; host_key: string | null }[] = await server
      .knex('device')
      .where({ batch_id: this.id })
      .select('id', 'host_key');
    for (const { id, host_key: key } of rows) {
      if (key === null || (this.keys.get(id) ?? key) !== key) throw new Error(`${id}: another host key`);
      this.keys.set(id, key);
    }
  }
}

/** Whether the writing that a card bears is on record as verified. */
async function isVerified({ writing, mark, deviceId }: MarkFile): Promise<boolean> {
  const roundId = writing.slice(mark.length + 1);
  const row = await server
    .knex('written_card')
    .where({ round_id: roundId, device_id: deviceId })
    .first('state');
  return (row as { state: string } | undefined)?.state === 'verified';
}

const serialOf = (cardId: string): string =>
  `p${(0x51a7 + (Number(cardId.slice(5)) - 1) * 0x0101).toString(16)}`;

/** Kinds of steps with their weights: what takes long comes seldom. */
const kinds: [string, number][] = [
  ['insert', 14],
  ['pull', 9],
  ['write', 9],
  ['rename', 4],
  ['remove', 4],
  ['add', 4],
  ['undo', 5],
  ['restore', 3],
  ['serials', 3],
  ['write-and-cancel', 2],
  ['write-and-pull', 2],
  ['clear-elsewhere', 3],
  ['seat-and-search', 1],
];
const often = kinds.flatMap(([kind, weight]) => Array.from({ length: weight }, () => kind));
const step = fc.record({ kind: fc.constantFrom(...often), a: fc.nat(9), b: fc.nat(9) });

const during = async (steps: { kind: string; a: number; b: number }[]): Promise<void> => {
  await hands({ do: 'pullIdle' });
  const bench = await Bench.make();
  for (const { kind, a, b } of steps)
    try {
      if (await bench.step(kind, a, b)) await bench.agrees();
    } catch (error) {
      throw new Error(
        `${error instanceof Error ? error.message : String(error)}\nafter:\n${bench.told.join('\n')}`,
        { cause: error },
      );
    }
};

const cut = fc.record({ kind: fc.constantFrom('write-and-kill', 'restart'), a: fc.nat(9), b: fc.nat(9) });

/**
 * Registers the test.
 * @param much sequences, and the seed that repeats them
 * @param kills whether the server is killed and started again among the steps
 */
export function modelTest(where: string, much: Amount, kills: boolean): void {
  let folder: string;

  beforeAll(async () => {
    network = where;
    folder = mkdtempSync(join(tmpdir(), 'nest-mark-model-'));
    server = await TestServer.start(network);
    proxy = await DatabaseProxy.before(server.databaseUrl);
    await server.restart({ databaseUrl: proxy.url });
    const image = await server.shelve(tinyImage(folder));
    if (image.state !== 'ready') throw new Error(image.message);
    imageId = image.id;
    networkId = (await server.newNetwork({}, 'low tide at seven')).id;
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  });
  afterAll(async () => {
    await server.end();
    await proxy.close();
    rmSync(folder, { recursive: true, force: true });
  });

  const { runs: numRuns, seed } = much;
  const steps = kills ? fc.oneof({ weight: 25, arbitrary: step }, { weight: 1, arbitrary: cut }) : step;
  it(
    `${String(numRuns)} sequences of ${String(STEPS)} steps${kills ? ', kills among them' : ''}: what is told agrees with the cards and with who signed`,
    () =>
      fc.assert(
        fc.asyncProperty(fc.array(steps, { minLength: STEPS, maxLength: STEPS }), async (sequence) => {
          much.step();
          await during(sequence);
        }),
        {
          numRuns,
          seed,
          endOnFailure: true,
        },
      ),
    3_600_000,
  );
}
