import fc from 'fast-check';
import {
  batchRecord,
  compareBatches,
  documentHtml,
  documentPages,
  wrapped,
  type DeviceHistory,
  type Document,
  type Measure,
  type RecordFacts,
} from '../src/index';
import { soundPlan } from './helpers/plan';

/** A type whose letters are all 0.55 em wide. */
const measure: Measure = (text) => [...text].length * 0.55;

const history = (more: Partial<DeviceHistory> = {}): DeviceHistory => ({
  state: 'ready',
  address: '192.0.2.7:22',
  hardwareAddress: '02:00:5e:00:53:07',
  hostKeyFingerprint: 'SHA256:x',
  takenOver: null,
  secretsForgottenAt: null,
  cards: [],
  sightings: [],
  broughtUp: [],
  exposure: null,
  ...more,
});

const facts = (more: Partial<RecordFacts> = {}): RecordFacts => {
  const plan = soundPlan(2);
  return {
    plan,
    names: { board: () => 'Full', image: () => 'Marsh base', network: () => 'Bench' },
    images: [
      { title: 'Marsh base', sha256: 'ab'.repeat(32), addedAt: 0, age: 'built 2026-01-01', method: 'none' },
    ],
    histories: new Map(plan.devices.map(({ id }) => [id, history()])),
    walk: [],
    log: [],
    madeAt: Date.UTC(2026, 10, 30),
    madeBy: 'mara',
    ...more,
  };
};

const rowsOf = (document: Document, title: string): string[] => {
  const section = document.sections.find((one) => one.title === title);
  return (section?.parts ?? []).flatMap((part) =>
    part.kind === 'table' ? part.rows.map((row) => row.join(' | ')) : part.kind === 'text' ? [part.text] : [],
  );
};

describe('what was otherwise than planned, or let pass', () => {
  const title = 'Otherwise than planned, or let pass';

  it('is nothing where every card was verified and every step well', () => {
    expect(rowsOf(batchRecord(facts(), null), title)).toEqual([expect.stringMatching(/^Nothing:/)]);
  });

  it('is each card that failed, each step that is not well, what is open, and who let something pass', () => {
    const given = facts();
    const [one, two] = given.plan.devices;
    const card = { model: 'card', key: 'k', round: 3, at: 0, imageTitle: 'Marsh base', imageSha256: null };
    const step = { title: 'Updates', state: 'skipped', text: 'No line here.', findings: [] };
    const histories = new Map([
      [one!.id, history({ cards: [{ ...card, state: 'failed', message: 'It broke off.' }] })],
      [
        two!.id,
        history({
          broughtUp: [{ at: 0, state: 'ready', message: '', steps: [step, { ...step, state: 'well' }] }],
          exposure: {
            at: 0,
            by: 'mara',
            findings: [
              { severity: 'grave', text: 'A screen is open.' },
              { severity: 'note', text: 'Only a note.' },
            ],
          },
        }),
      ],
    ]);
    const line = (kind: string, text: string, deviceId: string | null) => ({ at: 0, kind, text, deviceId });
    const log = [
      line('step-skipped', 'left out; noted by mara', two!.id),
      line('overruled', 'It was overruled that it is large; by mara.', one!.id),
      // Words alone make nothing of it: somebody's batch may be called that.
      line('batch', 'Batch "is left out on overruled" was made.', null),
    ];
    expect(rowsOf(batchRecord({ ...given, histories, log }, null), title)).toEqual([
      'tank-001 | card of round 3: failed. It broke off.',
      'tank-002 | Updates: skipped. No line here.',
      'tank-002 | A screen is open.',
      'tank-002 | left out; noted by mara',
      'tank-001 | It was overruled that it is large; by mara.',
    ]);
  });

  it('of one device is its own alone', () => {
    const given = facts();
    const [one, two] = given.plan.devices;
    const log = [one, two].map((device) => ({
      at: 0,
      kind: 'step-skipped',
      text: `left out on ${device!.hostName}`,
      deviceId: device!.id,
    }));
    const rows = rowsOf(batchRecord({ ...given, log }, one!.id), title);
    expect(rows).toEqual(['tank-001 | left out on tank-001']);
  });
});

describe('two batches side by side', () => {
  it('that are alike differ in nothing', () => {
    const document = compareBatches(facts(), facts());
    expect(rowsOf(document, 'What differs')).toEqual(['Nothing.']);
  });

  it('tell what differs and what is the same', () => {
    const other = facts();
    const document = compareBatches(facts(), { ...other, plan: { ...other.plan, country: 'FR' } });
    expect(rowsOf(document, 'What differs')).toEqual(['Country | FO | FR']);
    expect(rowsOf(document, 'What is the same').length).toBeGreaterThan(10);
  });
});

describe('a document on paper', () => {
  const words = fc.string({ unit: 'grapheme', maxLength: 200 });

  it('loses no letter when its lines are broken, and no line is wider than its place', () => {
    fc.assert(
      fc.property(words, fc.double({ min: 4, max: 120, noNaN: true }), (text, width) => {
        const lines = wrapped(text, 'plain', 3, width, measure);
        const letters = (of: string): string => of.replace(/\s/g, '');
        expect(letters(lines.join(''))).toBe(letters(text));
        for (const line of lines)
          expect(measure(line, 'plain') * 3).toBeLessThanOrEqual(Math.max(width, 1.7));
      }),
      { numRuns: 500 },
    );
  });

  it('keeps to its pages, whatever stands in it, and numbers each', () => {
    const document = fc.record({
      title: words,
      about: words,
      sections: fc.array(
        fc.record({
          level: fc.constantFrom(1 as const, 2 as const),
          title: words,
          parts: fc.array(
            fc.oneof(
              fc.record({ kind: fc.constant('text' as const), text: words }),
              fc.record({
                kind: fc.constant('facts' as const),
                facts: fc.array(fc.tuple(words, words), { maxLength: 30 }),
              }),
              fc.record({
                kind: fc.constant('table' as const),
                columns: fc.constant(['one', 'two', 'three']),
                rows: fc.array(fc.tuple(words, words, words), { maxLength: 60 }),
              }),
            ),
            { maxLength: 4 },
          ),
        }),
        { maxLength: 6 },
      ),
    });
    fc.assert(
      fc.property(document, (given) => {
        const pages = documentPages(given, measure);
        expect(pages.length).toBeGreaterThan(0);
        pages.forEach(({ drawn, height }, at) => {
          const foot = `page ${String(at + 1)} of ${String(pages.length)}`;
          expect(drawn.some((one) => one.kind === 'text' && one.text.endsWith(foot))).toBe(true);
          for (const one of drawn) {
            expect(one.y).toBeGreaterThanOrEqual(0);
            expect(one.y + (one.kind === 'box' ? one.height : 0)).toBeLessThanOrEqual(height);
          }
        });
      }),
      { numRuns: 60 },
    );
  });

  it('as a page has no element but its own, whatever stands in it', () => {
    fc.assert(
      fc.property(
        fc.oneof(words, fc.constantFrom('<script>', '</td><img src=x onerror=y>', '&lt;', '"\'')),
        (text) => {
          const html = documentHtml({
            title: text,
            about: text,
            sections: [
              { level: 1, title: text, parts: [{ kind: 'table', columns: [text], rows: [[text]] }] },
            ],
          });
          const tags = html.match(/<\/?[a-zA-Z!][^>]*>/g) ?? [];
          const plain = documentHtml({
            title: '',
            about: '',
            sections: [{ level: 1, title: '', parts: [{ kind: 'table', columns: [''], rows: [['']] }] }],
          });
          expect(tags).toEqual(plain.match(/<\/?[a-zA-Z!][^>]*>/g));
        },
      ),
    );
  });
});
