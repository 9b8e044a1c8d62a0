import { execFileSync } from 'node:child_process';
import { readSeed } from '../src/board/read-seed';

/** The practice board reads a seed as the boards' own reader does: YAML 1.1 as PyYAML (Debian) has it. */

const words =
  'tank-01 yes no Yes NO on off On y n Y N true False null ~ Null 1 0 -1 +1 1_000 0x1f 0b11 017 0644 0o17 08 12:30 ' +
  '12:30:45 1:60 00:11:22:33:44:55 .5 1.5 1e3 1.0e+3 .inf .nan 2001-01-01 2001-1-1 "yes" \'0644\' "1" !!str=1 a:b 0:59 -0:30 01:02.5 1:02.5';
const given = words.split(' ').map((word) => word.replace('!!str=', '!!str '));

const seed = (userData: string): Promise<Awaited<ReturnType<typeof readSeed>>> => {
  const files: Record<string, string> = { 'meta-data': 'instance-id: i\n', 'user-data': userData };
  return readSeed({
    label: 'CIDATA',
    list: () => Promise.resolve([]),
    readFile: (path) => {
      const text = files[path];
      return Promise.resolve(text === undefined ? null : new TextEncoder().encode(text));
    },
  });
};

/** What PyYAML makes of each: a text, or the name of another type. */
const theirs = JSON.parse(
  execFileSync(
    '/usr/bin/python3',
    [
      '-c',
      `import json, sys, yaml
def of(word):
    try: value = yaml.safe_load('a: ' + word)['a']
    except yaml.YAMLError: return {'type': 'error'}
    return {'type': type(value).__name__, 'value': value if isinstance(value, (str, bool)) else None}
print(json.dumps([of(word) for word in json.load(sys.stdin)]))`,
    ],
    { encoding: 'utf8', input: JSON.stringify(given) },
  ),
) as { type: string; value: string | boolean | null }[];

it.each(given.map((word, at) => [word, theirs[at]!] as const))(
  'a host name written as %s is one for both, or for neither',
  async (word, { type, value }) => {
    const { hostName, ignored } = await seed(`#cloud-config\nhostname: ${word}\n`);
    if (type === 'str') expect([hostName, ignored]).toEqual([value, []]);
    else expect(ignored.join()).toMatch(/^user-data: /);
  },
);

it.each(
  given.flatMap((word, at) => (theirs[at]!.type === 'bool' ? [[word, theirs[at]!.value] as const] : [])),
)('logging in by a password: %s', async (word, value) => {
  const { passwordLogin, ignored } = await seed(`#cloud-config\nssh_pwauth: ${word}\n`);
  expect([passwordLogin, ignored]).toEqual([value, []]);
});

it('a file with two documents is none, and says so', async () => {
  const { hostName, ignored } = await seed('#cloud-config\nhostname: tank-01\n---\nhostname: tank-02\n');
  expect(hostName).not.toMatch(/tank/);
  expect(ignored).toEqual(['user-data: more than one document']);
});
