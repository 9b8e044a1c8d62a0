import { spawnSync } from 'node:child_process';
import * as fc from 'fast-check';
import { utf8 } from '../src/bytes';
import { noSettings } from '../src/formats/finding';
import { checkNetworkConfig } from '../src/formats/netplan/network-config';

/**
 * The check of a network-config against what a board does with one: Python reads the YAML and writes it out for netplan
 * (as cloud-init does with version 2), and netplan makes files of it, or refuses it.
 */
const board = `
import glob, json, os, re, shutil, subprocess, sys, tempfile, yaml
generate = next(p for p in ("/usr/libexec/netplan/generate", "/lib/netplan/generate") if os.path.exists(p))
for line in sys.stdin:
    folder = tempfile.mkdtemp()
    try:
        value = yaml.safe_load(json.loads(line))
        if not isinstance(value, dict) or set(value) != {"network"}:
            print(json.dumps({"refused": "no network"}))
            continue
        os.makedirs(folder + "/etc/netplan")
        with open(folder + "/etc/netplan/50.yaml", "w") as file:
            yaml.safe_dump(value, file)
        made = subprocess.run([generate, "--root-dir", folder], capture_output=True, text=True)
        if made.returncode != 0:
            print(json.dumps({"refused": made.stderr}))
            continue
        names = []
        for path in glob.glob(folder + "/run/netplan/wpa-*.conf"):
            names += re.findall(r'^  ssid=P?"(.*)"$', open(path).read(), re.M)
        for path in glob.glob(folder + "/run/NetworkManager/system-connections/*"):
            names += re.findall(r'^ssid=(.*)$', open(path).read(), re.M)
        print(json.dumps({"names": names}))
    except yaml.YAMLError as problem:
        print(json.dumps({"refused": str(problem)}))
    finally:
        shutil.rmtree(folder)
`;
import { amount } from './helpers/soak';

const much = amount('network-config', 50, 400, 20_261_126);
type Answer = { refused: string } | { names: string[] };

const good = `network:
  version: 2
  ethernets:
    wired:
      match:
        name: e*
      dhcp4: true
      optional: true
  wifis:
    wlan0:
      dhcp4: true
      optional: true
      regulatory-domain: DK
      access-points:
        Salt Marsh:
          password: "low tide at seven"
          hidden: true
        Hall: {}
`;
const pieces = ['', ' ', '\n', ':', '"', 'x', '1', '-', 'ø', '{}', '[]', 'no', '~', '12345678', 'a: b', '#'];
/** Settings of all depths; a line is put behind one of its depth. */
const lines = [
  ...['version: "2"', 'renderer: NetworkManager', 'renderer: foo', 'wifi:', 'bridges: {}'].map(
    (line) => `  ${line}`,
  ),
  ...['wlan1: {access-points: {A: {}}}', 'wlan1: {dhcp4: true}', 'wlan1: {}', 'e1: {dhcp4: on}'].map(
    (line) => `    ${line}`,
  ),
  ...[
    'dhcp4: yes',
    'dhcp4: maybe',
    'dhcp6: "true"',
    'dchp4: true',
    'optional: maybe',
    'mtu: 1400',
    'mtu: big',
  ].map((line) => `      ${line}`),
  ...['addresses: [10.0.0.5/24]', 'addresses: [10.0.0.5]', 'addresses: 10.0.0.5/24', 'gateway4: 10.0.0'].map(
    (line) => `      ${line}`,
  ),
  ...[
    'country: DK',
    'nameservers: {addresses: [10.0.0.1]}',
    'nameservers: {addresses: [ten]}',
    'match: {name: wl*}',
  ].map((line) => `      ${line}`),
  ...['routes: [{to: default, via: 10.0.0.1}]', 'routes: [{to: default, vai: 10.0.0.1}]', 'set-name: x'].map(
    (line) => `      ${line}`,
  ),
  ...[
    '012: {}',
    '12: {}',
    '"": {}',
    'no: {}',
    'Oyster: {password: 12345678}',
    'Oyster: {password: 01234567}',
  ].map((line) => `        ${line}`),
  ...[
    'Oyster: {password: no}',
    'Oyster:',
    'Oyster: abc',
    'Oyster: {pasword: "abcdefgh"}',
    'Oyster: {Password: "abcdefgh"}',
  ].map((line) => `        ${line}`),
  ...[
    'password: short',
    `password: ${'a'.repeat(64)}`,
    `password: ${'g'.repeat(64)}`,
    'hidden: maybe',
    'hiden: true',
  ].map((line) => `          ${line}`),
  ...[
    'auth: {key-management: psk, password: "abcdefgh"}',
    'auth: {key-management: none}',
    'auth: {key-management: wpa}',
  ].map((line) => `          ${line}`),
  ...[
    'band: 5GHz',
    'band: 7GHz',
    'bssid: 00:11',
    'mode: foo',
    'channel: x',
    'networkmanager: {passthrough: {a.b: 5}}',
  ].map((line) => `          ${line}`),
];
const depth = (line: string): number => /^ */.exec(line)?.[0].length ?? 0;
type Change = (text: string) => string;
const change: fc.Arbitrary<Change> = fc.oneof(
  {
    weight: 1,
    arbitrary: fc
      .tuple(fc.nat(400), fc.nat(3), fc.constantFrom(...pieces))
      .map(([place, cut, piece]): Change => (text) => {
        const at = place % text.length;
        return text.slice(0, at) + piece + text.slice(at + cut);
      }),
  },
  {
    weight: 3,
    arbitrary: fc.tuple(fc.nat(20), fc.constantFrom(...lines)).map(([place, line]): Change => (text) => {
      const all = text.split('\n');
      const fitting = all.flatMap((one, at) => (one.trim() !== '' && depth(one) === depth(line) ? [at] : []));
      return all.toSpliced((fitting[place % Math.max(1, fitting.length)] ?? 0) + 1, 0, line).join('\n');
    }),
  },
);

it(`${String(much.runs)} files with random changes: what netplan refuses is told, what is called refused is refused, and the names agree`, () => {
  const files = fc.sample(
    fc
      .array(change, { minLength: 1, maxLength: 2 })
      .map((changes) => changes.reduce((text, apply) => apply(text), good)),
    { numRuns: much.runs, seed: much.seed },
  );
  const { stdout } = spawnSync('/usr/bin/python3', ['-c', board], {
    input: `${files.map((text) => JSON.stringify(text)).join('\n')}\n`,
    encoding: 'utf8',
  });
  const answers = stdout
    .trim()
    .split('\n')
    .map((line) => JSON.parse(line) as Answer);
  expect(answers).toHaveLength(files.length);
  const tally = { taken: 0, refused: 0 };
  for (const [at, text] of files.entries()) {
    const answer = answers[at]!;
    // More than the one name at the top is passed over by a board, and is no case for netplan.
    if ('refused' in answer && answer.refused === 'no network') continue;
    const settings = noSettings();
    const findings = checkNetworkConfig({ name: 'network-config', content: utf8(text) }, settings).filter(
      ({ severity }) => severity !== 'note',
    );
    const ours = findings.map(({ message }) => message);
    const claims = findings
      .filter(({ why }) => why.startsWith('netplan refuses'))
      .map(({ message }) => message);
    if ('refused' in answer) {
      expect({ text, said: answer.refused, told: ours.length > 0 }).toEqual({
        text,
        said: answer.refused,
        told: true,
      });
      tally.refused++;
    } else {
      expect({ text, claims }).toEqual({ text, claims: [] });
      tally.taken++;
      if (findings.length === 0)
        expect({ text, names: settings.networks.map(({ ssid }) => ssid).sort() }).toEqual({
          text,
          names: answer.names.sort(),
        });
    }
  }
  expect(Math.min(tally.taken, tally.refused)).toBeGreaterThan(much.runs / 10);
}, 60_000);
