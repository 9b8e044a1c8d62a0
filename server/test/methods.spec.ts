import { execFileSync } from 'node:child_process';
import { closeSync, openSync, readFileSync, writeFileSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import type {
  Batch,
  CardComparison,
  CardFiles,
  FirstBootMethodId,
  Image,
  LogEntry,
  PracticeView,
  Proposal,
  SentBootFiles,
  SlotCheck,
} from '@nest-mark/core';
import { baseImage, TestServer, tankPlan } from './helpers/server';

const network = '127.61.16';
const env = { ...process.env, PATH: `${process.env['PATH'] ?? ''}:/usr/sbin:/sbin`, MTOOLS_SKIP_CHECK: '1' };
let server: TestServer;
let image: Image;
let batch: Batch;

beforeAll(async () => {
  server = await TestServer.start(network);
  image = await server.shelve(baseImage);
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  batch = await server.batch(tankPlan(2, image.id, network));
  await server.tryKeys(batch);
  await server.act({ do: 'insert', cardId: 'card-01', slotId: 'slot-1' });
});
afterAll(() => server.end());

/** A person says how the image takes its settings. */
const choose = (chosenMethod: FirstBootMethodId | null): Promise<Image> =>
  server.ok('PUT', `/images/${image.id}/about`, {
    title: image.title,
    about: { ...image.about, chosenMethod },
  });

async function plan(edit: (plan: Batch['plan']) => void): Promise<Batch['findings']> {
  const now = await server.ok<Batch>('GET', `/batches/${batch.id}`);
  edit(now.plan);
  const saved = await server.ok<Batch>(
    'PUT',
    `/batches/${batch.id}`,
    { plan: now.plan, secrets: {} },
    { 'If-Match': `"${String(now.version)}"` },
  );
  return saved.findings;
}
const preview = (): Promise<CardFiles> =>
  server.ok('POST', `/batches/${batch.id}/devices/${batch.plan.devices[0]!.id}/files`, { reveal: false });
const boot = (): Promise<PracticeView['boards'][number] | null> =>
  server.until(async () => {
    const { boards } = await server.ok<PracticeView>('GET', '/practice');
    const board = boards.find(({ nest }) => nest === 'A1');
    return board && board.phase !== 'starting' && board.phase !== 'off' ? board : null;
  });

/** Writes the card again, seats it, powers its board, and takes the card out again. */
async function writeAndBoot(): Promise<PracticeView['boards'][number] | null> {
  await server.ended(batch.id, (await server.arm(batch.id)).id);
  await server.act({ do: 'pull', slotId: 'slot-1' });
  await server.act({ do: 'seatCard', cardId: 'card-01', nest: 'A1' });
  await server.act({ do: 'power', nest: 'A1', on: true });
  const board = await boot();
  await server.act({ do: 'takeCard', nest: 'A1' });
  return board;
}

describe('an image whose first-boot method a person chose', () => {
  it('is shown with both, and its plan is judged by the chosen one', async () => {
    expect(await choose('marker-files')).toMatchObject({
      method: 'marker-files',
      detected: 'declarative-seed',
      about: { chosenMethod: 'marker-files' },
    });
    const findings = await plan(() => undefined);
    expect(findings.map(({ rule, severity }) => `${rule} ${severity}`)).toEqual(
      expect.arrayContaining(['method-carries warns', 'method-way-in stops', 'method-proof warns']),
    );
    expect((await preview()).files.map(({ path }) => path)).toEqual([
      'ssh',
      'userconf.txt',
      'wpa_supplicant.conf',
      'nest-mark.json',
    ]);
  });

  it('run-once script: written, really run by the practice board, and on the network by its name', async () => {
    await choose('run-once');
    expect(await plan(() => undefined)).toEqual([]);
    const { files, method } = await preview();
    expect(method).toContain('Run-once script');
    expect(
      files
        .find(({ path }) => path === 'extlinux/extlinux.conf')
        ?.lines.map(({ text }) => text)
        .join('\n'),
    ).toContain('systemd.run=/boot/run-once.sh');
    // Only root can make the namespaces in which the script runs; the board says so otherwise.
    const board = await writeAndBoot();
    if (process.getuid?.() === 0) expect(board).toMatchObject({ phase: 'online', hostName: 'tank-01' });
    else expect(board?.reason).toContain('rights of root');
  });

  it('nothing on the card: it is written all the same, and the steps by hand are there', async () => {
    await choose('none');
    const findings = await plan(() => undefined);
    expect(findings.map(({ rule, severity }) => `${rule} ${severity}`)).toEqual(['image-chosen warns']);
    const { files, byHand } = await preview();
    expect(files.map(({ path }) => path)).toEqual(['nest-mark.json']);
    expect(byHand.map(({ way }) => way)).toEqual([
      'By wire',
      'By screen and keyboard',
      'In another board of the same model',
    ]);
    const commands = byHand[0]!.steps.flatMap((step) => step.commands).join('\n');
    expect(commands).toContain('hostnamectl set-hostname tank-01');
    expect(commands).not.toMatch(/tide|[0-9a-f]{64}/);
  });
});

describe('what else goes onto the cards', () => {
  it('reaches the card: boot lines merged into the image’s own file, extra files in their folders', async () => {
    await choose(null);
    expect(
      await plan(({ extras }) => {
        extras.files = [
          { place: 'card', path: 'app/tank settings.txt', content: 'depth=3\n', mode: '0644' },
          { place: 'root', path: '/etc/tank/app.conf', content: 'tide=2\n', mode: '0640' },
        ];
        extras.commands = 'touch /var/lib/tank';
      }),
    ).toEqual([]);
    await server.act({ do: 'insertFresh' });
    await server.ended(batch.id, (await server.arm(batch.id)).id);
    const { slots } = await server.ok<PracticeView>('GET', '/practice');
    const card = slots.find(({ id }) => id === 'slot-1')!.cardId!;
    const disk = ['-i', `${join(server.folder, `practice/cards/${card}.img`)}@@1M`];
    expect(execFileSync('mtype', [...disk, '::app/tank settings.txt'], { env, encoding: 'utf8' })).toBe(
      'depth=3\n',
    );
    expect(execFileSync('mtype', [...disk, '::user-data'], { env, encoding: 'utf8' })).toContain(
      'touch /var/lib/tank',
    );
    // The root begins behind the boot partition of 6 MiB; e2fsprogs judges it.
    const root = join(server.folder, 'root.img');
    const image = join(server.folder, `practice/cards/${card}.img`);
    execFileSync('dd', [`if=${image}`, `of=${root}`, 'bs=1M', 'skip=7', 'count=6', 'status=none']);
    execFileSync('e2fsck', ['-f', '-n', root], { env, stdio: 'pipe' });
    const asked = (request: string): string =>
      execFileSync('debugfs', ['-R', request, root], {
        env,
        encoding: 'utf8',
        stdio: ['ignore', 'pipe', 'pipe'],
      });
    expect(asked('cat /etc/tank/app.conf')).toBe('tide=2\n');
    expect(asked('stat /etc/tank/app.conf')).toMatch(/Mode:\s+0640[^]*User:\s+0/);
    expect(
      (await preview()).files
        .find(({ path }) => path === '/etc/tank/app.conf')
        ?.lines.map(({ text }) => text),
    ).toEqual(['tide=2']);
    // The practice image brings no such file, and the plan says so before anything is written.
    expect((await plan(({ extras }) => (extras.bootLines = 'rotate=1'))).map(({ rule }) => rule)).toEqual([
      'boot-lines',
    ]);
    await plan(({ extras }) => (extras.bootLines = ''));
  });
});

describe('the check of what is not in a slot', () => {
  const raw = (): string => join(server.folder, 'card.img');

  it('reads an image by its path on this machine, and says when it cannot', async () => {
    const { slots } = await server.ok<PracticeView>('GET', '/practice');
    const card = join(
      server.folder,
      `practice/cards/${slots.find(({ id }) => id === 'slot-1')!.cardId!}.img`,
    );
    execFileSync('dd', [`if=${card}`, `of=${raw()}`, 'bs=1M', 'count=120', 'status=none']);
    const check = await server.ok<SlotCheck>('POST', '/checks/path', { path: raw() });
    expect(check).toMatchObject({
      acts: 'declarative-seed',
      settings: { hostName: 'tank-02' },
      plan: { batchName: 'Tank monitors', changes: [] },
    });
    expect(await server.refused('POST', '/checks/path', { path: baseImage })).toMatchObject({
      code: 'image-packed',
    });
    expect(await server.refused('POST', '/checks/path', { path: '/nowhere/card.img' })).toMatchObject({
      code: 'image-unreadable',
    });
    const noise = join(server.folder, 'noise.img');
    writeFileSync(noise, Buffer.alloc(2 << 20, 7));
    expect(await server.refused('POST', '/checks/path', { path: noise })).toMatchObject({
      code: 'image-unreadable',
    });
  });

  it('gives its files with their secrets only when asked, and logs that', async () => {
    const before = (await server.ok<LogEntry[]>('GET', '/log?limit=1'))[0];
    await server.ok<SlotCheck>('POST', '/checks/path', { path: raw() });
    expect((await server.ok<LogEntry[]>('GET', '/log?limit=1'))[0]).toEqual(before);
    const sent = await server.ok<SentBootFiles>('POST', '/checks/path/files', { path: raw() });
    expect(sent.files.map(({ name }) => name)).toEqual(
      expect.arrayContaining(['user-data', 'network-config', 'extlinux/extlinux.conf']),
    );
    expect((await server.ok<LogEntry[]>('GET', '/log?limit=1'))[0]).toMatchObject({
      kind: 'revealed',
      text: expect.stringContaining('card.img') as string,
    });
    const { cards } = await server.ok<Proposal>('GET', `/batches/${batch.id}/next-round`);
    const { identity } = cards.find(({ slotId }) => slotId === 'slot-1')!.medium!;
    expect((await server.ok<SentBootFiles>('POST', '/slots/slot-1/files', { identity })).files).toEqual(
      sent.files,
    );
  });

  it('compares files that the browser read, a single changed octet of a key included', async () => {
    const sent = await server.ok<SentBootFiles>('POST', '/checks/path/files', { path: raw() });
    expect(await server.ok<CardComparison>('POST', '/checks/compare', sent)).toMatchObject({
      batchName: 'Tank monitors',
      changes: [],
    });
    const spoilt = sent.files.map(({ name, content }) => {
      if (name !== 'network-config') return { name, content };
      const text = Buffer.from(content, 'base64').toString();
      return {
        name,
        content: Buffer.from(
          text.replace(/password: (.)/, (_all, digit: string) => `password: ${digit === 'a' ? 'b' : 'a'}`),
        ).toString('base64'),
      };
    });
    expect(
      await server.ok<CardComparison>('POST', '/checks/compare', { ...sent, files: spoilt }),
    ).toMatchObject({ changes: ['The passphrase of a network was changed since.'] });
    const stranger = sent.files.filter(({ name }) => name !== 'nest-mark.json');
    expect(
      await server.ok<CardComparison | null>('POST', '/checks/compare', { ...sent, files: stranger }),
    ).toBeNull();
  });
});

describe('an image with marks of another method', () => {
  /** The practice image with other files on its boot partition. */
  async function variant(
    name: string,
    files: Record<string, string>,
    more: readonly string[] = [],
  ): Promise<Image> {
    const folder = server.folder;
    const path = join(folder, `${name}.img`);
    writeFileSync(path, execFileSync('xz', ['-dc', baseImage], { maxBuffer: 1 << 28 }));
    const part = join(folder, 'part.img');
    writeFileSync(part, readFileSync(path).subarray(1 << 20, 49 << 20));
    execFileSync('mlabel', ['-i', part, '::BOOT'], { env });
    for (const gone of ['user-data', 'meta-data', ...more])
      execFileSync('mdel', ['-i', part, `::${gone}`], { env });
    for (const [file, text] of Object.entries(files)) {
      writeFileSync(join(folder, 'one'), text);
      execFileSync('mcopy', ['-o', '-i', part, join(folder, 'one'), `::${file}`], { env });
    }
    const disk = openSync(path, 'r+');
    writeSync(disk, readFileSync(part), 0, undefined, 1 << 20);
    closeSync(disk);
    return server.shelve(path, '', name);
  }

  it('is detected by them, and without any needs a person to say', async () => {
    expect(
      await variant('template', {
        'network.txt': 'country=US\n#network={\n#  ssid="x"\n#  psk="passphrase"\n#}\n',
      }),
    ).toMatchObject({
      method: 'network-template',
      methodReason: 'network.txt holds networks behind comment signs. Possible too: "Run-once script".',
    });
    expect(await variant('marker', { ssh: '' })).toMatchObject({
      method: 'marker-files',
      methodReason: expect.stringContaining('The boot partition brings the marker file ssh.'),
    });
    const bare = await variant('bare', { 'config.txt': 'a=1\n' }, ['extlinux/extlinux.conf']);
    expect(bare).toMatchObject({ method: 'none', about: { chosenMethod: null } });
    expect(bare.methodReason).toContain('its cloud-init looks for a partition labelled cidata');
    const findings = await plan((now) => (now.imageId = bare.id));
    expect(findings.map(({ rule, severity }) => `${rule} ${severity}`)).toEqual(['image-chosen stops']);
  });
});
