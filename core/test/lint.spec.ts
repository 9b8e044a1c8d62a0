import { execFileSync, spawnSync } from 'node:child_process';
import {
  copyFileSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const root = join(__dirname, '../..');

/** What our own lint rules say of violations that are planted, and of what is allowed. */
const said = JSON.parse(
  execFileSync(process.execPath, [join(root, 'scripts/lint/planted.mjs')], { encoding: 'utf8' }),
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

  it('gives each folder one place, and CONTRIBUTING names it', () => {
    const { coreOrder, serverOrder } = JSON.parse(
      execFileSync(
        process.execPath,
        ['--input-type=module', '-e', `console.log(JSON.stringify(await import('./order.mjs')))`],
        { cwd: join(root, 'scripts/lint'), encoding: 'utf8' },
      ),
    ) as Record<string, string[][]>;
    const text = readFileSync(join(root, 'CONTRIBUTING.md'), 'utf8');
    for (const [folder, order] of [
      ['core/src', coreOrder!.flat()],
      ['server/src', serverOrder!.flat()],
    ] as const) {
      expect(new Set(order).size).toBe(order.length);
      const [part = ''] = text.slice(text.indexOf(`Inside \`${folder}\``)).split('\n\n');
      const named = [...part.matchAll(/`([^`]*)`/g)].flatMap(([, names = '']) => names.split(/[\s/]+/));
      for (const { name } of readdirSync(join(root, folder), { withFileTypes: true }).filter((entry) =>
        entry.isDirectory(),
      ))
        expect(named).toContain(name);
    }
  });

  it('is asked about everything that is planted', () => {
    expect(Object.keys(said)).toHaveLength(25);
  });
});

/** Faults that the usual rules find, most of them only where they know the types of what stands there. */
const faults: Record<string, string> = {
  'no-floating-promises': 'declare const f: () => Promise<void>;\nf();',
  'no-misused-promises': 'declare const f: () => Promise<boolean>;\nexport const a = f() ? 1 : 2;',
  'no-explicit-any': 'export const a = (b: any): string => String(b);',
  'no-unsafe-member-access': "export const a = String(JSON.parse('{}').b);",
  'no-unsafe-assignment': "export const a = JSON.parse('{}');",
  'no-non-null-assertion': 'export const a = (b: string[]): string => b[0]!;',
  'no-unnecessary-condition': "export const a = (b: string): string => b ?? '';",
  'restrict-template-expressions': 'export const a = (b: object): string => `${b}`;',
  'consistent-type-imports':
    "import { Linter } from './no-debugger';\nexport const a = (b: Linter): string => b;",
  'no-debugger': 'export type Linter = string;\ndebugger;',
  'no-useless-assignment':
    'export const a = (b: boolean): number => {\nlet c = 1;\nif (b) return 2;\nc = 3;\nreturn c;\n};',
  // TypeScript's own: a type that is not the one that is asked for.
  TS2322: "export const a: number = 'b';",
};

describe('lint that needs types', () => {
  const folder = mkdtempSync(join(tmpdir(), 'nest-mark-planted-'));
  afterAll(() => rmSync(folder, { recursive: true }));

  it('finds each fault that is planted, and lets pass in tests what may stand there', () => {
    for (const name of ['.oxlintrc.json', 'tsconfig.base.json'])
      copyFileSync(join(root, name), join(folder, name));
    writeFileSync(join(folder, 'tsconfig.json'), '{ "extends": "./tsconfig.base.json" }');
    mkdirSync(join(folder, 'core/test'), { recursive: true });
    for (const [rule, text] of Object.entries(faults)) writeFileSync(join(folder, `${rule}.ts`), `${text}\n`);
    writeFileSync(join(folder, 'core/test/a.ts'), `${faults['no-non-null-assertion']!}\n`);
    const bin = join(root, 'node_modules/.bin');
    const { stdout, status } = spawnSync(join(bin, 'oxlint'), ['--format=json'], {
      cwd: folder,
      encoding: 'utf8',
      env: { ...process.env, PATH: `${bin}:${process.env['PATH'] ?? ''}` },
    });
    const { diagnostics } = JSON.parse(stdout) as { diagnostics: { filename: string; code: string }[] };
    expect(status).toBe(1);
    const found = diagnostics.map(
      ({ filename, code }) => `${filename}: ${code.replace(/^.*\((.*)\)$/, '$1')}`,
    );
    for (const rule of Object.keys(faults)) expect(found).toContain(`${rule}.ts: ${rule}`);
    expect(found.filter((one) => one.startsWith('core/test'))).toEqual([]);
  });
});
