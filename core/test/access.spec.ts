import { createPublicKey, verify, sign, createPrivateKey, randomBytes } from 'node:crypto';
import { writeFileSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { makeHostKey } from '../src/access/host-key';
import { cryptSalt, sha512Crypt } from '../src/access/sha512crypt';
import {
  fingerprint,
  parsePublicKey,
  publicKeyLine,
  publicKeyText,
  type SshPublicKey,
} from '../src/access/ssh-public-key';
import { userNameFault } from '../src/access/user-names';
import { inScratch, run } from './helpers/reference';

describe('SHA-512-crypt', () => {
  // The test vectors at the end of the SHA-crypt specification 0.6 (the two with the most rounds are left out
  // for time only).
  it.each([
    [
      'Hello world!',
      'saltstring',
      5000,
      '$6$saltstring$svn8UoSVapNtMuq1ukKS4tPQd8iKwSMHWjl/O817G3uBnIFNjnQJuesI68u4OTLiBFdcbYEdFCoEOfaS35inz1',
    ],
    [
      'Hello world!',
      'saltstringsaltstring',
      10000,
      '$6$rounds=10000$saltstringsaltst$OW1/O6BYHV6BcXZu8QVeXbDWra3Oeqh0sbHbbMCVNSnCM/UrjmM0Dp8vOuZeHBy/YTBmSK6H9qs/y3RnOaw5v.',
    ],
    [
      'This is just a test',
      'toolongsaltstring',
      5000,
      '$6$toolongsaltstrin$lQ8jolhgVRVhY4b5pZKaysCLi0QBxGoNeKQzQ3glMhwllF7oGDZxUhx1yxdYcz/e1JSbq3y6JMxxl8audkUEm0',
    ],
    [
      'we have a short salt string but not a short password',
      'short',
      77777,
      '$6$rounds=77777$short$WuQyW2YR.hBNpjjRhpYD/ifIw05xdfeEyQoMxIXbkvr0gge1a1x3yRULJ5CCaUeOxFmtlcGZelFl5CxtgfiAc0',
    ],
    [
      'the minimum number is still observed',
      'roundstoolow',
      10,
      '$6$rounds=1000$roundstoolow$kUMsbe306n21p9R.FRkW3IGn.S9NPN0x50YhH1xhLsPuWGsUSklZt58jaTfF4ZEQpyUNGc0dqbpBYYBaHHrsX.',
    ],
  ])('%s', (password, salt, rounds, hash) => {
    expect(sha512Crypt(password, salt, rounds)).toBe(hash);
    // The vectors are quoted from memory; openssl settles them.
    const bounded = Math.max(rounds, 1000);
    const openssl = run(
      'openssl',
      ['passwd', '-6', '-salt', `rounds=${String(bounded)}$${salt}`, '-stdin'],
      password,
    );
    expect(openssl.trim().replace('rounds=5000$', '')).toBe(hash);
  });

  it.each(['Hello world!', 'x', 'Grüße aus Ålesund 🦪', 'a'.repeat(100), 'quote " \' $ \\'])(
    'equals openssl passwd -6 for %s',
    (password) => {
      const salt = cryptSalt(randomBytes(16));
      expect(salt).toMatch(/^[./0-9A-Za-z]{16}$/);
      expect(sha512Crypt(password, salt)).toBe(
        run('openssl', ['passwd', '-6', '-salt', salt, '-stdin'], password).trim(),
      );
    },
  );
});

describe('public keys', () => {
  const kinds: [string, string[]][] = [
    ['ssh-ed25519', ['-t', 'ed25519']],
    ['ssh-rsa', ['-t', 'rsa', '-b', '2048']],
    ['ssh-rsa', ['-t', 'rsa', '-b', '1024']],
    ['ecdsa-sha2-nistp256', ['-t', 'ecdsa', '-b', '256']],
    ['ecdsa-sha2-nistp384', ['-t', 'ecdsa', '-b', '384']],
    ['ecdsa-sha2-nistp521', ['-t', 'ecdsa', '-b', '521']],
  ];

  it.each(kinds)('%s %p: bits and fingerprint equal ssh-keygen -lf', async (type, args) => {
    await inScratch((folder) => {
      const file = join(folder, 'key');
      run('ssh-keygen', ['-q', '-N', '', '-C', 'mara @ bench', '-f', file, ...args]);
      const key = parsePublicKey(readFileSync(`${file}.pub`, 'utf8')) as SshPublicKey;
      expect(key.type).toBe(type);
      expect(key.comment).toBe('mara @ bench');
      const printed = run('ssh-keygen', ['-lf', `${file}.pub`]);
      expect(printed.startsWith(`${String(key.bits)} ${fingerprint(key.blob)} `)).toBe(true);
      expect(parsePublicKey(readFileSync(file, 'utf8'))).toBe('private');
    });
  });

  const good = makeHostKey(new Uint8Array(32).fill(7), new Uint8Array(4), 'x').publicLine;
  it.each([
    ['', 'empty'],
    ['hello', 'broken'],
    ['b3BlbnNzaC1rZXktdjEAAAAABG5vbmU', 'private'],
    [good.slice(0, 50), 'cut'],
    [good.split(' ')[1] ?? '', 'cut'],
    [`ssh-dss ${good.split(' ')[1] ?? ''}`, 'dsa'],
    [`ssh-rsa ${good.split(' ')[1] ?? ''}`, 'mismatch'],
    [`no-such-thing ${good}`, 'options'],
    [`no-pty from="10.0.0.0/8" ${good}`, 'options'],
  ])('%# is told apart: %s → %s', (line, fault) => {
    expect(parsePublicKey(line)).toBe(fault);
  });

  it.each([
    'no-pty',
    'RESTRICT,Pty',
    'from="10.0.0.0/8,!10.0.0.9,*.bench"',
    'from="10.9.8.7",command="echo \\"a, b\\" # c",no-X11-forwarding',
    'environment="A=b c",expiry-time="20301231",permitopen="host:22",tunnel="0",principals="a,b"',
    'cert-authority',
  ])(
    'with the options %s: is a key, and goes onto cards with them; ssh-keygen reads it too',
    async (options) => {
      const key = parsePublicKey(`${options}  ${good}`);
      expect(key).toMatchObject({ type: 'ssh-ed25519', options });
      expect(publicKeyLine(key as SshPublicKey)).toBe(`${options} ${good}`);
      await inScratch((folder) => {
        const file = join(folder, 'authorized_keys');
        writeFileSync(file, `${publicKeyLine(key as SshPublicKey)}\n`);
        expect(run('ssh-keygen', ['-lf', file])).toContain(fingerprint((key as SshPublicKey).blob));
        return Promise.resolve();
      });
    },
  );

  it('never takes a line with one changed base64 character for a key of another type or length', () => {
    fc.assert(
      fc.property(fc.nat(67), fc.constantFrom(...'ABCDxyz019+/='), (at, char) => {
        const blob = good.split(' ')[1] ?? '';
        const parsed = parsePublicKey(`ssh-ed25519 ${blob.slice(0, at)}${char}${blob.slice(at + 1)}`);
        if (typeof parsed !== 'string') expect(parsed.blob.length).toBe(51);
      }),
    );
  });
});

describe('host keys', () => {
  it('are read by ssh-keygen, whatever the seed and the comment', async () => {
    await inScratch((folder) => {
      for (let round = 0; round < 25; round++) {
        const key = makeHostKey(randomBytes(32), randomBytes(4), 'c'.repeat(round));
        const file = join(folder, `key-${String(round)}`);
        writeFileSync(file, key.privateText, { mode: 0o600 });
        expect(run('ssh-keygen', ['-y', '-f', file]).trim()).toBe(key.publicLine);
        expect(run('ssh-keygen', ['-lf', file]).split(' ')[1]).toBe(key.fingerprint);
      }
    });
  });

  it('belong together: what the private half signs, the public half verifies (node:crypto)', () => {
    const seed = randomBytes(32);
    const der = Buffer.concat([Buffer.from('302e020100300506032b657004220420', 'hex'), seed]);
    const signature = sign(
      null,
      Buffer.from('tank'),
      createPrivateKey({ key: der, format: 'der', type: 'pkcs8' }),
    );
    const parsed = parsePublicKey(makeHostKey(seed, randomBytes(4), '').publicLine) as SshPublicKey;
    const spki = Buffer.concat([Buffer.from('302a300506032b6570032100', 'hex'), parsed.blob.slice(-32)]);
    const publicKey = createPublicKey({ key: spki, format: 'der', type: 'spki' });
    expect(verify(null, Buffer.from('tank'), publicKey, signature)).toBe(true);
    expect(publicKeyText(parsed)).toBe(makeHostKey(seed, randomBytes(4), '').publicLine);
  });

  it('refuse a wrong seed', () => {
    expect(() => makeHostKey(new Uint8Array(31), new Uint8Array(4), '')).toThrow(RangeError);
  });
});

describe('user names', () => {
  it.each([
    ['keeper', null],
    ['a_b-9', null],
    ['Keeper', 'form'],
    ['9keeper', 'form'],
    ['', 'form'],
    ['x'.repeat(33), 'form'],
    ['root', 'reserved'],
  ])('%s → %s', (name, fault) => {
    expect(userNameFault(name)).toBe(fault);
  });
});
