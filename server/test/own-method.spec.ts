import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type {
  Batch,
  BatchProgress,
  CardComparison,
  Image,
  LogEntry,
  OwnDescription,
  PracticeView,
  Problem,
  Proposal,
  ShelvedMethod,
  SlotCheck,
  TriedMethod,
} from '@nest-mark/core';
import { TestServer, tankPlan } from './helpers/server';
import { tinyImage } from './helpers/tiny-image';

const network = '127.61.47';
const id = '2f6f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a11';
const folder = mkdtempSync(join(tmpdir(), 'nest-mark-own-'));

/** How the invented image of stand-in/src/board/read-board-file.ts takes its settings. */
const description = (title = 'Board file'): OwnDescription => ({
  format: 'nest-mark-first-boot-method',
  version: 1,
  title,
  notes: '',
  files: [
    {
      path: 'config/board.cfg',
      form: 'settings',
      separator: '=',
      quoting: 'plain',
      begin: '',
      end: '',
      words: { yes: 'on', no: 'off', open: '', wep: '', wpa2: '', mixed: '', wpa3: '' },
      entries: [
        { section: '', key: 'name', value: '<<hostName>>', each: 'once', when: 'always' },
        { section: '', key: 'region', value: '<<country>>', each: 'once', when: 'always' },
        { section: '', key: 'owner', value: '<<user>>', each: 'once', when: 'always' },
        { section: '', key: 'owner-key-<<number>>', value: '<<sshKey>>', each: 'key', when: 'always' },
        { section: '', key: 'identity', value: '<<hostKey.base64>>', each: 'once', when: 'always' },
        { section: '', key: 'remote-login', value: 'on', each: 'once', when: 'always' },
        { section: '', key: 'secret-login', value: '<<passwordLogin>>', each: 'once', when: 'always' },
      ],
    },
    {
      path: 'networks.lst',
      form: 'text',
      separator: '=',
      quoting: 'percent',
      begin: '',
      end: '',
      words: { yes: 'yes', no: 'no', open: 'open', wep: '', wpa2: 'wpa', mixed: 'wpa', wpa3: 'sae' },
      entries: [
        { section: '', key: '', value: '<<ssid>>;<<wifiKey>>;<<security>>', each: 'network', when: 'always' },
      ],
    },
  ],
});
/** Two kinds of one word cannot be told apart when they are read back; only one of them is needed here. */
const sound = (title?: string): OwnDescription => {
  const made = description(title);
  made.files[1]!.words.mixed = '';
  return made;
};

let server: TestServer;
let image: Image;
let batch: Batch;

beforeAll(async () => {
  server = await TestServer.start(network);
  const path = tinyImage(join(folder, 'image'), {
    'config/board.cfg': '# Settings of this board, one a line.\nname=board\n# region=XX\n',
    'networks.lst': '# name;key;kind\n',
  });
  image = await server.shelve(path);
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  batch = await server.batch(tankPlan(2, image.id, network));
  await server.act({ do: 'insert', cardId: 'card-01', slotId: 'slot-1' });
});
afterAll(async () => {
  await server.end();
  rmSync(folder, { recursive: true, force: true });
});

const save = (
  version: number,
  body: OwnDescription = sound(),
  of = id,
): Promise<{ status: number; body: ShelvedMethod & Problem }> =>
  server.call<ShelvedMethod & Problem>(
    'PUT',
    `/methods/${of}`,
    { description: body },
    { 'If-Match': `"${String(version)}"` },
  );
const choose = (chosenMethod: string | null): Promise<{ status: number; body: Image & Problem }> =>
  server.call<Image & Problem>('PUT', `/images/${image.id}/about`, {
    title: image.title,
    about: { ...image.about, chosenMethod },
  });
const tried = (body: OwnDescription): Promise<TriedMethod> =>
  server.ok('POST', '/checks/method', {
    description: body,
    imageId: image.id,
    batchId: batch.id,
    deviceId: batch.plan.devices[0]!.id,
  });
const boot = async (cardId: string): Promise<PracticeView['boards'][number]> => {
  await server.act({ do: 'pull', slotId: 'slot-1' });
  await server.act({ do: 'seatCard', cardId, nest: 'A1' });
  await server.act({ do: 'power', nest: 'A1', on: true });
  const board = await server.until(async () => {
    const { boards } = await server.ok<PracticeView>('GET', '/practice');
    const found = boards.find(({ nest }) => nest === 'A1');
    return found && found.phase !== 'starting' && found.phase !== 'off' ? found : null;
  });
  return board;
};
const takeBack = async (cardId: string): Promise<void> => {
  await server.act({ do: 'takeCard', nest: 'A1' });
  await server.act({ do: 'insert', cardId, slotId: 'slot-1' });
};
const check = async (): Promise<SlotCheck> => {
  const { cards } = await server.ok<Proposal>('GET', `/batches/${batch.id}/next-round`);
  const slot = cards.find(({ slotId }) => slotId === 'slot-1')!;
  return server.ok('POST', '/slots/slot-1/check', { identity: slot.medium!.identity });
};

describe('an own first-boot method', () => {
  it('that makes no sense is not kept, and the sentence says where', async () => {
    const wrong = sound();
    wrong.files[0]!.entries[1]!.value = '<<land>>';
    expect(await save(0, wrong)).toMatchObject({
      status: 422,
      body: {
        code: 'method-senseless',
        detail: expect.stringContaining('config/board.cfg, entry 2: There is no value "land"') as string,
      },
    });
    const two = await save(0, description());
    expect(two.body.detail).toContain('Two kinds of security have the same word');
  });

  it('made by two at once is made once; changed by two at once, one of them is told', async () => {
    const made = await Promise.all([save(0), save(0), save(0)]);
    expect(made.map(({ status }) => status).sort()).toEqual([200, 412, 412]);
    const changed = await Promise.all([save(1, sound('First')), save(1, sound('Second'))]);
    expect(changed.map(({ status }) => status).sort()).toEqual([200, 412]);
    expect((await save(2)).body).toMatchObject({ version: 3, images: [] });
  });

  it('is tried before anything takes it: what a device would get, without its secrets', async () => {
    const { problem, files } = await tried(sound());
    expect(problem).toBe('');
    const text = (path: string): string =>
      files
        .find((file) => file.path === path)!
        .lines.map((line) => line.text)
        .join('\n');
    expect(text('config/board.cfg')).toContain(
      '# Settings of this board, one a line.\nname=tank-01\n# region=XX\nregion=',
    );
    expect(text('networks.lst')).toMatch(/^Saltmarsh%20Bench;(%E2%80%A2)+;wpa$/);
    const wrong = sound();
    wrong.files[1]!.quoting = 'plain';
    wrong.files[1]!.entries[0]!.value = '<<ssid>> <<wifiKey>> <<security>>';
    expect((await tried(wrong)).problem).toContain('networks.lst: name of the network: It holds a blank');
  });

  it('is how an image takes its settings: planned, written, booted by a board with a parser of its own, and proved', async () => {
    expect((await choose(`own:${id}`)).body).toMatchObject({ method: `own:${id}`, own: { id } });
    const { findings } = await server.ok<Batch>('GET', `/batches/${batch.id}`);
    expect(findings.filter(({ severity }) => severity === 'stops')).toEqual([]);
    expect(findings.map(({ message }) => message).join('\n')).toContain('its method is "Board file"');
    await server.ended(batch.id, (await server.arm(batch.id)).id);
    const told = await check();
    expect(told).toMatchObject({
      acts: `own:${id}`,
      title: 'Board file',
      findings: [],
      settings: {
        hostName: 'tank-01',
        networks: [{ ssid: 'Saltmarsh Bench', security: 'psk' }],
        // The user's own, and the bench's.
        users: [{ keys: 2 }],
      },
      plan: { changes: [] },
    });
    expect(await boot('card-01')).toMatchObject({ phase: 'online', hostName: 'tank-01', reason: '' });
    await server.search(batch.id, `${network}.0/24`);
    const found = await server.ok<BatchProgress>('GET', `/batches/${batch.id}/progress`);
    expect(found.devices[0]!.seen?.standing).toBe('proved');
    await takeBack('card-01');
  });

  it('cannot be removed while an image takes it; and not be chosen once it is gone, whoever comes first', async () => {
    expect(await server.call<Problem>('DELETE', `/methods/${id}`)).toMatchObject({
      status: 409,
      body: { code: 'method-needed', detail: expect.stringContaining(image.title) as string },
    });
    const other = '3f6f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a11';
    for (let turn = 0; turn < 6; turn++) {
      await choose(null);
      expect((await save(0, sound(), other)).status).toBe(200);
      const [removed, chosen] = await Promise.all([
        server.call<Problem>('DELETE', `/methods/${other}`),
        choose(`own:${other}`),
      ]);
      // One of the two: never an image with a method that is not there.
      expect([
        [204, 404],
        [409, 200],
      ]).toContainEqual([removed.status, chosen.status]);
      await choose(null);
      if (removed.status === 409) await server.call('DELETE', `/methods/${other}`);
    }
    expect((await server.call<Problem>('DELETE', `/methods/${other}`)).body.code).toBe('method-missing');
  });

  it('changed after a round was armed: what was confirmed is written, and the card check says what is otherwise', async () => {
    await choose(`own:${id}`);
    await server.act({ do: 'pull', slotId: 'slot-1' });
    await server.act({ do: 'insert', cardId: 'card-02', slotId: 'slot-1' });
    // Slow enough for the change to come in the middle.
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 1e6 });
    const round = await server.arm(batch.id);
    const now = (await server.ok<ShelvedMethod[]>('GET', '/methods')).find((method) => method.id === id)!;
    const changed = sound();
    changed.files[0]!.entries[5]!.value = 'off';
    expect((await save(now.version, changed)).status).toBe(200);
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
    await server.ended(batch.id, round.id);
    const board = await boot('card-02');
    expect(board.reason).not.toContain('login service is off');
    await takeBack('card-02');
    const told = await check();
    expect(told.findings.map(({ id: finding }) => finding)).toEqual(['own-value-form']);
    expect((await save(now.version + 1)).status).toBe(200);
    expect((await check()).findings).toEqual([]);
  });

  it('a card is compared with its plan value by value, and no secret is told', async () => {
    const plan = await server.ok<Batch>('GET', `/batches/${batch.id}`);
    plan.plan.country = plan.plan.country === 'FO' ? 'DK' : 'FO';
    await server.ok(
      'PUT',
      `/batches/${batch.id}`,
      { plan: plan.plan, secrets: {} },
      { 'If-Match': `"${String(plan.version)}"` },
    );
    const { plan: compared } = await check();
    expect((compared as CardComparison).changes).toEqual(['Otherwise in the plan now: country.']);
  });

  it('a file of the image that is no text is not written over', async () => {
    const wrong = sound();
    wrong.files[0]!.path = 'vmlinuz';
    expect((await tried(wrong)).problem).toBe('');
    wrong.files[0]!.path = 'extlinux/extlinux.conf';
    expect((await tried(wrong)).files[0]!.lines.map(({ text }) => text).join('\n')).toContain(
      'KERNEL ../vmlinuz',
    );
  });

  it('each of this is in the log', async () => {
    const entries = await server.ok<LogEntry[]>('GET', '/log?kind=method');
    expect(entries.some(({ text }) => text.includes('"Board file" was saved'))).toBe(true);
  });
});
