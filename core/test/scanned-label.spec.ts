import { nameByLabel } from '../src/locate/scanned-label';
import { checkCharacter } from '../src/plan/marks';

const mark = (payload: string): string => `${payload}${checkCharacter(payload)}`;
const devices = [
  { id: 'd1', mark: mark('7KQ4'), hostName: 'tank-01' },
  { id: 'd2', mark: mark('9XYZ'), hostName: 'tank-02' },
];
const host = (last: string, isNew = true, namedAs: string | null = null) => ({
  hardwareAddress: `02:00:5e:00:53:${last}`,
  isNew,
  namedAs,
});
const why = (scanned: string, hosts: Parameters<typeof nameByLabel>[2]): string => {
  const named = nameByLabel(scanned, devices, hosts);
  return named.kind === 'refused' ? named.why : named.hostName;
};

it('the label of the board that was powered names the one that is new, however it is typed', () => {
  const scanned = ` ${mark('9XYZ').toLowerCase().slice(0, 2)}-${mark('9XYZ').slice(2)}\n`;
  expect(nameByLabel(scanned, devices, [host('01', false), host('02'), host('03', true, 'd1')])).toEqual({
    kind: 'named',
    deviceId: 'd2',
    hostName: 'tank-02',
    hardwareAddress: '02:00:5e:00:53:02',
  });
});

it('nobody is named by a misread label, by that of another batch, by none that is new, or by two', () => {
  const wrong = `7KQ4${mark('7KQ4').endsWith('A') ? 'B' : 'A'}`;
  expect(why(wrong, [host('01')])).toContain('its last character does not fit');
  expect(why(mark('ABCD'), [host('01')])).toContain('No device of this batch');
  expect(why(mark('7KQ4'), [host('01', false), { ...host('02'), hardwareAddress: null }])).toContain(
    'Nobody new is here',
  );
  expect(why(mark('7KQ4'), [host('01'), host('02')])).toContain('2 are new');
});
