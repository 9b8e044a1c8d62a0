import fc from 'fast-check';
import { utf8 } from '../src/bytes';
import { checkCard } from '../src/firstboot/check/check-card';
import type { FirstBootMethodId } from '../src/plan/model';
import { bootFilesOf, cardOf } from './helpers/check';
import { network, settings } from './helpers/plan';
import { amount } from './helpers/soak';

const much = amount('secrets-kept', 100, 2000, 20_261_126);

/** A findings list is shown on screens, sent to browsers and copied into mails: no secret of the card may be in it. */
const key = '0f1e2d3c4b5a69788796a5b4c3d2e1f00f1e2d3c4b5a69788796a5b4c3d2e1f0';
const hash = `$6$seagrass$${'aB3/'.repeat(21)}ab`;
const passphrase = 'qv7=Zx:9 #Wk2%Tn5{Yb8';
const sae = 'Jr4;Lp6,Hd3 [Mf1]&Gs0';
const digits = '9182736450918273';

const given = settings({
  user: { ...settings().user, passwordHash: hash, passwordLogin: true },
  networks: [
    network({ key }),
    network({ ssid: utf8('Hall'), security: 'wpa3-sae', key: sae, priority: 25 }),
    network({ ssid: utf8('Mill'), key: '0123456789abcdef'.repeat(4), priority: 5 }),
  ],
});

/** A part of a secret that is long enough to be no accident. */
const part = 5;
const partsOf = (secret: string): string[] =>
  Array.from({ length: secret.length - part + 1 }, (_none, at) => secret.slice(at, at + part));
const parts = [key, hash.slice(12), passphrase, sae, digits].flatMap(partsOf);

const pieces = [
  '',
  ' ',
  '\n',
  '\n\n',
  '\t',
  '"',
  "'",
  '=',
  ':',
  ': ',
  '#',
  ' #',
  '{',
  '}',
  '[',
  '*',
  '&',
  '!',
  '\\',
  '\r',
];

it.each(['declarative-seed', 'marker-files', 'network-template', 'run-once'] as const)(
  'no finding repeats a part of a secret, whatever is typed into the files: %s',
  (method: FirstBootMethodId) => {
    const files = Object.fromEntries(
      Object.entries(cardOf(method, given)).map(([name, text]) => [
        name,
        // As a person would have written it: the passphrase instead of the key made of it, one of digits alone.
        text
          .replace(key, /network-config|run-once/.test(name) ? passphrase : `"${passphrase}"`)
          .replace(new RegExp(`"?${'0123456789abcdef'.repeat(4)}"?`), digits),
      ]),
    );
    const names = Object.keys(files).filter((name) =>
      partsOf(passphrase)
        .concat(partsOf(hash.slice(12)))
        .some((one) => files[name]?.includes(one)),
    );
    expect(names.length).toBeGreaterThan(0);
    const change = fc.record({
      file: fc.constantFrom(...names),
      at: fc.nat(6000),
      cut: fc.nat(12),
      piece: fc.constantFrom(...pieces),
    });
    fc.assert(
      fc.property(fc.array(change, { minLength: 1, maxLength: 4 }), (changes) => {
        const spoilt = { ...files };
        for (const { file, at, cut, piece } of changes) {
          const text = spoilt[file] ?? '';
          const place = at % Math.max(1, text.length);
          spoilt[file] = text.slice(0, place) + piece + text.slice(place + cut);
        }
        const { findings, settings: read } = checkCard(bootFilesOf(spoilt, { mountedAt: '/boot' }));
        const told = [
          ...findings.map(({ message, why, advice }) => `${message}\n${why}\n${advice}`),
          JSON.stringify(read),
        ].join('\n');
        expect({ told, repeated: parts.filter((one) => told.includes(one)) }).toEqual({ told, repeated: [] });
      }),
      { numRuns: much.runs, seed: much.seed },
    );
  },
  60_000,
);
