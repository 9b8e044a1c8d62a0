import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { overlap } from '../src/net/subnet';
import { checkPlan } from '../src/rules';
import { someVpnNetwork, vpnAddress, vpnNetworkFault, vpnRoom } from '../src/vpn/addresses';
import { boardConfig, hubConfig, hubName, type VpnBoard } from '../src/vpn/config';
import { isHubPlace } from '../src/vpn/faults';
import { isVpnKey } from '../src/vpn/keys';
import { cardFilesOf } from '../src/firstboot/card-files';
import { noBase } from '../src/firstboot/base-files';
import { MASK, withoutSecrets } from '../src/firstboot/preview';
import type { VpnPlan } from '../src/plan/vpn-plan';
import { settings, soundPlan, viewOf } from './helpers/plan';
import { tunnelKeys } from './helpers/tunnel-keys';

/** The tunnel's files are read by Debian's wireguard-tools, addresses judged by Python's ipaddress. */

let folder = '';
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-vpn-'));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const wg = (args: string[], input = ''): string =>
  execFileSync('wg', args, { input, encoding: 'utf8', stdio: ['pipe', 'pipe', 'pipe'] });
/** What wg-quick hands to the tunnel itself, without its own words; wg(8) reads nothing from a # on. */
const stripped = (content: string): string[] => {
  const path = join(folder, 'nest-mark.conf');
  writeFileSync(path, content, { mode: 0o600 });
  return execFileSync('wg-quick', ['strip', path], { encoding: 'utf8' })
    .split('\n')
    .filter((line) => line !== '' && !line.startsWith('#'));
};

const board = (change: Partial<VpnBoard> = {}): VpnBoard => ({
  ...tunnelKeys(),
  address: '10.86.40.7',
  hubKey: tunnelKeys().publicKey,
  hub: 'hub.example.org',
  port: 51_820,
  network: '10.86.40.0/24',
  keepAlive: 25,
  ...change,
});

describe('the tunnel’s files', () => {
  it('of a board are what wg-quick takes, with the hub’s range alone going through', () => {
    const one = board();
    expect(stripped(boardConfig(one))).toEqual([
      '[Interface]',
      `PrivateKey = ${one.privateKey}`,
      '[Peer]',
      `PublicKey = ${one.hubKey}`,
      'Endpoint = hub.example.org:51820',
      'AllowedIPs = 10.86.40.0/24',
      'PersistentKeepalive = 25',
    ]);
    expect(boardConfig(one)).toContain('Address = 10.86.40.7/24\n');
    expect(boardConfig(board({ hub: '2001:db8::7', keepAlive: 0 }))).toContain(
      'Endpoint = [2001:db8::7]:51820\n',
    );
    expect(boardConfig(board({ keepAlive: 0 }))).not.toContain('PersistentKeepalive');
  });

  it('of a hub hold each board once, whatever their names try to be', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.string({ unit: 'binary', maxLength: 40 }), fc.string({ maxLength: 20 })), {
          maxLength: 6,
        }),
        (names) => {
          const hub = tunnelKeys();
          const boards = names.map(([hostName, mark], index) => ({
            hostName: index % 2 === 0 ? `${hostName}\n[Peer]\nAllowedIPs = 0.0.0.0/0\n` : hostName,
            mark,
            address: `10.86.40.${String(index + 2)}`,
            publicKey: tunnelKeys().publicKey,
          }));
          expect(
            stripped(
              hubConfig({ ...hub, address: '10.86.40.1', port: 51_820, network: '10.86.40.0/24', boards }),
            ),
          ).toEqual([
            '[Interface]',
            `PrivateKey = ${hub.privateKey}`,
            'ListenPort = 51820',
            ...boards.flatMap(({ address, publicKey }) => [
              '[Peer]',
              `PublicKey = ${publicKey}`,
              `AllowedIPs = ${address}/32`,
            ]),
          ]);
        },
      ),
      { numRuns: 25 },
    );
  });

  it('have keys as the tunnel’s own tools take them, and no others', () => {
    for (let turn = 0; turn < 20; turn++) {
      const { privateKey, publicKey } = tunnelKeys();
      expect(wg(['pubkey'], privateKey).trim()).toBe(publicKey);
      expect(isVpnKey(wg(['genkey']).trim())).toBe(true);
    }
    fc.assert(
      fc.property(
        fc.oneof(
          fc.base64String({ minLength: 40, maxLength: 48 }),
          fc
            .uint8Array({ minLength: 31, maxLength: 33 })
            .map((octets) => Buffer.from(octets).toString('base64')),
          fc
            .tuple(fc.constant(tunnelKeys().publicKey), fc.nat(43))
            .map(([key, at]) => `${key.slice(0, at)}*${key.slice(at + 1)}`),
        ),
        (text) => {
          let taken = true;
          try {
            wg(['pubkey'], text);
          } catch {
            taken = false;
          }
          expect(isVpnKey(text)).toBe(taken);
        },
      ),
      { numRuns: 60 },
    );
  });

  it('of a hub have a name that an interface can have', () => {
    fc.assert(
      fc.property(fc.stringMatching(/^[a-z0-9-]{1,40}$/), (slug) => {
        expect(hubName(slug)).toMatch(/^[a-zA-Z0-9_=+.-]{1,15}$/);
      }),
    );
  });
});

describe('addresses inside a tunnel', () => {
  it('are those that Python counts', () => {
    const cases = ['10.86.40.0/24', '10.86.40.9/29', '172.20.255.128/26', '192.168.0.0/16'];
    const counted = JSON.parse(
      execFileSync(
        '/usr/bin/python3',
        [
          '-c',
          `import ipaddress, json, sys
out = []
for text in json.loads(sys.argv[1]):
    hosts = list(ipaddress.ip_interface(text).network.hosts())
    out.append([len(hosts), str(hosts[0]), str(hosts[1]), str(hosts[-1])])
print(json.dumps(out))`,
          JSON.stringify(cases),
        ],
        { encoding: 'utf8' },
      ),
    ) as [number, string, string, string][];
    cases.forEach((cidr, index) => {
      const [count, first, second, last] = counted[index]!;
      expect(vpnRoom(cidr)).toBe(count - 1);
      expect([vpnAddress(cidr, 1), vpnAddress(cidr, 2), vpnAddress(cidr, count)]).toEqual([
        first,
        second,
        last,
      ]);
      expect([vpnAddress(cidr, 0), vpnAddress(cidr, count + 1)]).toEqual([null, null]);
    });
  });

  it('are of a private range that is neither too wide nor too small', () => {
    for (const good of ['10.0.0.0/16', ' 10.86.40.0/24 ', '192.168.9.0/29', '172.31.0.0/22'])
      expect(vpnNetworkFault(good)).toBeNull();
    for (const bad of [
      '',
      '10.0.0.0',
      '10.0.0.0/8',
      '10.0.0.0/30',
      '203.0.113.0/24',
      '127.0.0.0/24',
      '169.254.1.0/24',
      '100.64.0.0/24',
      '010.0.0.0/24',
      'fd00::/64',
    ])
      expect(vpnNetworkFault(bad)).toEqual(expect.any(String));
  });

  it('that are proposed share nothing with what is known', () => {
    fc.assert(
      fc.property(
        fc.array(fc.nat(255), { maxLength: 40 }),
        fc.infiniteStream(fc.nat(0xffff)),
        (taken, draw) => {
          const others = taken.map((part) => `10.${String(64 + (part % 64))}.0.0/16`);
          const found = someVpnNetwork((end) => (draw.next().value as number) % end, others);
          expect(vpnNetworkFault(found)).toBeNull();
          expect(others.some((other) => overlap(other, found))).toBe(false);
        },
      ),
      { numRuns: 50 },
    );
  });

  it('a hub is found by a name or an address, and by nothing that would be another setting', () => {
    for (const good of ['hub.example.org', 'hub', '203.0.113.5', '2001:db8::7'])
      expect(isHubPlace(good)).toBe(true);
    for (const bad of [
      '',
      'hub:51820',
      '203.0.113.5:51820',
      '[2001:db8::7]',
      '203.0.113',
      'fe80::1%eth0',
      'a b',
      'hub\nPostUp = reboot',
      '-hub',
      'https://hub',
    ])
      expect(isHubPlace(bad)).toBe(false);
  });
});

describe('a plan with a tunnel', () => {
  const found = (
    change: Partial<VpnPlan>,
    more: (view: ReturnType<typeof viewOf>) => void = () => undefined,
  ) => {
    const plan = soundPlan();
    plan.bringUp = { ...plan.bringUp, wanted: true };
    plan.vpn = { ...plan.vpn, wanted: true, hub: 'hub.example.org', network: '10.86.40.0/24', ...change };
    const view = viewOf(plan);
    more(view);
    return checkPlan(view).map(({ severity, rule, place }) => `${severity} ${rule} ${place}`);
  };

  it('is told what it lacks; what goes onto cards stops them', () => {
    expect(found({})).toEqual([]);
    expect(found({ wanted: false, hub: '', network: '' })).toEqual([]);
    expect(found({ hub: '' })).toEqual(['warns vpn-whole vpn.hub']);
    expect(found({ hub: '', by: 'cards' })).toEqual(['stops vpn-whole vpn.hub']);
    expect(found({ hub: 'hub:1' })).toEqual(['warns vpn-whole vpn.hub']);
    expect(found({ network: '10.86.40.0/29' })).toEqual(['warns vpn-whole vpn.network']);
    expect(found({ network: '10.86.40.0/28' })).toEqual([]);
  });

  it('is told of addresses that are somebody’s, and of a hub that is near only', () => {
    expect(found({ network: '192.168.40.128/25' })).toEqual(['warns vpn-apart vpn.network']);
    expect(
      found({}, (view) => (view.surroundings.workstation = [{ address: '10.86.40.3', prefix: 8 }])),
    ).toEqual(['warns workstation-network network.subnet', 'warns vpn-apart vpn.network']);
    expect(found({ hub: '192.168.7.7' })).toEqual(['warns vpn-hub-reached vpn.hub']);
  });

  it('is told where nothing would set it up', () => {
    const notBroughtUp = (view: ReturnType<typeof viewOf>): unknown =>
      (view.plan.bringUp = { ...view.plan.bringUp, wanted: false });
    expect(found({}, notBroughtUp)).toEqual(['warns vpn-set-up vpn.wanted']);
    expect(found({ by: 'cards' }, notBroughtUp)).toEqual([]);
    expect(
      found({ by: 'cards' }, (view) => {
        notBroughtUp(view);
        view.images = view.images.map((image) => ({ ...image, method: 'run-once' }));
      }),
    ).toEqual(['warns vpn-set-up vpn.wanted']);
    expect(found({}, (view) => (view.plan.bringUp = { ...view.plan.bringUp, without: ['vpn'] }))).toEqual([
      'warns vpn-set-up vpn.wanted',
    ]);
  });
});

describe('a card with the tunnel', () => {
  const text = (some: ReturnType<typeof cardFilesOf>): string =>
    some.map(({ content }) => Buffer.from(content).toString('utf8')).join('\n');

  it('has its file, its programs and its start, by each method that carries files for the board', () => {
    const vpn = board();
    for (const method of ['declarative-seed', 'run-once'] as const) {
      const all = text(cardFilesOf(method, settings({ vpn }), noBase));
      expect(all).toContain('/etc/wireguard/nest-mark.conf');
      expect(all.replace(/\s+/g, ' ')).toContain('systemctl enable --now wg-quick@nest-mark.service');
    }
    expect(text(cardFilesOf('declarative-seed', settings({ vpn }), noBase))).toContain('wireguard-tools');
  });

  it('shows no secret of it in a preview', () => {
    const vpn = board();
    const masked = withoutSecrets(settings({ vpn }));
    expect(masked.vpn?.privateKey).toBe(MASK);
    for (const method of ['declarative-seed', 'run-once'] as const) {
      const all = text(cardFilesOf(method, masked, noBase));
      expect(all).not.toContain(vpn.privateKey);
      expect(all).toContain(vpn.hubKey);
    }
  });
});
