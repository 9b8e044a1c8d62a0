import { isCountry } from '../wifi/countries';
import { candidates, joinsByNetworkManager, knowsSecurity, sharesBand } from '../plan/join';
import { networkTitle, wifiSecurityTitles } from '../wifi/network';
import { inSubnet, subnetFault, subnetFaultTexts, subnetHostCount } from '../net/subnet';
import { findBoard } from '../boards/profiles';
import { searchSubnet } from '../plan/search-subnet';
import { perVariant, type Hit, type Rule } from './rule';

const country: Rule = {
  id: 'country',
  title: 'The country is set to where the boards will run',
  why: 'Without a country the radio stays off; the wrong one forbids channels that the access point may use. Local radio rules apply.',
  source: 'ISO 3166-1; common practice',
  check: (view) =>
    perVariant(view, ['country'], ({ country: code }) =>
      isCountry(code)
        ? []
        : [
            {
              severity: 'stops',
              place: 'country',
              message: code ? `"${code}" is not a country code.` : 'The country is missing.',
              fix: 'Choose the country in which the boards will be used.',
            },
          ],
    ),
};

const someNetwork: Rule = {
  id: 'network-chosen',
  title: 'Every board has a way onto a network',
  why: 'A headless board without a network cannot be found or reached.',
  source: 'common practice',
  check: (view) =>
    perVariant(view, ['networks', 'boardProfileId'], ({ networks, boardProfileId }): Hit[] => {
      const board = findBoard(view.boards, boardProfileId);
      if (!board) return [];
      const radio = board.wifiBands.length > 0;
      const place = 'networks';
      if (networks.length > 0 && !radio)
        return [
          {
            severity: board.ethernet ? 'note' : 'stops',
            place,
            message: `"${board.title}" has no radio; ${board.ethernet ? 'it joins by wire' : 'no network of the plan can be joined'}.`,
            fix: board.ethernet
              ? 'Have a network cable ready for it.'
              : 'Choose another board, or plan a USB network adapter.',
          },
        ];
      if (networks.length > 0) return [];
      return [
        {
          severity: board.ethernet ? 'note' : 'stops',
          place,
          message: board.ethernet
            ? 'No Wi-Fi network is chosen: the boards join by wire.'
            : `No network is chosen, and "${board.title}" has no socket for a cable.`,
          fix: 'Choose a network from the shelf, or make a new one.',
        },
      ];
    }),
};

const bandMatch: Rule = {
  id: 'network-band',
  title: 'The board’s radio has a band of the network',
  why: 'Many small boards have 2.4 GHz only; the 5 GHz name of a dual-band router is not there for them.',
  source: 'common practice',
  check: (view) =>
    perVariant(view, ['networks', 'boardProfileId'], ({ networks, boardProfileId }) => {
      const board = findBoard(view.boards, boardProfileId);
      if (!board || board.wifiBands.length === 0) return [];
      return view.networks
        .filter(({ id }) => networks.some(({ networkId }) => networkId === id))
        .filter((network) => !sharesBand(board, network))
        .map((network): Hit => ({
          severity: networks.length === 1 ? 'stops' : 'warns',
          place: 'net.bands',
          networkId: network.id,
          message: `${networkTitle(network)} is on ${network.bands.join(' and ')}; "${board.title}" has ${board.wifiBands.join(' and ')} only.`,
          fix: 'Choose the network’s other name, or another board.',
        }));
    }),
};

const securityMatch: Rule = {
  id: 'network-security',
  title: 'The board’s radio knows the network’s security',
  why: 'A radio that does not know WPA3 does not see a WPA3-only network as one that it could join.',
  source: 'IEEE Std 802.11-2020 section 12.4 (SAE); common practice',
  check: (view) =>
    perVariant(view, ['networks', 'boardProfileId'], ({ networks, boardProfileId }) => {
      const board = findBoard(view.boards, boardProfileId);
      if (!board || board.wifiBands.length === 0) return [];
      return view.networks
        .filter(({ id }) => networks.some(({ networkId }) => networkId === id))
        .filter(({ security }) => !knowsSecurity(board, security))
        .map((network): Hit => ({
          severity: networks.length === 1 ? 'stops' : 'warns',
          place: 'net.security',
          networkId: network.id,
          message: `"${board.title}" does not know ${wifiSecurityTitles[network.security]}, which ${networkTitle(network)} uses.`,
          fix: 'Set the access point to a mixed mode, or choose another board.',
        }));
    }),
};

const joinOrder: Rule = {
  id: 'network-order',
  title: 'It is clear which network a board joins at the bench',
  why: 'Boards spread over two networks are half of them not found.',
  source: 'nm-settings(5), "autoconnect-priority"; wpa_supplicant.conf(5), "priority"',
  check: (view) =>
    perVariant(view, ['networks', 'boardProfileId'], ({ networks, boardProfileId }): Hit[] => {
      const board = findBoard(view.boards, boardProfileId);
      if (!board || networks.length === 0 || board.wifiBands.length === 0) return [];
      const list = candidates(board, networks, view.networks);
      const joined = joinsByNetworkManager(list);
      if (joined && joined.networks.length > 1)
        return [
          {
            severity: 'warns',
            place: 'networks',
            message: `Boards may join ${joined.networks.map(networkTitle).join(' or ')}: they have the same priority.`,
            fix: 'Give the one that you want a higher priority.',
          },
        ];
      const only = list.filter(({ obstacle }) => obstacle !== null && obstacle !== 'not-heard').length;
      return joined || only === list.length
        ? []
        : [
            {
              severity: 'note',
              place: 'networks',
              message: 'None of the networks is on the air at the bench: the boards will not appear here.',
              fix: 'Add the bench’s own network with a lower priority, or search at the site.',
            },
          ];
    }),
};

const subnet: Rule = {
  id: 'subnet',
  title: 'The subnet on which the boards will appear is known',
  why: 'Only this subnet is ever looked at. Name one that is yours or that you may search.',
  source: 'RFC 4632 section 3.1 (CIDR), RFC 1918 (private ranges)',
  check: (view): Hit[] => {
    const fault = subnetFault(searchSubnet(view.plan, view.networks));
    if (!fault) return [];
    return [
      {
        severity: 'warns',
        place: 'network.subnet',
        message: subnetFaultTexts[fault],
        fix: 'Write it as 192.168.10.0/24: the router’s settings or the workstation’s own address tell it.',
      },
    ];
  },
};

const workstation: Rule = {
  id: 'workstation-network',
  title: 'The workstation is on the network that the boards will join',
  why: 'It is the first thing to check and the commonest cause of "not found".',
  source: 'common practice',
  check: (view) => {
    const where = searchSubnet(view.plan, view.networks);
    const own = view.surroundings.workstation;
    if (subnetFault(where) || own.length === 0) return [];
    if (
      own.some(
        ({ address, prefix }) =>
          inSubnet(address, where) || inSubnet(where.split('/')[0] ?? '', `${address}/${String(prefix)}`),
      )
    )
      return [];
    return [
      {
        severity: 'warns',
        place: 'network.subnet',
        message: `This workstation has no address in ${where}.`,
        fix: 'Connect it to the network that the boards will join before you search.',
      },
    ];
  },
};

/** Devices that shall join each network. */
const joining = (view: Parameters<Rule['check']>[0], networkId: string): number =>
  view.variants.reduce(
    (sum, { settings, devices }) =>
      sum + (settings.networks.some((join) => join.networkId === networkId) ? devices.length : 0),
    0,
  );

const pool: Rule = {
  id: 'address-pool',
  title: 'The address server has an address for every board',
  why: 'A board without an address takes one from 169.254, and is then on no network that anybody looks at.',
  source: 'RFC 2131 section 3.1 (DHCP), RFC 3927 (link-local)',
  check: (view) =>
    view.used.flatMap((network): Hit[] => {
      const count = joining(view, network.id);
      const room = network.poolSize ?? (subnetFault(network.subnet) ? null : subnetHostCount(network.subnet));
      return room !== null && room < count
        ? [
            {
              severity: 'warns',
              place: 'net.poolSize',
              networkId: network.id,
              message: `${networkTitle(network)} has ${String(room)} addresses for ${String(count)} boards.`,
              fix: 'Widen the pool, or power fewer boards at once.',
            },
          ]
        : [];
    }),
};

const clients: Rule = {
  id: 'client-limit',
  title: 'The access point takes all boards at once',
  why: 'Hotspots often stop at 5 to 10 clients; the rest is refused without a word.',
  source: 'common practice',
  check: (view) =>
    view.used.flatMap((network): Hit[] => {
      const count = joining(view, network.id);
      return network.clientLimit !== null && network.clientLimit < count
        ? [
            {
              severity: 'warns',
              place: 'net.clientLimit',
              networkId: network.id,
              message: `${networkTitle(network)} takes ${String(network.clientLimit)} clients; ${String(count)} boards shall join it.`,
              fix: 'Power fewer boards at once, or use another access point. The workstation counts as well.',
            },
          ]
        : [];
    }),
};

const isolation: Rule = {
  id: 'client-isolation',
  title: 'The network lets its clients see each other',
  why: 'Guest networks keep their clients apart: boards are online, and the workstation cannot reach them.',
  source: 'common practice',
  check: ({ used }) =>
    used
      .filter((network) => network.isolation)
      .map((network): Hit => ({
        severity: 'warns',
        place: 'net.isolation',
        networkId: network.id,
        message: `${networkTitle(network)} keeps its clients apart; no search will find a board there.`,
        fix: 'Switch client isolation off, or use another network at the bench.',
      })),
};

export const joiningRules: readonly Rule[] = [
  country,
  someNetwork,
  bandMatch,
  securityMatch,
  joinOrder,
  subnet,
  workstation,
  pool,
  clients,
  isolation,
];
