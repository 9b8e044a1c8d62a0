import { mkdtemp, readdir, readFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { readInside } from '../src/board/read-inside';
import { freshRoot, KeptRoot, noSandbox, removeRoot, startInside } from '../src/board/sandbox';

const whenSandbox = noSandbox() === null ? describe : describe.skip;

/** Programs of this computer that name a root, as proc(5) tells them. */
async function programsIn(root: string): Promise<string[]> {
  const ids = (await readdir('/proc')).filter((name) => /^\d+$/.test(name));
  const lines = await Promise.all(ids.map((id) => readFile(`/proc/${id}/cmdline`, 'latin1').catch(() => '')));
  return lines.filter((line) => line.includes(root));
}

whenSandbox('a root that is kept', () => {
  let root: string;
  beforeEach(async () => {
    root = await mkdtemp(join(tmpdir(), 'nest-mark-kept-'));
    await freshRoot(root, '/boot', []);
  });
  afterEach(() => removeRoot(root));

  it('answers many who read at once, each with what was asked for', async () => {
    const kept = await KeptRoot.open(root);
    const asked = ['/etc/hostname', '/etc/shadow', '/etc/nothing', '/etc/hosts', 'two\nlines', ''];
    const answers = await Promise.all([...asked, ...asked].map((path) => readInside(kept, [path])));
    expect(answers.map((files) => files.map(({ path, mode }) => `${path} ${mode.toString(8)}`))).toEqual(
      [0, 1].flatMap(() => [['/etc/hostname 644'], ['/etc/shadow 640'], [], ['/etc/hosts 644'], [], []]),
    );
    expect(await readInside(kept, asked)).toHaveLength(3);
    await kept.close();
  });

  it('leaves no program behind when it is closed while many read', async () => {
    for (let rest = 0; rest < 10; rest++) {
      const kept = await KeptRoot.open(root);
      const reads = Array.from({ length: 10 }, () => readInside(kept, ['/etc/hostname']));
      await Promise.all(reads.slice(0, rest));
      await Promise.all([...reads, kept.close()]);
      expect(await readInside(kept, ['/etc/hostname'])).toEqual([]);
      expect(await programsIn(root)).toEqual([]);
    }
  });

  it('ends what is begun in it while it is being closed', async () => {
    const kept = await KeptRoot.open(root);
    await readInside(kept, ['/etc/hostname']);
    const closed = kept.close();
    const late = startInside(kept, ['/bin/sleep', '600'], {});
    kept.stays(late);
    await closed;
    expect(await late.ended).toBeNull();
    expect(await programsIn(root)).toEqual([]);
  });
});
