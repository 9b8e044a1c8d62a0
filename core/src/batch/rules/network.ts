import { isCountry } from '../../wifi/countries';
import { passphraseKind } from '../../wifi/psk';
import { SSID_MAX_OCTETS, ssidOctets } from '../../wifi/ssid';
import { subnetFault, subnetFaultTexts } from '../../locate/subnet';
import type { Hit, Rule } from './rule';

const ssidLength: Rule = {
  id: 'ssid-length',
  title: 'The network name has 1 to 32 octets',
  why: 'A name of another length cannot exist on the air, so no board would ever join. Letters outside ASCII count two to four octets.',
  source: 'IEEE Std 802.11-2020 section 9.4.2.2',
  check: ({ plan }) => {
    const octets = ssidOctets(plan.wifi.ssid);
    if (octets >= 1 && octets <= SSID_MAX_OCTETS) return [];
    return [
      {
        severity: 'stops',
        place: 'wifi.ssid',
        message:
          octets === 0
            ? 'The network name is missing.'
            : `The network name has ${String(octets)} octets; ${String(SSID_MAX_OCTETS)} is the most.`,
        fix: 'Type the name exactly as the access point announces it.',
      },
    ];
  },
};

const ssidSpaces: Rule = {
  id: 'ssid-spaces',
  title: 'The network name has no stray spaces',
  why: 'Spaces at either end are part of the name; pasted by accident, they keep every board off the network.',
  source: 'common practice',
  check: ({ plan }) =>
    plan.wifi.ssid !== plan.wifi.ssid.trim()
      ? [
          {
            severity: 'warns',
            place: 'wifi.ssid',
            message: 'The network name begins or ends with a space.',
            fix: 'Remove the space, unless the network is really called so.',
          },
        ]
      : [],
};

const passphraseForm: Rule = {
  id: 'passphrase-form',
  title: 'The passphrase has 8 to 63 printable ASCII characters, or is a key of 64 hexadecimal digits',
  why: 'Access points take nothing else; a board with another passphrase never appears.',
  source: 'IEEE Std 802.11-2020 annex J.4',
  check: ({ secrets: { wifiPassphrase: secret } }) => {
    const at = { severity: 'stops', place: 'wifi.passphrase' } as const;
    if (secret.kind === 'missing' || (secret.kind === 'typed' && secret.value === ''))
      return [{ ...at, message: 'The passphrase is missing.', fix: 'Type the passphrase of the network.' }];
    if (secret.kind === 'kept' || passphraseKind(secret.value)) return [];
    const { length } = secret.value;
    const message = /[^\x20-\x7e]/.test(secret.value)
      ? 'The passphrase has a character that is not printable ASCII, for instance a curly quote.'
      : length < 8
        ? `The passphrase has ${String(length)} characters; 8 is the least.`
        : `The passphrase has ${String(length)} characters; 63 is the most.`;
    return [{ ...at, message, fix: 'Type it again as it stands in the access point’s settings.' }];
  },
};

const passphraseSpaces: Rule = {
  id: 'passphrase-spaces',
  title: 'The passphrase has no stray spaces',
  why: 'A space copied along with the passphrase is part of it, and the board is refused.',
  source: 'common practice',
  check: ({ secrets: { wifiPassphrase: secret } }) =>
    secret.kind === 'typed' && secret.value !== secret.value.trim()
      ? [
          {
            severity: 'warns',
            place: 'wifi.passphrase',
            message: 'The passphrase begins or ends with a space.',
            fix: 'Remove the space, unless the passphrase really has one.',
          },
        ]
      : [],
};

const country: Rule = {
  id: 'country',
  title: 'The country is set to where the boards will run',
  why: 'Without a country the radio stays off; the wrong one forbids channels that the access point may use. Local radio rules apply.',
  source: 'ISO 3166-1; common practice',
  check: ({ plan }) =>
    isCountry(plan.country)
      ? []
      : [
          {
            severity: 'stops',
            place: 'country',
            message: plan.country ? `"${plan.country}" is not a country code.` : 'The country is missing.',
            fix: 'Choose the country in which the boards will be used.',
          },
        ],
};

const subnet: Rule = {
  id: 'subnet',
  title: 'The subnet on which the boards will appear is known',
  why: 'Only this subnet is ever looked at. Name one that is yours or that you may scan.',
  source: 'RFC 4632 section 3.1 (CIDR), RFC 1918 (private ranges)',
  check: ({ plan }): Hit[] => {
    const fault = subnetFault(plan.network.subnet);
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

export const networkRules: readonly Rule[] = [
  ssidLength,
  ssidSpaces,
  passphraseForm,
  passphraseSpaces,
  country,
  subnet,
];
