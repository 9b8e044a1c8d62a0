import Ajv2020 from 'ajv/dist/2020';
import {
  boardProfiles,
  type Batch,
  type ImportedPlan,
  type Plan,
  type PlanFile,
  type ShelvedNetwork,
} from '@nest-mark/core';
import { baseImage, TestServer, tankPlan } from './helpers/server';

let here: TestServer;
let there: TestServer;
beforeAll(async () => {
  here = await TestServer.start('127.61.7');
  there = await TestServer.start('127.61.8');
});
afterAll(async () => {
  await here.end();
  await there.end();
});

const passphrase = 'twelve oysters on a plate';

/** A batch with everything that travels: networks, an own board, an image, differing devices, secrets. */
async function fullBatch(server: TestServer): Promise<{ batch: Batch; networks: ShelvedNetwork[] }> {
  const image = await server.shelve(baseImage, '', 'Marsh base');
  const networks = [
    await server.newNetwork({ title: 'Bench' }, 'low tide at seven'),
    await server.newNetwork({ title: 'Hall', ssid: 'Hall' }, 'high tide at noon'),
  ];
  await server.ok(
    'PUT',
    '/boards/own-1',
    { board: { ...boardProfiles[0]!, id: 'own-1', title: 'Our own' } },
    { 'If-Match': '"0"' },
  );
  const plan: Plan = {
    ...tankPlan(3, image.id, '127.61.7'),
    networks: [{ networkId: networks[0]!.id, priority: 5 }],
  };
  plan.devices[0]!.overrides = {
    boardProfileId: 'own-1',
    networks: [{ networkId: networks[1]!.id, priority: 9 }],
  };
  plan.devices[1]!.notes = 'by the door';
  return { batch: await server.batch(plan, { userPassword: 'oysters & tides' }), networks };
}

describe('plan files', () => {
  let file: PlanFile;
  let sealed: PlanFile;
  let batch: Batch;
  beforeAll(async () => {
    ({ batch } = await fullBatch(here));
    file = await here.ok('POST', `/batches/${batch.id}/plan-file`, { passphrase: null });
    sealed = await here.ok('POST', `/batches/${batch.id}/plan-file`, { passphrase });
  });

  it('are valid by their published JSON Schema, as a general validator reads it; damaged ones are not', async () => {
    const schema = await here.ok<object>('GET', '/plan-file.schema.json');
    // RFC 9562 section 4 and RFC 3339 section 5.6.
    const formats = {
      uuid: /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i,
      'date-time': /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?(Z|[+-]\d\d:\d\d)$/,
    };
    const ajv = new Ajv2020({ strict: false, formats });
    const valid = ajv.compile(schema);
    for (const given of [file, sealed]) expect(valid(given) || valid.errors).toBe(true);
    expect(valid({ ...file, plan: { ...file.plan, tray: { rows: 0, columns: 4 } } })).toBe(false);
    expect(valid({ ...file, version: 2 })).toBe(false);
    expect(valid({ ...file, boards: [{ id: 'x' }] })).toBe(false);
  });

  it('carry no secret unless asked, and then none that could be read', () => {
    expect(file.secrets).toBeUndefined();
    for (const secret of ['low tide at seven', 'high tide at noon', 'oysters & tides', passphrase])
      expect(JSON.stringify(sealed)).not.toContain(secret);
    // RFC 7516 section 3.1: five parts; the header names the algorithms of RFC 7518.
    const [header = ''] = sealed.secrets?.split('.') ?? [];
    expect(sealed.secrets?.split('.')).toHaveLength(5);
    expect(JSON.parse(Buffer.from(header, 'base64url').toString())).toMatchObject({
      alg: 'PBES2-HS512+A256KW',
      enc: 'A256GCM',
    });
  });

  it('become a batch elsewhere with networks, boards and secrets; what does not come along is said', async () => {
    const taken = await there.ok<ImportedPlan>('POST', '/plan-files', {
      file: JSON.stringify(sealed),
      passphrase,
    });
    expect(taken.remarks).toEqual(['The image "Marsh base" is not on the shelf here; choose one.']);
    const opened = await there.ok<Batch>('GET', `/batches/${taken.id}`);
    expect(opened.plan.devices.map(({ hostName, mark, notes }) => [hostName, mark, notes])).toEqual(
      batch.plan.devices.map(({ hostName, mark, notes }) => [hostName, mark, notes]),
    );
    expect(opened.plan.imageId).toBeNull();
    expect(opened.password.state).toBe('kept');
    const shelf = await there.ok<ShelvedNetwork[]>('GET', '/networks');
    const [main] = opened.plan.networks;
    const own = opened.plan.devices[0]?.overrides.networks?.[0];
    const secret = async (id: string | undefined): Promise<string | null> =>
      (await there.ok<{ value: string | null }>('POST', `/networks/${id ?? ''}/reveal`)).value;
    expect(shelf.find(({ id }) => id === main?.networkId)?.title).toBe('Bench');
    expect(await secret(main?.networkId)).toBe('low tide at seven');
    expect(await secret(own?.networkId)).toBe('high tide at noon');
    expect(opened.plan.devices[0]?.overrides.boardProfileId).toBe('own-1');
    expect(opened.findings.some(({ rule }) => rule === 'board-known')).toBe(false);
  });

  it('taken a second time use the networks that are there, and draw new marks', async () => {
    const before = (await there.ok<ShelvedNetwork[]>('GET', '/networks')).length;
    const taken = await there.ok<ImportedPlan>('POST', '/plan-files', {
      file: JSON.stringify(file),
      passphrase: null,
    });
    expect(taken.remarks).toContain(
      '3 devices got new marks: theirs are in use here. Print new labels for them.',
    );
    expect(await there.ok<ShelvedNetwork[]>('GET', '/networks')).toHaveLength(before);
    const marks = new Set(batch.plan.devices.map(({ mark }) => mark));
    expect(taken.plan.devices.some(({ mark }) => marks.has(mark))).toBe(false);
  });

  it('without their passphrase come without secrets, and say which to type', async () => {
    const other = {
      ...sealed,
      networks: sealed.networks.map((network) => ({ ...network, ssid: `${network.ssid} 2` })),
    };
    const taken = await there.ok<ImportedPlan>('POST', '/plan-files', {
      file: JSON.stringify(other),
      passphrase: null,
    });
    expect(taken.remarks).toContain('Type the passphrase of "Bench": it did not come along.');
  });

  it.each([
    ['a wrong passphrase', () => ({ file: JSON.stringify(sealed), passphrase: 'wrong' }), 'plan-passphrase'],
    [
      'a changed octet in the encrypted part',
      () => ({
        file: JSON.stringify({
          ...sealed,
          // Another one in any case: what is drawn may be an A already.
          secrets: sealed.secrets?.replace(/\.[^.]/, (first) => (first === '.A' ? '.B' : '.A')),
        }),
        passphrase,
      }),
      'plan-passphrase',
    ],
    ['no plan file', () => ({ file: 'Dear all,', passphrase: null }), 'plan-file'],
    [
      'a newer version',
      () => ({ file: JSON.stringify({ ...file, version: 9 }), passphrase: null }),
      'plan-file',
    ],
  ])('%s: a sentence, and nothing is taken over', async (_name, body, code) => {
    const before = await there.ok<unknown[]>('GET', '/batches');
    const problem = await there.refused('POST', '/plan-files', body());
    expect(problem).toMatchObject({ status: 422, code });
    expect(await there.ok<unknown[]>('GET', '/batches')).toHaveLength(before.length);
  });

  it('are not made with secrets under a passphrase that is short', async () => {
    const problem = await here.refused('POST', `/batches/${batch.id}/plan-file`, { passphrase: 'short' });
    expect(problem.detail).toContain('12 characters');
  });
});
