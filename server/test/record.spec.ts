import { execFileSync, spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Batch } from '@nest-mark/core';
import { Boards } from './helpers/boards';
import { TestServer, tankPlan } from './helpers/server';

/** The record of a batch: what stands in it, and that it can be checked without this program. */

const network = '127.61.86';
let server: TestServer;
let boards: Boards;
let batch: Batch;
let folder = '';

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-test-'));
  server = await TestServer.start(network);
  boards = new Boards(server, 2222);
  const plan = tankPlan(3, null, network);
  plan.devices[1]!.role = '<script>alert(1)</script>';
  plan.devices[2]!.notes = 'Beds 3 & 4, "north"';
  batch = await server.batch({ ...plan, bringUp: { ...plan.bringUp, wanted: false, benchKey: false } });
  await boards.at(`${network}.20`, await boards.keyOf(batch, 0));
  await server.search(batch.id, `${network}.0/27`, 2222);
  await server.ok('POST', `/batches/${batch.id}/taken-over`, {
    deviceIds: [batch.plan.devices[0]!.id],
    by: 'Mara',
    forget: false,
  });
});
afterAll(async () => {
  boards.close();
  await server.end();
  rmSync(folder, { recursive: true, force: true });
});

/** Fetches an archive and unpacks it by Info-ZIP. */
async function unpacked(path: string, into: string): Promise<string> {
  const response = await fetch(`${server.url}/api${path}`, { headers: { 'X-Nest-Mark': '1' } });
  if (!response.ok) throw new Error(await response.text());
  const place = join(folder, into);
  writeFileSync(`${place}.zip`, Buffer.from(await response.arrayBuffer()));
  execFileSync('unzip', ['-q', `${place}.zip`, '-d', place]);
  return place;
}

/** Elements of a page, and the text of each table or of all of it, by Python's own parser of HTML. */
function read(html: string): { elements: string[]; text: string; tables: string[] } {
  const program = `import html.parser,json,sys
class P(html.parser.HTMLParser):
    def __init__(self):
        super().__init__(); self.elements=[]; self.text=''; self.tables=[]; self.skip=False
    def handle_starttag(self, tag, attrs):
        self.elements.append(tag); self.skip = tag == 'style'
        if tag == 'table': self.tables.append('')
    def handle_data(self, data):
        if self.skip: return
        self.text += data
        if self.tables: self.tables[-1] += data + ' '
p = P(); p.feed(sys.stdin.read()); print(json.dumps({'elements': p.elements, 'text': p.text, 'tables': p.tables}))`;
  return JSON.parse(
    execFileSync('python3', ['-c', program], { input: html, encoding: 'utf8' }),
  ) as ReturnType<typeof read>;
}

const verify = (place: string, file: string, octets: Buffer): number | null =>
  spawnSync(
    'ssh-keygen',
    [
      '-Y',
      'verify',
      '-f',
      'allowed_signers',
      '-I',
      'nest-mark',
      '-n',
      'nest-mark-record',
      '-s',
      `${file}.sig`,
    ],
    {
      cwd: place,
      input: octets,
    },
  ).status;

describe('the record', () => {
  it('says what was planned, seen and handed over, and who did what; names are text and never markup', async () => {
    const place = await unpacked(`/batches/${batch.id}/record`, 'whole');
    const html = readFileSync(join(place, 'record.html'), 'utf8');
    const { elements, text } = read(html);
    for (const element of ['script', 'img', 'link', 'iframe', 'object'])
      expect(elements).not.toContain(element);
    for (const { mark, hostName, nest } of batch.plan.devices)
      for (const word of [mark, hostName, nest]) expect(text).toContain(word);
    expect(text).toContain('<script>alert(1)</script>');
    expect(text).toContain('Beds 3 & 4, "north"');
    expect(text).toContain('its key signed');
    expect(text).toContain('was taken over by Mara');
    const paper = execFileSync('pdftotext', ['-layout', join(place, 'record.pdf'), '-'], {
      encoding: 'utf8',
    });
    for (const { mark, hostName } of batch.plan.devices)
      for (const word of [mark, hostName]) expect(paper).toContain(word);
    expect(paper).toMatch(/page 1 of \d/);
  });

  it('is signed so that OpenSSH checks it, and a changed octet is noticed', async () => {
    const place = await unpacked(`/batches/${batch.id}/record`, 'signed');
    for (const file of ['record.html', 'record.pdf']) {
      const octets = readFileSync(join(place, file));
      expect(verify(place, file, octets)).toBe(0);
      octets[octets.length >> 1]! ^= 1;
      expect(verify(place, file, octets)).not.toBe(0);
    }
    const { fingerprint } = await server.ok<{ fingerprint: string }>('GET', '/installation-key');
    expect(readFileSync(join(place, 'HOW-TO-CHECK.txt'), 'utf8')).toContain(fingerprint);
    const signer = join(folder, 'signer.pub');
    writeFileSync(
      signer,
      readFileSync(join(place, 'allowed_signers'), 'utf8').replace(/^.*(ssh-ed25519)/, '$1'),
    );
    expect(execFileSync('ssh-keygen', ['-lf', signer], { encoding: 'utf8' })).toContain(fingerprint);
  });

  it('of several that ask at once all are signed by one key, also after a start', async () => {
    const keys = await Promise.all(
      [1, 2, 3].map(() => server.ok<{ fingerprint: string }>('GET', '/installation-key')),
    );
    await server.restart();
    keys.push(await server.ok('GET', '/installation-key'));
    expect(new Set(keys.map(({ fingerprint }) => fingerprint)).size).toBe(1);
  });

  it('of one device has that one and no other', async () => {
    const [device, other] = batch.plan.devices;
    const place = await unpacked(`/batches/${batch.id}/record?deviceId=${device!.id}`, 'one');
    const html = readFileSync(join(place, 'record.html'), 'utf8');
    expect(html).toContain(device!.mark);
    expect(html).not.toContain(other!.mark);
    expect(
      (
        await server.refused(
          'GET',
          `/batches/${batch.id}/record?deviceId=00000000-0000-4000-8000-000000000000`,
        )
      ).code,
    ).toBe('device-missing');
  });

  it('holds no secret', async () => {
    const place = await unpacked(`/batches/${batch.id}/record`, 'secrets');
    const html = readFileSync(join(place, 'record.html'), 'utf8');
    for (const { id } of batch.plan.devices)
      for (const kind of ['hostKeySeed', 'userPassword'])
        expect(html).not.toContain((await server.domains.networks.vault.get(id, kind))!);
  });

  it('has its page alone where the shipped type lacks letters, and says so', async () => {
    const plan = tankPlan(1, null, network);
    plan.devices[0]!.role = '水槽';
    const other = await server.batch(plan);
    const place = await unpacked(`/batches/${other.id}/record`, 'letters');
    expect(readFileSync(join(place, 'record.html'), 'utf8')).toContain('水槽');
    expect(() => readFileSync(join(place, 'record.pdf'))).toThrow();
    expect(readFileSync(join(place, 'HOW-TO-CHECK.txt'), 'utf8')).toContain('record.pdf is not here');
  });

  it('of two batches is set side by side, what differs first', async () => {
    const other = await server.batch({ ...tankPlan(2, null, network), name: 'Gates', country: 'FR' });
    const html = await server.ok<string>('GET', `/batches/${batch.id}/compared/${other.id}`);
    const [differs, same] = read(html).tables;
    expect(differs).toMatch(/Country\s+DK\s+FR/);
    expect(same).toContain('Time zone');
    expect(
      (await server.refused('GET', `/batches/${batch.id}/compared/00000000-0000-4000-8000-000000000000`))
        .code,
    ).toBe('batch-missing');
  });
});
