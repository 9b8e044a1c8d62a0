import fc from 'fast-check';
import { makeHostKey, type HandoverDevice } from '../../src/index';

export const keyOf = (seed: number): string =>
  makeHostKey(new Uint8Array(32).fill(seed), new Uint8Array(4), '').publicLine;

/** A device that stands in every file. */
export const handed = (more: Partial<HandoverDevice> = {}): HandoverDevice => ({
  nest: 'A7',
  mark: '7KQ4J',
  hostName: 'tank-07',
  role: 'tank monitor',
  colour: '',
  colourTitle: '',
  state: 'ready',
  hostKey: keyOf(7),
  hostKeyFingerprint: 'SHA256:x',
  address: '10.0.0.7',
  port: 22,
  vpnAddress: null,
  hardwareAddress: '02:00:5e:00:53:07',
  userName: 'keeper',
  otherUsers: [],
  screens: [],
  copiedTo: [],
  remark: '',
  ...more,
});

const words = fc.oneof(
  fc.string({ unit: 'grapheme', maxLength: 12 }),
  fc.constantFrom(
    '=1+1',
    'no',
    '012',
    '<b>',
    '{{ x }}',
    "'; rm -rf /",
    '$(id)',
    'a: b',
    '# x',
    '"',
    '\\',
    '\u2028x',
    'tank\n- y',
  ),
);

/** Devices as plans give them: standing names, any address, any port; roles and marks as people type them. */
export const handedOver = fc.record({
  nest: fc.stringMatching(/^[A-Z][1-9]$/),
  mark: fc.oneof(
    { weight: 3, arbitrary: fc.stringMatching(/^[0-9A-Z]{5}$/) },
    { weight: 1, arbitrary: words },
  ),
  hostName: fc.stringMatching(/^[a-z][a-z0-9-]{0,20}[a-z0-9]$/),
  role: words,
  colour: fc.constantFrom('', 'A'),
  colourTitle: words,
  state: fc.constant('ready'),
  hostKey: fc
    .uint8Array({ minLength: 32, maxLength: 32 })
    .map((seed) => makeHostKey(seed, new Uint8Array(4), '').publicLine),
  hostKeyFingerprint: words,
  address: fc.option(fc.ipV4(), { nil: null }),
  port: fc.oneof(fc.constant(22), fc.integer({ min: 1, max: 65_535 })),
  vpnAddress: fc.option(fc.ipV4(), { nil: null }),
  hardwareAddress: fc.oneof(
    fc.constant(''),
    fc.integer({ min: 0, max: 0xffff }).map((last) => {
      const hex = last.toString(16).padStart(4, '0');
      return `02:00:5e:00:${hex.slice(0, 2)}:${hex.slice(2)}`;
    }),
  ),
  userName: fc.stringMatching(/^[a-z][a-z0-9_-]{0,10}$/),
  otherUsers: fc.array(fc.stringMatching(/^[a-z][a-z0-9_-]{0,10}$/), { maxLength: 2 }),
  screens: fc.subarray([5900, 5901, 3389]),
  copiedTo: fc.constant<string[]>([]),
  remark: words,
});

export const handedOvers = fc.uniqueArray(handedOver, {
  minLength: 1,
  maxLength: 6,
  selector: ({ hostName }) => hostName,
});
