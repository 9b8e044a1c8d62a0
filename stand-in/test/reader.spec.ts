import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Lab } from '../src/index';

let folder = '';
let lab: Lab;

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-reader-'));
  lab = await Lab.open(folder, '127.61.2');
  await lab.act({ do: 'insertFresh' });
});
afterEach(async () => {
  await lab.close();
  rmSync(folder, { recursive: true, force: true });
});

const first = async () => {
  const [slot] = await lab.reader.list();
  return { id: slot!.id, identity: slot!.medium!.identity };
};

it('a card that is pulled while it is being opened is not opened', async () => {
  const { id, identity } = await first();
  const opening = lab.reader.open(id, identity);
  const told = expect(opening).rejects.toMatchObject({ code: 'pulled' });
  await lab.act({ do: 'pull', slotId: id });
  await told;
});

it('two that open a card at the same moment: one gets it', async () => {
  const { id, identity } = await first();
  const both = await Promise.allSettled([lab.reader.open(id, identity), lab.reader.open(id, identity)]);
  expect(both.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected']);
  expect(both.find(({ status }) => status === 'rejected')).toMatchObject({ reason: { code: 'busy' } });
  for (const one of both) if (one.status === 'fulfilled') await one.value.close();
});
