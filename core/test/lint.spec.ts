import { execFileSync } from 'node:child_process';
import { join } from 'node:path';

/** What our own lint rules say of violations that are planted, and of what is allowed. */
const said = JSON.parse(
  execFileSync(process.execPath, [join(__dirname, '../../scripts/lint/planted.mjs')], { encoding: 'utf8' }),
) as Record<string, string[]>;

const [arrows, circles, sql] = ['ours/arrows', 'ours/no-circles', 'ours/sql-in-repositories'];
const named = 'ours/named-errors';

describe('lint', () => {
  it.each<[string, string | null, string]>([
    ['core: up', arrows, 'Imports run downwards: "plan" lies below "rules".'],
    ['core: up, by a type', arrows, 'Imports run downwards: "disk" lies below "firstboot".'],
    ['core: sideways', arrows, '"wifi" and "disk" lie side by side and know nothing of each other.'],
    ['core: a new folder', arrows, '"drawer" has no place in the order of core/src; give it one.'],
    ['core: down', null, ''],
    ['core: a circle of two', circles, 'Imports run in a circle: disk/a.ts → disk/b.ts → disk/a.ts'],
    [
      'core: a circle of three',
      circles,
      'Imports run in a circle: disk/a.ts → disk/b.ts → disk/c.ts → disk/a.ts',
    ],
    ['server: up', arrows, 'Imports run downwards: "plans" lies below "rounds".'],
    ['server: sideways', arrows, '"boards" and "networks" lie side by side and know nothing of each other.'],
    ['server: past the door', arrows, 'What others may call of "cards" stands in its index.ts; import that.'],
    ['server: by the door', null, ''],
    ['platform: a domain', arrows, 'Imports run downwards: "platform" lies below "plans".'],
    ['platform: up', arrows, 'Imports run downwards: "http" lies below "runs".'],
    ['sql: knex(…)', sql, 'repository.ts'],
    ['sql: this.knex(…)', sql, 'repository.ts'],
    ['sql: db(…)', sql, 'repository.ts'],
    ['sql: plans.knex(…)', sql, 'repository.ts'],
    ['sql: knex.raw', sql, 'repository.ts'],
    ['sql: db.raw', sql, 'repository.ts'],
    ['sql: knex.schema', sql, 'repository.ts'],
    ['sql: a transaction only', null, ''],
    ['errors: without a name', named, "readonly name = 'DiskError'"],
    ['errors: of another error, without a name', named, "readonly name = 'A'"],
    ['errors: with the name of another', named, "readonly name = 'A'"],
    ['errors: with its name', null, ''],
  ])('%s', (name, rule, words) => {
    if (rule === null) expect(said[name]).toEqual([]);
    else {
      expect(said[name]!.length).toBeGreaterThan(0);
      expect(said[name]![0]).toMatch(new RegExp(`^${rule}: `));
      expect(said[name]![0]).toContain(words);
    }
  });

  it('is asked about everything that is planted', () => {
    expect(Object.keys(said)).toHaveLength(25);
  });
});
