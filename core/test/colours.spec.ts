import {
  differenceCiede2000,
  filterDeficiencyDeuter,
  filterDeficiencyProt,
  filterDeficiencyTrit,
  parse,
  wcagContrast,
  type Color,
} from 'culori';
import fc from 'fast-check';
import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { coloursOf, labelColours, promptFile, type LabelColour, type Plan } from '../src/index';
import { soundPlan } from './helpers/plan';
import { attempt, inScratch } from './helpers/reference';

/** Differences by culori, a general-purpose library of colour; dichromacies after Machado, Oliveira, Fernandes (2009). */
const dichromat =
  (filter: (colour: Color) => Color) =>
  (hex: string): Color =>
    filter(parse(hex) ?? { mode: 'rgb', r: 0, g: 0, b: 0 });

const eyes: [string, (hex: string) => Color | string][] = [
  ['usual eyes', (hex) => hex],
  ['deuteranopia', dichromat(filterDeficiencyDeuter(1))],
  ['protanopia', dichromat(filterDeficiencyProt(1))],
  ['tritanopia', dichromat(filterDeficiencyTrit(1))],
];

describe('the twelve colours of labels', () => {
  it.each(eyes)('stay apart for %s: 11.9 or more between any two (CIEDE2000)', (_name, seen) => {
    const differ = differenceCiede2000();
    const differences = labelColours.flatMap(({ hex }, at) =>
      labelColours.slice(at + 1).map((other) => differ(seen(hex), seen(other.hex))),
    );
    expect(Math.min(...differences)).toBeGreaterThan(11.9);
  });

  it('carry their letter in an ink that is read on them (WCAG 2.2, 1.4.3)', () => {
    for (const { hex, ink } of labelColours) expect(wcagContrast(hex, ink)).toBeGreaterThanOrEqual(4.5);
  });

  it('have letters in a row, each once', () => {
    expect(labelColours.map(({ letter }) => letter).join('')).toBe('ABCDEFGHIJKL');
  });
});

describe('the colours of a batch', () => {
  const plan = (colours: Plan['handOver']['colours'], roles: readonly string[]): Plan => {
    const sound = soundPlan(roles.length);
    return {
      ...sound,
      handOver: { colours, atPrompt: false },
      devices: sound.devices.map((device, at) => ({ ...device, role: roles[at] ?? '' })),
    };
  };

  it('go by role in the order of the plan; a device without one has none', () => {
    const given = coloursOf(plan('role', ['tank', 'gate', 'tank', '']));
    expect([...given.values()].map(({ letter, title }) => `${letter} ${title}`)).toEqual([
      'A tank',
      'B gate',
      'A tank',
    ]);
  });

  it('go by device up to twelve, and are none where none are wanted', () => {
    const many = Array.from({ length: 14 }, () => 'tank');
    expect(coloursOf(plan('device', many)).size).toBe(12);
    expect(coloursOf(plan('none', many)).size).toBe(0);
  });
});

describe('a colour at the prompt, as bash shows it', () => {
  const colour = (title: string, at = 0): LabelColour => ({ ...labelColours[at]!, title });
  /** What a shell prints that reads the file, then a user's own settings, then two commands. */
  const shown = (
    folder: string,
    shell: string[],
    content: string,
    env: Record<string, string> = {},
  ): string => {
    const file = join(folder, 'colour.sh');
    writeFileSync(file, content);
    const rc = join(folder, 'rc');
    writeFileSync(rc, `. ${file}\nPS1='me> '\n`);
    const [command = '', ...args] = shell;
    const done = spawnSync(
      command,
      args.map((word) => word.replace('RC', rc)),
      {
        input: 'true\ntrue\nexit\n',
        encoding: 'utf8',
        cwd: folder,
        env: { PATH: process.env['PATH'], HOME: folder, TERM: 'xterm', ENV: rc, ...env },
      },
    );
    return done.stdout + done.stderr;
  };
  const bash = ['bash', '--rcfile', 'RC', '-i'];

  it('has its letter and its ink before each prompt, once, whatever a user sets afterwards', async () => {
    await inScratch((folder) => {
      for (const [at, { hex, letter }] of labelColours.entries()) {
        const text = shown(folder, bash, promptFile(colour('sluice', at)).content);
        const [r, g, b] = [1, 3, 5].map((from) => Number.parseInt(hex.slice(from, from + 2), 16));
        const block = `\u001b[48;2;${String(r)};${String(g)};${String(b)};`;
        // Before each of three commands, the last of which ends it.
        expect(text.split(block)).toHaveLength(4);
        expect(text.split(`m[ ${letter} ]\u001b[0m me> `)).toHaveLength(4);
        expect(text).toContain(`${letter}: sluice\n`);
      }
    });
  });

  it('leaves what a user runs before each prompt as it is, and other shells alone', async () => {
    await inScratch((folder) => {
      const { content } = promptFile(colour('sluice'));
      const text = shown(folder, bash, content, { PROMPT_COMMAND: 'echo before' });
      expect(text.split('before')).toHaveLength(4);
      const dash = shown(folder, ['dash', '-i'], content);
      expect(dash).toContain('A: sluice');
      expect(dash).not.toContain('\u001b');
      // A shell that runs a script says nothing.
      writeFileSync(join(folder, 'script'), `. ${join(folder, 'colour.sh')}\n`);
      expect(attempt('sh', [join(folder, 'script')])).toEqual({ code: 0, output: '' });
      expect(
        attempt('shellcheck', ['--shell=sh', '--exclude=SC3028', join(folder, 'colour.sh')]).output,
      ).toBe('');
    });
  });

  it('is no way for a title to be run', async () => {
    await inScratch((folder) => {
      fc.assert(
        fc.property(
          fc.oneof(
            fc.constantFrom(
              "'; touch hit; '",
              '$(touch hit)',
              '`touch hit`',
              'a\ntouch hit',
              "\\'; touch hit #",
            ),
            fc.string({ unit: 'grapheme', maxLength: 30 }),
          ),
          (title) => {
            const text = shown(folder, bash, promptFile(colour(title)).content);
            expect(text).toContain('A: ');
            expect(existsSync(join(folder, 'hit'))).toBe(false);
            expect(
              readdirSync(folder)
                .filter((name) => !name.startsWith('.'))
                .sort(),
            ).toEqual(['colour.sh', 'rc']);
          },
        ),
        { numRuns: 25 },
      );
    });
  });
});
