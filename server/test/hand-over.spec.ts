import { execFileSync } from 'node:child_process';
import {
  chmodSync,
  lstatSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  symlinkSync,
  truncateSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  shippedLabelSizes,
  type Batch,
  type HandOverView,
  type KnownHostsChange,
  type LabelsWanted,
  type LogEntry,
  type Paper,
  type SavedLabelSize,
} from '@nest-mark/core';
import { generateIdentity, identityToRecipient } from 'age-encryption';
import { Boards } from './helpers/boards';
import { TestServer, tankPlan } from './helpers/server';

/** Devices are handed over: their files, credentials and labels leave, and who took them is kept. */

const network = '127.61.85';
const port = 2222;
let server: TestServer;
let boards: Boards;
let batch: Batch;
let folder = '';

const ids = (): string[] => batch.plan.devices.map(({ id }) => id);
const view = (): Promise<HandOverView> => server.ok('GET', `/batches/${batch.id}/hand-over`);
const logged = async (): Promise<string[]> =>
  (await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}&limit=200`)).map(({ text }) => text);
const at = (path: string): string => `/batches/${batch.id}${path}`;
const run = (command: string, args: readonly string[], input?: string): string =>
  execFileSync(command, args, { encoding: 'utf8', input, stdio: ['pipe', 'pipe', 'pipe'] });

/** An answer as it was sent, octet for octet. */
async function octets(path: string, body: unknown): Promise<Buffer> {
  const response = await fetch(`${server.url}/api${path}`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json', 'X-Nest-Mark': '1' },
    body: JSON.stringify(body),
  });
  if (!response.ok) throw new Error(await response.text());
  return Buffer.from(await response.arrayBuffer());
}

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-test-'));
  server = await TestServer.start(network);
  boards = new Boards(server, port);
  const plan = tankPlan(3, null, network);
  batch = await server.batch({
    ...plan,
    bringUp: { ...plan.bringUp, wanted: false, benchKey: false },
    access: { ...plan.access, passwordLogin: true, passwordScope: 'each' },
  });
  for (const index of [0, 1])
    await boards.at(`${network}.${String(20 + index)}`, await boards.keyOf(batch, index));
  await server.ok('POST', at('/powered'), { deviceIds: ids() });
  await server.search(batch.id, `${network}.0/27`, port);
});
afterAll(async () => {
  boards.close();
  await server.end();
  rmSync(folder, { recursive: true, force: true });
});

describe('files for other tools', () => {
  it('are all handed out, with what was proved and no more, and the log says who asked', async () => {
    for (const file of [
      'hosts',
      'zone',
      'inventory.yml',
      'inventory.ini',
      'dnsmasq.conf',
      'dhcpd.conf',
      'kea.json',
    ]) {
      const text = await server.ok<string>('GET', at(`/hand-over/${file}`));
      expect(text).toContain(batch.plan.devices[2]!.hostName);
      expect(text).toMatch(/left out: tank-03.*since it was not proved anywhere/);
    }
    const targets = await server.ok<unknown>('GET', at('/hand-over/targets.json?port=9123'));
    expect(JSON.stringify(targets)).toContain(`${network}.20:9123`);
    expect(await server.ok<string>('GET', at('/hand-over/bookmarks.xbel'))).toContain(
      `href="ssh://keeper@${network}.20:${String(port)}"`,
    );
    const columns = await server.ok<string>('GET', at('/hand-over/batch.csv?columns=mark,hostKey'));
    expect(columns.split('\r\n')[0]).toBe('mark,host key');
    const config = await server.ok<string>('GET', at('/hand-over/ssh_config?jump=gate%40hub.example'));
    expect(config).toContain('ProxyJump gate@hub.example');
    const hashed = await server.ok<string>('GET', at('/hand-over/known_hosts?hashed=yes'));
    expect(hashed).not.toContain('tank');
    expect((await logged()).filter((text) => /was handed out; asked for by \S/.test(text))).toHaveLength(12);
  });

  it('are refused with words that are no setting', async () => {
    for (const query of ['ssh_config?jump=a%0AHost%20*', 'batch.csv?columns=secret', 'targets.json?port=0'])
      expect((await server.refused('GET', at(`/hand-over/${query}`))).code).toBe('invalid');
  });
});

describe('merging into somebody’s known_hosts', () => {
  const foreign =
    'forge.example ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA mine\n# caf\xe9\n';
  const look = (path: string, hashed = false): Promise<KnownHostsChange> =>
    server.ok('POST', at('/hand-over/known-hosts/look'), { path, hashed });
  const merge = (path: string, digest: string | null, hashed = false): Promise<{ backup: string | null }> =>
    server.ok('POST', at('/hand-over/known-hosts/merge'), { path, hashed, digest });

  it('shows first what would change; then keeps the file beside it, its mode, and every other line to the octet', async () => {
    const path = join(folder, 'known_hosts');
    writeFileSync(path, foreign, 'latin1');
    chmodSync(path, 0o640);
    const change = await look(path);
    expect(change).toMatchObject({ path, removed: [], kept: 2 });
    expect(change.added.map(({ mark }) => mark)).toEqual(batch.plan.devices.map(({ mark }) => mark));
    expect(readFileSync(path, 'latin1')).toBe(foreign);
    const { backup } = await merge(path, change.digest);
    expect(readFileSync(backup!, 'latin1')).toBe(foreign);
    const now = readFileSync(path, 'latin1');
    expect(now.startsWith(foreign)).toBe(true);
    expect(statSync(path).mode & 0o777).toBe(0o640);
    for (const { hostName } of batch.plan.devices)
      expect(run('ssh-keygen', ['-F', hostName, '-f', path])).toContain(hostName);
    expect(run('ssh-keygen', ['-F', `[${network}.20]:2222`, '-f', path])).toContain('tank-01');
    // Once more changes nothing, and keeps nothing beside it.
    const again = await look(path);
    expect(again).toMatchObject({ added: [], removed: [] });
    expect(await merge(path, again.digest)).toMatchObject({ backup: null });
    expect(readdirSync(folder).filter((name) => name.endsWith('.part'))).toEqual([]);
  });

  it('makes a file that is not there, only for its owner', async () => {
    mkdirSync(join(folder, 'home'));
    const path = join(folder, 'home', '.ssh', 'known_hosts');
    const change = await look(path, true);
    expect(change.digest).toBeNull();
    await merge(path, null, true);
    expect(statSync(path).mode & 0o777).toBe(0o600);
    expect(statSync(join(folder, 'home', '.ssh')).mode & 0o777).toBe(0o700);
    expect(run('ssh-keygen', ['-F', 'tank-01', '-f', path])).toContain('ssh-ed25519');
  });

  it('follows a link and leaves it one', async () => {
    const [real, link] = [join(folder, 'known_hosts.real'), join(folder, 'known_hosts.link')];
    writeFileSync(real, foreign, 'latin1');
    symlinkSync(real, link);
    const change = await look(link);
    expect(change.path).toBe(real);
    await merge(link, change.digest);
    expect(lstatSync(link).isSymbolicLink()).toBe(true);
    expect(readFileSync(real, 'latin1')).toContain('tank-01');
  });

  it('refuses a file that has changed since it was looked at; of two at once no line is lost', async () => {
    const path = join(folder, 'known_hosts.busy');
    writeFileSync(path, foreign, 'latin1');
    const { digest } = await look(path);
    writeFileSync(path, `${foreign}a client’s own line\n`);
    const changed = readFileSync(path);
    expect(
      (await server.refused('POST', at('/hand-over/known-hosts/merge'), { path, hashed: false, digest }))
        .code,
    ).toBe('known-hosts-changed');
    expect(readFileSync(path).equals(changed)).toBe(true);
    const fresh = await look(path);
    const results = await Promise.all(
      [1, 2, 3].map(() =>
        server.call('POST', at('/hand-over/known-hosts/merge'), {
          path,
          hashed: false,
          digest: fresh.digest,
        }),
      ),
    );
    expect(results.map(({ status }) => status).sort()).toEqual([200, 409, 409]);
    expect(readFileSync(path).subarray(0, changed.length).equals(changed)).toBe(true);
    expect(readFileSync(path, 'latin1').match(/^tank-/gm)).toHaveLength(3);
  });

  it('refuses what is no such file, with what to do', async () => {
    const refusal = async (path: string): Promise<string> =>
      (await server.refused('POST', at('/hand-over/known-hosts/look'), { path, hashed: false })).detail;
    expect(await refusal('known_hosts')).toContain('is not a whole path');
    expect(await refusal(join(folder, '.bashrc'))).toContain('not called known_hosts');
    expect(await refusal(join(folder, 'nowhere', 'known_hosts'))).toContain('is not there');
    mkdirSync(join(folder, 'known_hosts.d'));
    expect(await refusal(join(folder, 'known_hosts.d'))).toContain('no plain file');
    const large = join(folder, 'known_hosts.large');
    writeFileSync(large, '');
    truncateSync(large, (16 << 20) + 1);
    expect(await refusal(large)).toContain('larger than 16 MiB');
    run('mkfifo', [join(folder, 'known_hosts.pipe')]);
    expect(await refusal(join(folder, 'known_hosts.pipe'))).toContain('no plain file');
  });
});

describe('labels', () => {
  const wanted = (more: Partial<LabelsWanted> = {}): LabelsWanted => ({
    size: shippedLabelSizes[0]!,
    firstFree: 1,
    what: ['board'],
    code: 'mark',
    origin: null,
    deviceIds: null,
    ...more,
  });

  it('are shown as they will be printed, and come as a PDF with the same', async () => {
    const paper = await server.ok<Paper>(
      'POST',
      at('/hand-over/labels'),
      wanted({ what: ['board', 'card'] }),
    );
    expect(paper.pages).toHaveLength(1);
    const path = join(folder, 'labels.pdf');
    writeFileSync(path, await octets(at('/hand-over/labels.pdf'), wanted({ what: ['board', 'card'] })));
    const text = run('pdftotext', ['-layout', path, '-']);
    for (const { mark } of batch.plan.devices) expect(text).toContain(mark);
    const few = await server.ok<Paper>('POST', at('/hand-over/labels'), wanted({ deviceIds: [ids()[1]!] }));
    expect(JSON.stringify(few)).not.toContain(batch.plan.devices[0]!.mark);
  });

  it('have sizes that are saved under their title, once each', async () => {
    const size = { ...shippedLabelSizes[1]!, title: 'Our sheet' };
    const saved = await Promise.all(
      [1, 2, 3].map(() => server.ok<SavedLabelSize>('POST', '/label-sizes', size)),
    );
    expect(new Set(saved.map(({ id }) => id)).size).toBe(1);
    await server.ok('POST', '/label-sizes', { ...size, title: 'our SHEET', rows: 2 });
    const { labelSizes } = await view();
    expect(labelSizes).toMatchObject([{ size: { title: 'our SHEET', rows: 2 } }]);
    await server.ok('DELETE', `/label-sizes/${labelSizes[0]!.id}`);
    expect((await server.refused('DELETE', `/label-sizes/${labelSizes[0]!.id}`)).code).toBe(
      'label-size-missing',
    );
  });

  it('are refused in a size that holds nothing', async () => {
    const size = { ...shippedLabelSizes[0]!, label: { width: 2, height: 2 } };
    expect((await server.refused('POST', at('/hand-over/labels'), wanted({ size }))).code).toBe('label-size');
  });
});

describe('credentials', () => {
  const passwords = (): Promise<string[]> =>
    Promise.all(
      ids().map(
        async (deviceId) =>
          (await server.ok<{ value: string }>('POST', at('/reveal'), { kind: 'userPassword', deviceId }))
            .value,
      ),
    );
  const all = { deviceIds: null };

  it('leave on slips and in a table, each told in the log and none of it said there', async () => {
    const secrets = await passwords();
    const path = join(folder, 'slips.pdf');
    writeFileSync(path, await octets(at('/hand-over/credentials'), { form: 'slips', ...all }));
    const text = run('pdftotext', ['-layout', path, '-']);
    const table = (await octets(at('/hand-over/credentials'), { form: 'table', ...all })).toString();
    for (const secret of secrets) {
      expect(text).toContain(secret);
      expect(table).toContain(secret);
    }
    const log = await logged();
    expect(
      log.filter((line) => /left the bench on a slip of paper; asked for by \S/.test(line)),
    ).toHaveLength(3);
    for (const secret of secrets) expect(log.join()).not.toContain(secret);
  });

  it('leave sealed for keys of age and of SSH, which Debian’s age opens; under a passphrase too', async () => {
    const secrets = await passwords();
    const identity = await generateIdentity();
    writeFileSync(join(folder, 'age-key'), `${identity}\n`);
    for (const type of ['ed25519', 'rsa'])
      run('ssh-keygen', ['-q', '-t', type, '-N', '', '-f', join(folder, `id_${type}`)]);
    const recipients = [
      '# the keepers',
      await identityToRecipient(identity),
      readFileSync(join(folder, 'id_ed25519.pub'), 'utf8').trim(),
      readFileSync(join(folder, 'id_rsa.pub'), 'utf8').trim(),
    ].join('\n');
    const file = join(folder, 'sealed.age');
    writeFileSync(
      file,
      await octets(at('/hand-over/credentials'), { form: 'sealed', ...all, recipients, passphrase: '' }),
    );
    for (const key of ['age-key', 'id_ed25519', 'id_rsa']) {
      const opened = run('age', ['-d', '-i', join(folder, key), file]);
      for (const secret of secrets) expect(opened).toContain(secret);
    }
    const passphrase = 'low tide at seven';
    const under = join(folder, 'under.age');
    writeFileSync(
      under,
      await octets(at('/hand-over/credentials'), { form: 'sealed', ...all, recipients: '', passphrase }),
    );
    const out = join(folder, 'opened');
    // It asks on a terminal only, so it gets one.
    run('script', ['-qec', `age -d -o ${out} ${under}`, '/dev/null'], `${passphrase}\n`);
    expect(readFileSync(out, 'utf8')).toContain(secrets[0]);
  });

  it('are not sealed for what is no public key, and never for a private one', async () => {
    const refusal = async (recipients: string, passphrase = ''): Promise<string> =>
      (
        await server.refused('POST', at('/hand-over/credentials'), {
          form: 'sealed',
          ...all,
          recipients,
          passphrase,
        })
      ).detail;
    expect(await refusal('hello')).toContain('Line 1 is no public key');
    expect(await refusal('age1qqqq')).toContain('no whole public key of age');
    expect(await refusal(await generateIdentity())).toContain('private key. Never give that away');
    expect(await refusal('', 'short')).toContain('neither a public key nor a passphrase');
    const ecdsa = join(folder, 'id_ecdsa');
    run('ssh-keygen', ['-q', '-t', 'ecdsa', '-N', '', '-f', ecdsa]);
    expect(await refusal(readFileSync(`${ecdsa}.pub`, 'utf8'))).toContain('cannot open such files');
    expect((await logged()).filter((line) => line.includes('in a sealed file'))).toHaveLength(6);
  });
});

describe('taking over', () => {
  const take = (deviceIds: string[], by: string, forget = false): Promise<unknown> =>
    server.ok('POST', at('/taken-over'), { deviceIds, by, forget });
  const lines = async (word: string): Promise<number> =>
    (await logged()).filter((line) => line.includes(word)).length;

  it('is refused for a device that was not proved, and then nobody is noted', async () => {
    const refused = await server.refused('POST', at('/taken-over'), {
      deviceIds: ids(),
      by: 'Mara',
      forget: false,
    });
    expect(refused).toMatchObject({
      code: 'not-handed-over',
      detail: expect.stringContaining('tank-03') as string,
    });
    expect((await view()).devices.every(({ takenOver }) => takenOver === null)).toBe(true);
  });

  it('notes by whom and when, once; a slip of the pen is put right, and both stand in the log', async () => {
    await Promise.all([1, 2, 3].map(() => take([ids()[0]!], 'Mara Lindqvist')));
    expect(await lines('was taken over by Mara Lindqvist')).toBe(1);
    await take([ids()[0]!], 'Mara Lindquist');
    expect((await view()).devices[0]!.takenOver).toMatchObject({ by: 'Mara Lindquist' });
    expect(await lines('was taken over by')).toBe(2);
    const { devices } = await server.ok<{ devices: { handedOverAt: number | null }[] }>(
      'GET',
      at('/progress'),
    );
    expect(devices[0]!.handedOverAt).not.toBeNull();
  });

  it('forgets nothing where the log cannot be written: all of it or none', async () => {
    await server.knex.raw(`
      create function no_more() returns trigger language plpgsql as $$ begin
        if new.kind = 'forgotten' then raise exception 'no'; end if; return new; end $$;
      create trigger no_more before insert on log_entry for each row execute function no_more();`);
    const { status } = await server.call('POST', at('/taken-over'), {
      deviceIds: [ids()[1]],
      by: 'Jon',
      forget: true,
    });
    expect(status).toBe(500);
    expect((await view()).devices[1]).toMatchObject({
      takenOver: null,
      secretsForgottenAt: null,
      hasPassword: true,
    });
    expect(await server.knex('secret').where({ owner_id: ids()[1] })).toHaveLength(2);
    await server.knex.raw('drop trigger no_more on log_entry; drop function no_more()');
  });

  it('forgets nothing of a device that something is being done with', async () => {
    const id = '00000000-0000-4000-8000-00000000b0b0';
    await server
      .knex('run')
      .insert({ id, kind: 'round', station: 'other', batch_id: batch.id, state: 'queued', begun_by: 'x' });
    await server.knex('run_item').insert({
      run_id: id,
      subject: 's',
      position: 0,
      kind: 'round',
      station: 'other',
      device_id: ids()[0],
      state: 'queued',
    });
    const refused = await server.refused('POST', at('/taken-over'), {
      deviceIds: [ids()[0]],
      by: 'Jon',
      forget: true,
    });
    expect(refused).toMatchObject({
      code: 'device-at-work',
      detail: expect.stringContaining('tank-01') as string,
    });
    expect(await server.knex('secret').where({ owner_id: ids()[0] })).toHaveLength(2);
    await server.knex('run').where({ id }).delete();
  });

  it('forgets for good what lets the bench in, keeps the public half, and says later why something cannot be done', async () => {
    const before = await server.ok<string>('GET', at('/hand-over/known_hosts'));
    await Promise.all([1, 2].map(() => take([ids()[0]!], 'Mara Lindquist', true)));
    expect(await lines('The bench forgot the private half of tank-01')).toBe(1);
    expect(await server.knex('secret').where({ owner_id: ids()[0] })).toHaveLength(0);
    expect(await server.ok<string>('GET', at('/hand-over/known_hosts'))).toBe(before);
    // Saving the plan makes nothing anew.
    const now = await server.ok<Batch>('GET', `/batches/${batch.id}`);
    await server.ok(
      'PUT',
      `/batches/${batch.id}`,
      { plan: { ...now.plan, site: 'Marsh' }, secrets: {} },
      { 'If-Match': `"${String(now.version)}"` },
    );
    expect(await server.knex('secret').where({ owner_id: ids()[0] })).toHaveLength(0);
    expect((await view()).devices[0]).toMatchObject({ hasPassword: false });
    const refused = await server.refused('POST', at('/reveal'), { kind: 'userPassword', deviceId: ids()[0] });
    expect(refused.detail).toContain('forgot the password of this device when it was taken over');
    expect(
      (await server.refused('POST', at('/hand-over/credentials'), { form: 'table', deviceIds: [ids()[0]] }))
        .code,
    ).toBe('no-credentials');
  });
});

describe('a retired device', () => {
  it('keeps the reason, and its secrets are destroyed when that is asked, once; one of the plan is refused', async () => {
    const [, second] = ids();
    const path = at(`/devices/${second!}/retirement`);
    expect((await server.refused('POST', path, { reason: 'x', forget: true })).code).toBe('not-retired');
    expect(await server.knex('secret').where({ owner_id: second })).toHaveLength(2);
    const now = await server.ok<Batch>('GET', `/batches/${batch.id}`);
    const save = (version: number, devices: Batch['plan']['devices']): Promise<Batch> =>
      server.ok(
        'PUT',
        `/batches/${batch.id}`,
        { plan: { ...now.plan, devices }, secrets: {} },
        { 'If-Match': `"${String(version)}"` },
      );
    const without = await save(
      now.version,
      now.plan.devices.filter(({ id }) => id !== second),
    );
    await server.ok('POST', path, { reason: 'The connector broke off', forget: false });
    expect(await server.knex('secret').where({ owner_id: second })).toHaveLength(2);
    await Promise.all([1, 2, 3].map(() => server.ok('POST', path, { reason: '', forget: true })));
    expect(await server.knex('secret').where({ owner_id: second })).toHaveLength(0);
    const lines = await logged();
    expect(lines.filter((line) => line.includes('destroyed the private half of tank-02'))).toHaveLength(1);
    expect(lines.some((line) => line.includes('was retired: The connector broke off. Noted by'))).toBe(true);
    // It may come back, and its card is not written any more: no new secrets are made for its old label.
    await save(without.version, now.plan.devices);
    expect(await server.knex('secret').where({ owner_id: second })).toHaveLength(0);
    const refused = await server.refused('POST', at('/reveal'), { kind: 'userPassword', deviceId: second });
    expect(refused.detail).toContain('forgot the password');
  });
});
