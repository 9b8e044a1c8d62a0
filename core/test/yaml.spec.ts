import { spawnSync } from 'node:child_process';
import * as fc from 'fast-check';
import { Findings } from '../src/formats/finding';
import { YamlFile } from '../src/formats/yaml/yaml-file';

/**
 * The check's YAML reader against Python's, with which boards read their seed: the same files with random changes have
 * to be taken or refused alike, and to mean the same.
 */

const userData = `#cloud-config
hostname: "tank-01"
users:
  - name: keeper
    groups: [sudo, dialout]
    lock_passwd: true
    ssh_authorized_keys:
      - "ssh-ed25519 AAAA keeper@bench"
ssh_pwauth: false
write_files:
  - path: /boot/x
    content: |
      one
      two
runcmd:
  - 'echo "hi"'
`;
const networkConfig = `network:
  version: 2
  wifis:
    wlan0:
      dhcp4: true
      regulatory-domain: "DK"
      access-points:
        "Salt Marsh":
          password: "low tide at seven"
        Hall: {}
`;
/** What typing and pasting put in; also all that YAML 1.1 takes for another type. */
const pieces = [
  ...[
    '',
    '\t',
    ' ',
    '  ',
    '\n',
    '\n\n',
    '"',
    "'",
    ':',
    ': ',
    '#',
    ' #',
    '-',
    '- ',
    ',',
    '?',
    '\\',
    '"\\x41"',
  ],
  ...['*', '&a ', '!x ', '|', '>', '{', '}', '[', ']', '%', '@', '`', '<<', '---', '...', '=', 'a: b', 'ø'],
  ...[
    'no',
    'on',
    'Yes',
    '012',
    '0o12',
    '1e3',
    '1.0e+3',
    '~',
    'null',
    'NULL',
    '0x1f',
    '1:30',
    '1_000',
    '.inf',
  ],
];
const changed = fc
  .tuple(
    fc.constantFrom(userData, networkConfig),
    fc.array(fc.tuple(fc.nat(400), fc.nat(3), fc.constantFrom(...pieces)), { minLength: 1, maxLength: 2 }),
  )
  .map(([text, changes]) =>
    changes.reduce<string>((before, [place, cut, piece]) => {
      const at = place % before.length;
      return before.slice(0, at) + piece + before.slice(at + cut);
    }, text),
  );

const reader = `
import json, sys, yaml
for line in sys.stdin:
    try:
        value = yaml.safe_load(json.loads(line))
        print(json.dumps({"value": json.loads(json.dumps(value, default=str))}))
    except Exception as problem:
        print(json.dumps({"refused": str(problem)}))
`;
import { amount } from './helpers/soak';

const much = amount('yaml', 300, 3000, 20_261_126);
type Answer = { value: unknown } | { refused: string };

/** With the keys of all maps in order; numbers that JSON does not know by name. */
const canonical = (value: unknown): unknown =>
  Array.isArray(value)
    ? value.map(canonical)
    : value !== null && typeof value === 'object' && !(value instanceof Date)
      ? Object.fromEntries(
          Object.entries(value)
            .map(([key, inner]): [string, unknown] => [key, canonical(inner)])
            .sort(([a], [b]) => (a < b ? -1 : 1)),
        )
      : value;

it(`reads ${String(much.runs)} files with random changes as Python does, and takes none that Python refuses`, () => {
  const files = fc.sample(changed, {
    numRuns: much.runs,
    seed: much.seed,
  });
  const { stdout } = spawnSync('/usr/bin/python3', ['-c', reader], {
    input: `${files.map((text) => JSON.stringify(text)).join('\n')}\n`,
    encoding: 'utf8',
    maxBuffer: 1 << 28,
  });
  const answers = stdout
    .trim()
    // JSON has no name for infinity; Python writes it all the same.
    .replaceAll(/-?Infinity/g, 'null')
    .split('\n')
    .map((line) => JSON.parse(line) as Answer);
  expect(answers).toHaveLength(files.length);
  const tally = { both: 0, neither: 0, strict: 0 };
  for (const [at, text] of files.entries()) {
    const answer = answers[at]!;
    const found = new Findings('file');
    const yaml = YamlFile.read('file', text, found);
    if (yaml === null) {
      expect(found.list.some(({ severity }) => severity === 'stops')).toBe(true);
      tally['refused' in answer ? 'neither' : 'strict']++;
      continue;
    }
    expect({ text, ...answer }).toEqual({ text, value: expect.anything() as unknown });
    if ('refused' in answer) continue;
    expect({ text, value: canonical(JSON.parse(JSON.stringify(yaml.value))) }).toEqual({
      text,
      value: canonical(answer.value),
    });
    tally.both++;
  }
  // Both answers are common; files that are refused here alone (a bracket that closes too far left) are rare.
  expect(Math.min(tally.both, tally.neither)).toBeGreaterThan(much.runs / 6);
  expect(tally.strict).toBeLessThan(files.length / 100);
}, 60_000);
