import { overlap } from '../net/subnet';
import { searchSubnet } from '../plan/search-subnet';
import { vpnNetworkFault } from '../vpn/addresses';
import { isHubNearOnly, isHubPlace, vpnFaults } from '../vpn/faults';
import { carriesOf, imageOf } from './of-image';
import { perVariant, type Hit, type Rule } from './rule';

const whole: Rule = {
  id: 'vpn-whole',
  title: 'The VPN’s hub and its addresses are told',
  why: 'A board whose file names no hub meets nobody, and nobody can tell it so from outside.',
  source: 'wg(8), "CONFIGURATION FILE FORMAT"; RFC 1123 section 2.1; RFC 1918',
  check: ({ plan }) =>
    vpnFaults(plan).map(({ place, message, fix }): Hit => ({
      // What goes onto cards cannot be mended from here.
      severity: plan.vpn.by === 'cards' ? 'stops' : 'warns',
      place: `vpn.${place}`,
      message,
      fix,
    })),
};

const apart: Rule = {
  id: 'vpn-apart',
  title: 'The VPN’s addresses are nobody else’s',
  why: 'What goes to an address that both have goes the wrong way: a board may lose its neighbours, or the bench its boards.',
  source: 'RFC 1918 section 3; wg-quick(8)',
  check: ({ plan, networks, surroundings }) => {
    const range = plan.vpn.network.trim();
    if (!plan.vpn.wanted || vpnNetworkFault(range) !== null) return [];
    const subnet = searchSubnet(plan, networks);
    const others = [
      { cidr: subnet, what: 'the network on which the boards appear' },
      ...surroundings.workstation.map(({ address, prefix }) => ({
        cidr: `${address}/${String(prefix)}`,
        what: 'a network of this computer',
      })),
      ...(plan.extras.wired.way === 'fixed'
        ? plan.devices.map(({ overrides }) => ({
            cidr: overrides.wiredAddress ?? '',
            what: 'a fixed address of a board',
          }))
        : []),
    ];
    const [met] = others.filter(({ cidr }) => overlap(range, cidr));
    return met
      ? [
          {
            severity: 'warns',
            place: 'vpn.network',
            message: `The VPN’s addresses ${range} are also those of ${met.what} (${met.cidr}).`,
            fix: 'Choose another private range for the VPN.',
          },
        ]
      : [];
  },
};

const reached: Rule = {
  id: 'vpn-hub-reached',
  title: 'The hub is reached from where the boards will be',
  why: 'A private address is somebody else’s, or nobody’s, in another network.',
  source: 'RFC 1918 section 3; common practice',
  check: ({ plan: { vpn } }) =>
    vpn.wanted && isHubPlace(vpn.hub.trim()) && isHubNearOnly(vpn.hub)
      ? [
          {
            severity: 'warns',
            place: 'vpn.hub',
            message: `${vpn.hub.trim()} is a private address: boards find the hub there from its own network alone.`,
            fix: 'Give a name or an address that is the same from everywhere.',
          },
        ]
      : [],
};

const setUp: Rule = {
  id: 'vpn-set-up',
  title: 'Something sets the VPN up on the boards',
  why: 'A file alone makes no tunnel: its programs have to be installed and its service started.',
  source: 'wg-quick(8); common practice',
  check: (view) => {
    const { vpn, bringUp } = view.plan;
    if (!vpn.wanted || (bringUp.wanted && !bringUp.without.includes('vpn'))) return [];
    return perVariant(view, ['imageId'], (settings): Hit[] => {
      const image = imageOf(view, settings);
      if (!image) return [];
      const carries = carriesOf(image);
      if (
        vpn.by === 'cards' &&
        carries.has('boardFiles') &&
        carries.has('packages') &&
        carries.has('commands')
      )
        return [];
      return [
        {
          severity: 'warns',
          place: 'vpn.wanted',
          message: `Nothing would set the VPN up on boards of ${image.title}: they are not brought up from here, and ${vpn.by === 'cards' ? 'their cards cannot carry all of it' : 'nothing of it goes onto their cards'}.`,
          fix: 'Choose that boards are brought up, with the step "VPN", or do it by hand with the files under Hand over.',
        },
      ];
    });
  },
};

export const vpnRules: readonly Rule[] = [whole, apart, reached, setUp];
