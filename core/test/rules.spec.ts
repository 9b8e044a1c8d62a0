import { sshString } from '../src/access/ssh-wire';
import { concatBytes, toBase64 } from '../src/bytes';
import { checkPlan, planRules } from '../src/batch/rules';
import { stopsWriting } from '../src/batch/finding';
import type { Plan, PlanView } from '../src/batch/model';
import { soundPlan, userKey, viewOf } from './helpers/plan';

type Change = (plan: Plan, view: PlanView) => void;

const first = (plan: Plan): Plan['devices'][number] => {
  const [device] = plan.devices;
  if (!device) throw new Error('the plan has no devices');
  return device;
};

/** Rules hit by a plan that was sound before the change. */
function hit(change: Change): string[] {
  const view = viewOf(soundPlan(3));
  change(view.plan, view);
  return [...new Set(checkPlan(view).map((finding) => `${finding.rule} ${finding.severity}`))];
}

describe('rules of the plan', () => {
  it('find nothing in a sound plan, so that a silent rule is a rule that does not fire', () => {
    expect(checkPlan(viewOf(soundPlan()))).toEqual([]);
  });

  const cases: [string, string, Change][] = [
    ['no image', 'image-chosen stops', (plan) => (plan.imageId = null)],
    ['an image that left the shelf', 'image-chosen stops', (_plan, view) => (view.image = null)],
    [
      'an image without a method',
      'image-chosen stops',
      (_plan, view) => view.image && (view.image.method = 'none'),
    ],
    ['no time zone', 'time-zone stops', (plan) => (plan.timeZone = '')],
    ['a time zone in small letters', 'time-zone stops', (plan) => (plan.timeZone = 'Atlantic/faroe')],
    ['an invented time zone', 'time-zone stops', (plan) => (plan.timeZone = 'Atlantic/Saltmarsh')],
    ['a locale without encoding', 'locale stops', (plan) => (plan.locale = 'en_GB')],
    ['a name with a space', 'host-name-form stops', (plan) => (first(plan).hostName = 'tank 1')],
    ['a name twice in other case', 'host-name-unique stops', (plan) => (first(plan).hostName = 'TANK-002')],
    ['a nest outside the tray', 'nest-place stops', (plan) => (first(plan).nest = 'Z9')],
    ['a nest taken twice', 'nest-place stops', (plan) => (first(plan).nest = 'A2')],
    ['a mistyped mark', 'mark-form stops', (plan) => (first(plan).mark = '23456')],
    ['a mark twice', 'mark-form stops', (plan) => (first(plan).mark = plan.devices[1]?.mark ?? '')],
    ['no network name', 'ssid-length stops', (plan) => (plan.wifi.ssid = '')],
    [
      'a network name of 33 octets in 31 letters',
      'ssid-length stops',
      (plan) => (plan.wifi.ssid = `øø${'x'.repeat(29)}`),
    ],
    [
      'a network name with a space at the end',
      'ssid-spaces warns',
      (plan) => (plan.wifi.ssid = 'Salt Marsh '),
    ],
    [
      'no passphrase',
      'passphrase-form stops',
      (_plan, view) => (view.secrets.wifiPassphrase = { kind: 'missing' }),
    ],
    [
      'a passphrase of 7',
      'passphrase-form stops',
      (_plan, view) => (view.secrets.wifiPassphrase = { kind: 'typed', value: '1234567' }),
    ],
    [
      'a curly quote',
      'passphrase-form stops',
      (_plan, view) => (view.secrets.wifiPassphrase = { kind: 'typed', value: 'oyster’s bed' }),
    ],
    [
      '63 and a stray space',
      'passphrase-spaces warns',
      (_plan, view) => (view.secrets.wifiPassphrase = { kind: 'typed', value: `${'x'.repeat(62)} ` }),
    ],
    ['no country', 'country stops', (plan) => (plan.country = '')],
    ['an unassigned country', 'country stops', (plan) => (plan.country = 'UK')],
    ['no subnet', 'subnet warns', (plan) => (plan.network.subnet = '')],
    ['a public subnet', 'subnet warns', (plan) => (plan.network.subnet = '8.8.8.0/24')],
    ['a wide subnet', 'subnet warns', (plan) => (plan.network.subnet = '10.0.0.0/8')],
    ['no user', 'user-name stops', (plan) => (plan.access.userName = '')],
    ['the system’s own user', 'user-name stops', (plan) => (plan.access.userName = 'root')],
    [
      'a cut key beside a good one',
      'key-form stops',
      (plan) => (plan.access.keys = `${userKey}\n${userKey.slice(0, 40)}`),
    ],
    ['the key twice', 'key-twice note', (plan) => (plan.access.keys = `${userKey}\n# again\n${userKey}`)],
    ['no key', 'way-in stops', (plan) => (plan.access.keys = '# none')],
    [
      'a password that is switched on but not set',
      'way-in stops',
      (plan) => {
        plan.access.keys = '';
        plan.access.passwordLogin = true;
      },
    ],
    [
      'a short password',
      'password-length warns',
      (plan, view) => {
        plan.access.passwordLogin = true;
        view.secrets.userPassword = { kind: 'typed', value: 'oyster' };
      },
    ],
    ['no devices', 'some-devices stops', (plan) => (plan.devices = [])],
    ['a weak RSA key', 'key-strength warns', (plan) => (plan.access.keys = `${userKey}\n${weakRsa}`)],
  ];
  // A modulus of 1,024 bits behind the zero octet that keeps it positive (RFC 4251 section 5, mpint).
  const modulus = Uint8Array.from({ length: 129 }, (_, at) => (at === 0 ? 0 : 0x80 | at));
  const weakRsa = `ssh-rsa ${toBase64(
    concatBytes(sshString('ssh-rsa'), sshString(Uint8Array.of(1, 0, 1)), sshString(modulus)),
  )} old@bench`;

  it.each(cases)('%s: %s', (_name, expected, change) => {
    expect(hit(change)).toEqual([expected]);
  });

  it('every rule fires in one of the cases above', () => {
    const fired = new Set(cases.map(([, expected]) => expected.split(' ')[0]));
    expect(planRules.map((rule) => rule.id).filter((id) => !fired.has(id))).toEqual([]);
  });

  it('let a password in when there is no key', () => {
    expect(
      hit((plan, view) => {
        plan.access.keys = '';
        plan.access.passwordLogin = true;
        view.secrets.userPassword = { kind: 'kept' };
      }),
    ).toEqual([]);
  });

  it('only the ones that stop forbid writing; each finding says why and what to do', () => {
    const view = viewOf(soundPlan(2));
    view.plan.wifi.ssid = 'Salt Marsh ';
    expect(stopsWriting(checkPlan(view))).toBe(false);
    view.plan.country = 'XX';
    const findings = checkPlan(view);
    expect(stopsWriting(findings)).toBe(true);
    for (const finding of findings) {
      expect(finding.reason.length).toBeGreaterThan(20);
      expect(finding.fix.length).toBeGreaterThan(10);
    }
  });

  it('have ids, titles and sources of their own', () => {
    expect(new Set(planRules.map((rule) => rule.id)).size).toBe(planRules.length);
    for (const rule of planRules) expect(rule.source).not.toBe('');
  });
});
