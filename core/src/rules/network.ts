import { isCountry } from '../wifi/countries';
import { channelAllowed, channelMHz, isChannel } from '../wifi/channels';
import { verdictTitles } from '../wifi/key-trial';
import { networkTitle, type SecretFault } from '../wifi/network';
import { secretFaults } from '../wifi/secret';
import { SSID_MAX_OCTETS, ssidBytes } from '../wifi/ssid';
import type { NetworkFacts } from '../plan/model';
import type { Hit, Rule } from './rule';

/** One finding about a network. */
const at = (
  network: NetworkFacts,
  severity: Hit['severity'],
  place: string,
  message: string,
  fix: string,
): Hit => ({ severity, place: `net.${place}`, networkId: network.id, message, fix });

const ssidLength: Rule = {
  id: 'ssid-length',
  title: 'The network name has 1 to 32 octets',
  why: 'A name of another length cannot exist on the air, so no board would ever join. Letters outside ASCII count two to four octets.',
  source: 'IEEE Std 802.11-2020 section 9.4.2.2',
  check: ({ used }) =>
    used.flatMap((network): Hit[] => {
      const octets = ssidBytes(network)?.length;
      if (octets !== undefined && octets >= 1 && octets <= SSID_MAX_OCTETS) return [];
      const message =
        octets === undefined
          ? 'The network name is not written in pairs of hexadecimal digits.'
          : octets === 0
            ? 'The network name is missing.'
            : `The network name has ${String(octets)} octets; ${String(SSID_MAX_OCTETS)} is the most.`;
      return [
        at(network, 'stops', 'ssid', message, 'Type the name exactly as the access point announces it.'),
      ];
    }),
};

const ssidSpaces: Rule = {
  id: 'ssid-spaces',
  title: 'The network name has no stray spaces',
  why: 'Spaces at either end are part of the name; pasted by accident, they keep every board off the network.',
  source: 'common practice',
  check: ({ used }) =>
    used
      .filter(({ ssid, ssidForm }) => ssidForm === 'text' && ssid !== ssid.trim())
      .map((network) =>
        at(
          network,
          'warns',
          'ssid',
          'The network name begins or ends with a space.',
          'Remove the space, unless the network is really called so.',
        ),
      ),
};

/** Characters that word processors and web pages put in place of plain ones, and such as nobody can see. */
const pasted: readonly { pattern: RegExp; name: string }[] = [
  { pattern: /[\u2018\u2019\u201a\u201c\u201d\u201e\u2032\u2033]/u, name: 'a curly quote' },
  { pattern: /[\u2010-\u2015\u2212]/u, name: 'a dash that is not a hyphen' },
  { pattern: /[\u00a0\u2007\u202f]/u, name: 'a space that does not break' },
  { pattern: /[\u200b-\u200f\u2060\ufeff]/u, name: 'a character that nobody can see' },
];

const ssidPasted: Rule = {
  id: 'ssid-pasted',
  title: 'The network name has no characters that pasting puts in',
  why: 'Curly quotes, long dashes and invisible spaces look right and are another name: the board never appears.',
  source: 'common practice; the Unicode Standard, chapter 6',
  check: ({ used }) =>
    used.flatMap((network): Hit[] => {
      const found = network.ssidForm === 'text' && pasted.find(({ pattern }) => pattern.test(network.ssid));
      if (!found) return [];
      const fix = 'Type the name by hand, unless the network is really called so.';
      return [at(network, 'warns', 'ssid', `The network name has ${found.name}.`, fix)];
    }),
};

const keyTried: Rule = {
  id: 'key-tried',
  title: 'Each key was tried as it is now, and is right',
  why: 'No check of a card can see a wrong passphrase, or a name that another band carries: each costs a boot, a search and a card that is written again.',
  source: 'common practice',
  check: ({ used }) =>
    used.flatMap((network): Hit[] => {
      const { tried } = network;
      // What is not on the air here cannot be tried, and of an open one there is no key.
      if (!tried && (!network.heard || network.security === 'open' || network.secret.kind === 'missing'))
        return [];
      if (!tried)
        return [
          at(
            network,
            'note',
            'secret',
            `The key of "${networkTitle(network)}" was never tried.`,
            'Try it with an adapter of this computer, under Networks.',
          ),
        ];
      if (!tried.current)
        return [
          at(
            network,
            'note',
            'secret',
            `"${networkTitle(network)}" was changed since its key was tried.`,
            'Try it again before cards are written.',
          ),
        ];
      // Who is said to keep its clients apart is judged by a rule of its own.
      const place = { 'wrong-key': 'secret', 'other-security': 'security', apart: 'isolation' }[
        tried.verdict as string
      ];
      if (place === undefined || (place === 'isolation' && network.isolation)) return [];
      const message = `${verdictTitles[tried.verdict]}: "${networkTitle(network)}" was tried. ${tried.message}`;
      return [at(network, 'warns', place, message, 'Put it right, and try it again.')];
    }),
};

const ssidNear: Rule = {
  id: 'ssid-near',
  title: 'No two networks differ only in capitals, spaces or punctuation',
  why: 'The name must be exactly that of the access point; the wrong one of two spellings never appears.',
  source: 'common practice; IEEE Std 802.11-2020 section 9.4.2.2 (names are octets)',
  check: ({ used, networks }) => {
    const folded = (network: NetworkFacts): string =>
      network.ssid.toLowerCase().replace(/[^\p{L}\p{N}]/gu, '');
    const groups = new Map<string, NetworkFacts[]>();
    for (const network of networks)
      if (folded(network) !== '')
        groups.set(folded(network), [...(groups.get(folded(network)) ?? []), network]);
    return used.flatMap((network): Hit[] => {
      const near = groups.get(folded(network))?.find(({ ssid }) => ssid !== network.ssid);
      if (!near) return [];
      const fix = 'Look which spelling the access point announces, and take the other one off the shelf.';
      return [
        at(network, 'warns', 'ssid', `"${network.ssid}" is nearly "${near.ssid}", also on the shelf.`, fix),
      ];
    });
  },
};

const faultTexts: Record<Exclude<SecretFault, 'spaces' | 'not-needed'>, string> = {
  missing: 'The passphrase is missing.',
  short: 'The passphrase has fewer than 8 characters.',
  long: 'The passphrase has more than 63 characters.',
  characters: 'The passphrase has a character that is not printable ASCII, for instance a curly quote.',
  'wep-form': 'A WEP key has 5 or 13 characters, or 10 or 26 hexadecimal digits.',
};

/** Faults of a network's key, known or just typed. */
function faultsOf({ security, secret }: NetworkFacts): readonly SecretFault[] {
  if (secret.kind === 'kept') return secret.faults;
  return secretFaults(security, secret.kind === 'typed' ? secret.value : '');
}

const passphraseForm: Rule = {
  id: 'passphrase-form',
  title:
    'The passphrase has 8 to 63 printable ASCII characters (of any letters for WPA3 only), or is a key of 64 hexadecimal digits',
  why: 'Access points take nothing else; a board with another passphrase never appears.',
  source: 'IEEE Std 802.11-2020 annex J.4; WEP keys section 12.3.2',
  check: ({ used }) =>
    used.flatMap((network): Hit[] => {
      const fault = faultsOf(network).find((found) => found !== 'spaces' && found !== 'not-needed');
      if (fault === undefined) return [];
      const fix =
        fault === 'missing'
          ? 'Type the passphrase of the network.'
          : 'Type it again as it stands in the access point’s settings.';
      return [at(network, 'stops', 'secret', faultTexts[fault], fix)];
    }),
};

const passphraseSpaces: Rule = {
  id: 'passphrase-spaces',
  title: 'The passphrase has no stray spaces',
  why: 'A space copied along with the passphrase is part of it, and the board is refused.',
  source: 'common practice',
  check: ({ used }) =>
    used
      .filter((network) => faultsOf(network).includes('spaces'))
      .map((network) =>
        at(
          network,
          'warns',
          'secret',
          'The passphrase begins or ends with a space.',
          'Remove the space, unless the passphrase really has one.',
        ),
      ),
};

const passphraseOpen: Rule = {
  id: 'passphrase-open',
  title: 'An open network has no passphrase',
  why: 'Open settings for a secured network, or the other way round, keep every board off it.',
  source: 'common practice',
  check: ({ used }) =>
    used
      .filter((network) => faultsOf(network).includes('not-needed'))
      .map((network) =>
        at(
          network,
          'warns',
          'security',
          `${networkTitle(network)} is set to open, but a passphrase is kept for it.`,
          'Choose the security that the access point shows, or empty the passphrase.',
        ),
      ),
};

const weakSecurity: Rule = {
  id: 'security-weak',
  title: 'The network is secured',
  why: 'On an open network everybody nearby reads along; WEP is broken within minutes.',
  source: 'IEEE Std 802.11-2020 section 12.3.1 (WEP is deprecated); common practice',
  check: ({ used }) =>
    used.flatMap((network): Hit[] =>
      network.security === 'open' || network.security === 'wep'
        ? [
            at(
              network,
              'warns',
              'security',
              network.security === 'open'
                ? `${networkTitle(network)} is open: everybody nearby can read along.`
                : `${networkTitle(network)} uses WEP, which is broken.`,
              'Use WPA2 or WPA3 where the access point can.',
            ),
          ]
        : [],
    ),
};

const hidden: Rule = {
  id: 'hidden-network',
  title: 'A hidden network is marked as hidden',
  why: 'Without the mark the board never asks for it; with it, the board calls the name wherever it is, and finds it later.',
  source: 'wpa_supplicant.conf(5), "scan_ssid"; common practice',
  check: ({ used }) =>
    used
      .filter((network) => network.hidden)
      .map((network) =>
        at(
          network,
          'note',
          'hidden',
          `${networkTitle(network)} is hidden: boards take longer to join it.`,
          'Show the name if you may: hiding it keeps nobody out.',
        ),
      ),
};

const channels: Rule = {
  id: 'channel-country',
  title: 'The access point’s channels are allowed in the country and exist in its bands',
  why: 'A radio does not listen on a channel that its country forbids, for instance 12 and 13 in some: the network is invisible to the board.',
  source: 'IEEE Std 802.11-2020 annex E; wireless-regdb. Local radio rules apply',
  check: ({ used, variants }) =>
    used.flatMap((network) =>
      network.channels.flatMap(({ band, channel }): Hit[] => {
        const say = (message: string, fix: string): Hit => at(network, 'warns', 'channels', message, fix);
        if (!isChannel(band, channel))
          return [
            say(
              `The ${band} band has no channel ${String(channel)}.`,
              'Look at the access point’s settings again.',
            ),
          ];
        const joining = variants.filter(({ settings }) =>
          settings.networks.some(({ networkId }) => networkId === network.id),
        );
        const countries = [...new Set(joining.map(({ settings }) => settings.country))];
        const forbidding = countries.filter((code) => channelAllowed(code, band, channel) === false);
        return forbidding.map((code) =>
          say(
            `Channel ${String(channel)} (${String(channelMHz(band, channel))} MHz) is not allowed in ${code}.`,
            'Set the access point to a channel that is, for instance 1, 6 or 11.',
          ),
        );
      }),
    ),
};

const networkCountry: Rule = {
  id: 'network-country',
  title: 'Access point and boards are set to one country',
  why: 'Different countries mean different channels; one side may use a channel that the other does not hear.',
  source: 'IEEE Std 802.11-2020 section 9.4.2.8 (Country element); common practice',
  check: ({ used, variants }) =>
    used.flatMap((network): Hit[] => {
      if (network.country === '') return [];
      if (!isCountry(network.country))
        return [
          at(
            network,
            'warns',
            'country',
            `"${network.country}" is not a country code.`,
            'Choose a country, or leave it empty.',
          ),
        ];
      const other = variants.find(
        ({ settings }) =>
          isCountry(settings.country) &&
          settings.country !== network.country &&
          settings.networks.some(({ networkId }) => networkId === network.id),
      );
      return other
        ? [
            at(
              network,
              'warns',
              'country',
              `${networkTitle(network)} is set to ${network.country}, boards that join it to ${other.settings.country}.`,
              'Set both to the country where they stand.',
            ),
          ]
        : [];
    }),
};

export const networkRules: readonly Rule[] = [
  ssidLength,
  ssidSpaces,
  ssidPasted,
  ssidNear,
  passphraseForm,
  passphraseSpaces,
  passphraseOpen,
  weakSecurity,
  hidden,
  channels,
  networkCountry,
  keyTried,
];
