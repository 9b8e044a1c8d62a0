import fc from 'fast-check';
import { shippedBoards } from '../src/boards/profiles';
import { deviceTable, previewTable, type TablePreview } from '../src/plan/device-table';
import { addNewDevices, freeNests } from '../src/plan/fill-tray';
import type { Device, Plan } from '../src/plan/model';
import { renumber } from '../src/plan/renumber';
import { soundPlan } from './helpers/plan';

const empty = (): Plan => ({ ...soundPlan(1), devices: [] });
const read = (text: string, plan = empty()): TablePreview => previewTable(text, plan, shippedBoards);
const told = (preview: TablePreview): string[] =>
  preview.lines.map(({ line, action, problems }) =>
    `${String(line)} ${action} ${problems.join('; ')}`.trim(),
  );

describe('tables of devices', () => {
  it.each([
    ['commas', 'host name,role\ntank-01,monitor'],
    ['semicolons', 'Host name;Role\ntank-01;monitor'],
    ['tabs, as spreadsheets copy', 'hostname\trole\ntank-01\tmonitor'],
    ['a byte-order mark', '\uFEFFhost_name,role\r\ntank-01,monitor\r\n'],
    ['quotes', '"name","role"\n"tank-01","monitor"'],
    ['no titles', 'tank-01,monitor'],
  ])('%s', (_name, text) => {
    expect(read(text).additions).toMatchObject([{ hostName: 'tank-01', role: 'monitor' }]);
  });

  it('a plain list is a table of one column', () => {
    const preview = read('tank-01\ntank-02\n');
    expect(preview.additions.map(({ hostName }) => hostName)).toEqual(['tank-01', 'tank-02']);
    expect(told(preview)).toEqual(['1 add', '2 add']);
  });

  it('says line by line what is wrong, and counts lines as an editor does', () => {
    const preview = read(
      [
        'host name,nest,notes,colour',
        'tank-01,A1,"two',
        'lines",red',
        '',
        'tank_02,Z99,,',
        'TANK-01,,,',
        ',B1,,',
        'tank-03,A1,,',
      ].join('\r\n'),
    );
    expect(preview.unknownColumns).toEqual(['colour']);
    expect(told(preview)).toEqual([
      '2 add',
      '4 skip is blank',
      '5 add has a host name with characters outside a to z, digits and hyphens',
      '6 skip repeats the name of line 2',
      '7 skip has no host name',
      '8 add takes nest A1, which tank-01 has already',
    ]);
    expect(preview.additions.map(({ nest }) => nest)).toEqual(['A1', 'Z99', '']);
  });

  it('mixed line ends and a quote that is not closed lose nothing before it', () => {
    expect(told(read('a\rb\r\nc\n'))).toEqual(['1 add', '2 add', '3 add']);
    const preview = read('name,role\na,x\nb,"y\nc,z');
    expect(told(preview)[0]).toBe('2 add');
    expect(told(preview)[1]).toContain('skip has a quotation mark that is not closed');
  });

  it('changes devices that it names by mark or by name, and says so of marks that it does not know', () => {
    const plan = soundPlan(3);
    const [one, two] = plan.devices as [Device, Device];
    const preview = read(
      `mark,name,role\n${one.mark.toLowerCase()},reed-1,reed\n,${two.hostName.toUpperCase()},marsh\nZZZZZ,new-1,x\n${one.mark},reed-2,x`,
      plan,
    );
    expect(preview.changes).toMatchObject([
      { id: one.id, change: { hostName: 'reed-1', role: 'reed' } },
      { id: two.id, change: { role: 'marsh' } },
    ]);
    expect(told(preview)).toEqual([
      '2 change',
      '3 change',
      '4 add has the mark ZZZZZ, which is not in this plan; it gets a new one',
      '5 skip changes a device that an earlier line changes',
    ]);
  });

  it('takes what differs from the batch as the device’s own', () => {
    const preview = read(
      'name,board,country,time zone,user\na,"Compact, 64 bit, 2.4 GHz only",US,,keeper\nb,nothing,,UTC,',
    );
    expect(preview.additions.map(({ overrides }) => overrides)).toEqual([
      { boardProfileId: 'compact-64', country: 'US' },
      { timeZone: 'UTC' },
    ]);
    expect(told(preview)[1]).toContain('names a board profile that is not on the shelf');
  });

  it('reads 100,000 lines, takes as many as a batch holds, and says so of the rest', () => {
    const text = Array.from({ length: 100_000 }, (_, at) => `host-${String(at)};x`).join('\n');
    const preview = read(text);
    expect(preview.lines).toHaveLength(100_000);
    expect(preview.additions).toHaveLength(1000);
    expect(told(preview)[1000]).toBe('1001 skip is beyond the 1000 devices that one batch holds');
  });

  it('what was written is read back as it was, whatever the notes say', () => {
    const text = fc.string({ unit: 'grapheme', maxLength: 20 }).map((value) => value.trim());
    fc.assert(
      fc.property(
        fc.array(fc.record({ role: text, notes: text }), { minLength: 1, maxLength: 6 }),
        (list) => {
          const plan = soundPlan(list.length);
          plan.devices.forEach((device, at) => Object.assign(device, list[at]));
          plan.devices[0]!.overrides = { boardProfileId: 'compact-64', timeZone: 'UTC' };
          const preview = previewTable(deviceTable(plan, shippedBoards), plan, shippedBoards);
          expect(preview.changes.map(({ id }) => id)).toEqual(plan.devices.map(({ id }) => id));
          preview.changes.forEach(({ change }, at) => {
            const device = plan.devices[at]!;
            // Formulae get a quotation mark in front, so that a spreadsheet does not run them; lone line ends are one kind.
            const same = (written: string): string => written.replace(/\r\n?/g, '\n');
            const safe = (written: string): string =>
              /^[=+\-@\t\r]/.test(written) ? `'${written}` : written;
            expect(change.role).toBe(same(safe(device.role)));
            expect(change.notes).toBe(same(safe(device.notes)));
            expect(change.overrides).toEqual(device.overrides);
          });
        },
      ),
    );
  });

  it('never throws and accounts for every line', () => {
    fc.assert(
      fc.property(
        fc.string({ unit: fc.constantFrom('a', ',', ';', '"', '\n', '\r', '\t', ' ', 'é'), maxLength: 60 }),
        (text) => {
          const preview = read(text);
          const kept = preview.lines.filter(({ action }) => action !== 'skip').length;
          expect(preview.additions.length + preview.changes.length).toBe(kept);
          const lines = preview.lines.map(({ line }) => line);
          expect(lines).toEqual([...lines].sort((a, b) => a - b));
        },
      ),
    );
  });
});

describe('adding and naming anew', () => {
  const draw = {
    random: (below: number) => Math.floor(Math.random() * below),
    id: () => crypto.randomUUID(),
  };

  it('nests that are named are kept, the others get the next free ones', () => {
    const plan = addNewDevices(
      empty(),
      [{ hostName: 'a', nest: 'A2' }, { hostName: 'b' }, { hostName: 'c' }],
      draw,
    );
    expect(plan.devices.map(({ nest }) => nest)).toEqual(['A2', 'A1', 'A3']);
    expect(freeNests(plan, 2)).toEqual(['A4', 'B1']);
  });

  it('names go by the order of the nests, and only to those that are chosen', () => {
    const plan = soundPlan(4);
    plan.devices.reverse();
    const all = renumber(plan, new Set(), 'reed-{n:02}', 5);
    expect(all.devices.map(({ nest, hostName }) => `${nest} ${hostName}`)).toEqual([
      'A4 reed-08',
      'A3 reed-07',
      'A2 reed-06',
      'A1 reed-05',
    ]);
    const some = renumber(plan, new Set([plan.devices[0]!.id]), '{nest}', 1);
    expect(some.devices.map(({ hostName }) => hostName)).toEqual(['a4', 'tank-003', 'tank-002', 'tank-001']);
    expect(() => renumber(plan, new Set(), 'same', 1)).toThrow('all devices get the same name');
  });
});
