import { randomBytes } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { makeHostKey } from '../src/access/host-key';
import { hostKeyBlob } from '../src/access/read-host-key';
import { parsePublicKey } from '../src/access/ssh-public-key';
import { equalBytes, utf8 } from '../src/bytes';
import { checkCard } from '../src/firstboot/check/check-card';
import { type BootFiles } from '../src/firstboot/boot-files';
import { cardChanges, saltOnCard } from '../src/firstboot/check/compare';
import { cardFilesOf } from '../src/firstboot/card-files';
import type { FirstBootMethodId } from '../src/plan/model';
import type { CardFile } from '../src/firstboot/settings';
import { base, bootFilesOf } from './helpers/check';
import { network, settings } from './helpers/plan';
import { attempt, inScratch, run } from './helpers/reference';
import { amount } from './helpers/soak';

const much = amount('one-byte', 40, 500, 20_261_126);

const given = settings({
  user: { ...settings().user, passwordHash: `$6$seagrass$${'aB3/'.repeat(21)}ab`, passwordLogin: true },
  networks: [
    network({ key: '0f1e2d3c'.repeat(8), hidden: true }),
    network({ ssid: utf8('Hall'), security: 'wpa3-sae', key: 'nineteen rows', priority: 25 }),
  ],
});
/** The private key that stands in a file of its own or in a seed, without its indentation there. */
const privateKeyIn = (path: string, text: string): string =>
  ['user-data', 'run-once/host-key'].includes(path)
    ? (/-----BEGIN[\s\S]*PRIVATE KEY-----\n/.exec(text)?.[0] ?? '').replace(/^ +/gm, '')
    : '';

/** Files that make up who the board is, what it joins and who logs in. */
const credential =
  /^(user-data|meta-data|network-config|userconf\.txt|wpa_supplicant\.conf|network\.txt|run-once\/(users|login|host-key(\.pub)?|host-name|keys\/.*|networks\/.*))$/;

const bootOf = (files: readonly CardFile[]): BootFiles =>
  bootFilesOf(Object.fromEntries(files.map(({ path, content }) => [path, content])), { mountedAt: '/boot' });

describe('one byte changed in a credential file', () => {
  it.each(['declarative-seed', 'marker-files', 'network-template', 'run-once'] as const)(
    'is told by the check or by the comparison with the plan, for %s',
    (method: FirstBootMethodId) => {
      // In a seed WPA3 alone is warned of in any case.
      const networks = method === 'declarative-seed' ? given.networks.slice(0, 1) : given.networks;
      const files = cardFilesOf(method, { ...given, networks }, base);
      const targets = files.flatMap(({ path }, at) => (credential.test(path) ? [at] : []));
      expect(targets.length).toBeGreaterThan(method === 'network-template' ? 0 : 1);
      expect(cardChanges(bootOf(files), files)).toEqual([]);
      expect(checkCard(bootOf(files)).findings.filter(({ severity }) => severity !== 'note')).toEqual([]);
      const place = fc.record({ file: fc.constantFrom(...targets), at: fc.nat(6000), value: fc.nat(255) });
      fc.assert(
        fc.property(place, ({ file, at, value }) => {
          const { path, content } = files[file]!;
          const where = at % content.length;
          if (content[where] === value) return;
          const spoilt = content.slice();
          spoilt[where] = value;
          const boot = bootOf(files.map((one, index) => (index === file ? { path, content: spoilt } : one)));
          const findings = checkCard(boot).findings.filter(({ severity }) => severity !== 'note');
          const told = findings.length > 0 || cardChanges(boot, files).length > 0;
          // A key has a comment of its own, which changes nothing; only a change within the key's text is excused by that.
          const text = new TextDecoder().decode(content);
          const inKey = where >= text.indexOf('-----BEGIN') && where < text.lastIndexOf('-----');
          const spoiltText = new TextDecoder().decode(spoilt);
          const blob = inKey ? hostKeyBlob(privateKeyIn(path, spoiltText)) : null;
          // meta-data is different at each writing: the id is not compared, the name is, which user-data says as well.
          const harmless =
            (blob && equalBytes(blob, hostKeyBlob(given.hostKey.privateText)!)) ||
            (path === 'meta-data' && checkCard(boot).settings.hostName === 'tank-01');
          expect({ path, where, value, told: told || harmless }).toEqual({ path, where, value, told: true });
        }),
        // The same changes each time, unless others are asked for.
        { numRuns: much.runs, seed: much.seed },
      );
    },
    60_000,
  );

  it('the salt on a card is found, so that a changed password shows', () => {
    for (const method of ['declarative-seed', 'marker-files', 'run-once'] as const)
      expect(saltOnCard(bootOf(cardFilesOf(method, given, base)))).toBe('seagrass');
    const other = cardFilesOf(
      'run-once',
      { ...given, user: { ...given.user, passwordHash: `$6$seagrass$${'zB3/'.repeat(21)}ab` } },
      base,
    );
    expect(cardChanges(bootOf(cardFilesOf('run-once', given, base)), other)).toEqual([
      'Users, passwords, keys, time zone or another setting of the system were changed since.',
    ]);
  });
});

describe('a board’s own key', () => {
  it('is read as ssh-keygen wrote it, and as this program writes it', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'id');
      run('ssh-keygen', ['-q', '-t', 'ed25519', '-N', '', '-C', 'a comment', '-f', file]);
      const line = parsePublicKey(run('cat', [`${file}.pub`]));
      expect(
        typeof line !== 'string' &&
          equalBytes(hostKeyBlob(run('cat', [file])) ?? new Uint8Array(), line.blob),
      ).toBe(true);
    });
    const ours = makeHostKey(randomBytes(32), randomBytes(4), '7KQ4M');
    expect(hostKeyBlob(ours.privateText)).not.toBeNull();
  });

  it('with one byte changed is refused where ssh-keygen refuses it', async () => {
    const { privateText } = makeHostKey(new Uint8Array(32).fill(9), new Uint8Array(4), '7KQ4M');
    const octets = utf8(privateText);
    let refused = 0;
    await inScratch((folder) => {
      for (let at = 3; at < octets.length; at += 11) {
        const spoilt = octets.slice();
        spoilt[at] = spoilt[at] === 0x41 ? 0x42 : 0x41;
        const file = join(folder, `key-${String(at)}`);
        writeFileSync(file, spoilt, { mode: 0o600 });
        const theirs = attempt('ssh-keygen', ['-y', '-P', '', '-f', file]).code === 0;
        const ours = hostKeyBlob(new TextDecoder().decode(spoilt)) !== null;
        // Ours also looks whether the halves belong together, so it may refuse more, never less.
        if (!theirs) refused++;
        expect({ at, missed: !theirs && ours }).toEqual({ at, missed: false });
      }
    });
    expect(refused).toBeGreaterThan(10);
  });
});
