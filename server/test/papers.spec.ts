import { execFileSync } from 'node:child_process';
import { mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { credentialSlips, shippedLabelSizes, type LabelsWanted, type Plan } from '@nest-mark/core';
import { soundPlan } from '../../core/test/helpers/plan';
import { labelPages, needLetters } from '../src/handover/labels';
import { pdfOf } from '../src/handover/paper/pdf';
import { lettersMissing, measure } from '../src/handover/paper/type';
import { some } from '../../core/test/helpers/soak';

/** Judged by poppler and zbar, both from Debian's packages. */

const batchId = '00000000-0000-4000-8000-0000000000b1';
let folder = '';
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'nest-mark-test-'))));
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const run = (command: string, args: readonly string[]): string =>
  execFileSync(command, args, { cwd: folder, encoding: 'utf8', stdio: ['ignore', 'pipe', 'pipe'] });

const wanted = (more: Partial<LabelsWanted> = {}): LabelsWanted => ({
  size: shippedLabelSizes[0]!,
  firstFree: 1,
  what: ['board'],
  code: 'mark',
  origin: null,
  deviceIds: null,
  ...more,
});

const coloured = (count: number, more: Partial<Plan> = {}): Plan => ({
  ...soundPlan(count),
  handOver: { colours: 'role', atPrompt: true },
  ...more,
});

/** Codes of single labels, each cut out of the rendered page. */
function codesOf(dpi: number, plan: Plan, asked: LabelsWanted): string[] {
  const { pages } = labelPages(batchId, plan, asked);
  const perMm = dpi / 25.4;
  return pages.flatMap(({ drawn }, page) => {
    run('pdftoppm', [
      '-r',
      String(dpi),
      '-gray',
      '-f',
      String(page + 1),
      '-l',
      String(page + 1),
      'labels.pdf',
      'page',
    ]);
    const image = readdirSync(folder).find((name) => name.startsWith('page'))!;
    const codes = drawn.flatMap((one) => {
      if (one.kind !== 'pattern') return [];
      const at = (mm: number): string => String(Math.round(mm * perMm));
      run('pdftoppm', [
        ...['-r', String(dpi), '-gray', '-singlefile', '-f', String(page + 1)],
        ...['-x', at(one.x), '-y', at(one.y), '-W', at(one.size), '-H', at(one.size), 'labels.pdf', 'code'],
      ]);
      return [run('zbarimg', ['-q', '--raw', '-Sdisable', '-Sqrcode.enable', 'code.pgm']).trim()];
    });
    rmSync(join(folder, image));
    return codes;
  });
}

describe('labels as a PDF', () => {
  it.each(some([203, 300], (dpi) => dpi === 203))(
    'are read back at %i dots an inch, on a sheet and on a roll, marks and passports',
    async (dpi) => {
      const plan = coloured(6);
      const marks = plan.devices.map(({ mark }) => mark);
      for (const size of [shippedLabelSizes[0]!, shippedLabelSizes[4]!]) {
        const asked = wanted({ size, what: ['board', 'card'] });
        writeFileSync(join(folder, 'labels.pdf'), await pdfOf(labelPages(batchId, plan, asked).pages, 'x'));
        expect(codesOf(dpi, plan, asked)).toEqual(marks.flatMap((mark) => [mark, mark]));
      }
      const links = wanted({ code: 'passport', origin: 'http://127.0.0.1:4680/', firstFree: 39 });
      writeFileSync(join(folder, 'labels.pdf'), await pdfOf(labelPages(batchId, plan, links).pages, 'x'));
      expect(codesOf(dpi, plan, links)).toEqual(
        plan.devices.map(({ id }) => `http://127.0.0.1:4680/batch/${batchId}/device/${id}`),
      );
    },
  );

  it('carry the shipped type, all embedded, and the text is there to be found (pdffonts, pdftotext)', async () => {
    const plan = coloured(12);
    writeFileSync(join(folder, 'labels.pdf'), await pdfOf(labelPages(batchId, plan, wanted()).pages, 'x'));
    const fonts = run('pdffonts', ['labels.pdf']).split('\n').slice(2).filter(Boolean);
    expect(fonts.length).toBeGreaterThanOrEqual(3);
    for (const font of fonts) {
      expect(font).toContain('Atkinson');
      expect(font).toMatch(/yes\s+yes\s+yes/);
    }
    const text = run('pdftotext', ['-layout', 'labels.pdf', '-']);
    for (const { mark, hostName, nest } of plan.devices)
      for (const word of [mark, hostName, nest]) expect(text).toContain(word);
    expect(text).toContain('A · tank monitor');
    expect(run('pdfinfo', ['labels.pdf'])).toMatch(/Page size:\s+595.2\d* x 841.8\d* pts \(A4\)/);
  });

  it('have Latin, Greek and Cyrillic letters; of others it is said which are missing, before a file is made', async () => {
    const plan = coloured(3);
    plan.devices.forEach((device, at) => (device.role = ['Zażółć gęślą', 'Δεξαμενή', 'Резервуар'][at] ?? ''));
    const { pages } = labelPages(batchId, plan, wanted());
    needLetters(pages);
    writeFileSync(join(folder, 'labels.pdf'), await pdfOf(pages, 'x'));
    const text = run('pdftotext', ['labels.pdf', '-']);
    for (const word of ['Zażółć gęślą', 'Δεξαμενή', 'Резервуар']) expect(text).toContain(word);
    plan.devices[0]!.role = '水槽 خزان';
    expect(lettersMissing('水槽 خزان', 'plain')).toBe('水槽خزان');
    expect(() => needLetters(labelPages(batchId, plan, wanted()).pages)).toThrow(/no letters for “水槽خزان”/);
  });

  it('are the same octets each time', async () => {
    const { pages } = labelPages(batchId, coloured(4), wanted());
    expect(Buffer.compare(await pdfOf(pages, 'x'), await pdfOf(pages, 'x'))).toBe(0);
  });

  it('say once what many have in common, and refuse a size that holds nothing', () => {
    const long = coloured(8);
    const small = wanted({ size: shippedLabelSizes[4]!, code: 'passport', origin: 'http://127.0.0.1:4680' });
    expect(labelPages(batchId, long, small).remarks).toEqual([
      expect.stringMatching(/The code is left out.*So it is on 8 devices/),
    ]);
    const size = { ...shippedLabelSizes[0]!, label: { width: 3, height: 3 } };
    expect(() => labelPages(batchId, long, wanted({ size }))).toThrow(/holds nothing/);
  });
});

describe('slips for credentials', () => {
  it('have each password whole and on its inner panel, whatever its length', async () => {
    const base = {
      mark: '7KQ4J',
      nest: 'A1',
      role: 'tank monitor',
      userName: 'keeper',
      address: '192.0.2.7',
      port: 2222,
      hostKeyFingerprint: 'SHA256:abcdefghijklmnopqrstuvwxyz0123456789ABCDEFG',
    };
    const slips = [
      { ...base, hostName: 'tank-01', password: 'mK7pQ2xR9vT4wY6z' },
      { ...base, hostName: 'tank-02', password: 'x'.repeat(120) },
      { ...base, hostName: 'tank-03', password: 'low tide & "oysters" <at> seven' },
      { ...base, hostName: 'tank-04', password: '12345678' },
    ];
    const pages = credentialSlips(slips, measure);
    expect(pages).toHaveLength(2);
    writeFileSync(join(folder, 'slips.pdf'), await pdfOf(pages, 'x'));
    const text = run('pdftotext', ['-layout', 'slips.pdf', '-']);
    for (const { hostName, password } of slips) {
      expect(text).toContain(hostName);
      expect(text).toContain(password);
    }
    expect(text).toContain('ssh -p 2222 keeper@192.0.2.7');
    expect(text).toContain('SHA256:abcdefghijklmnopqrstuvwxyz0123456789ABCDEFG');
  });
});
