import * as z from 'zod';
import { utf8 } from '../../bytes';
import { Findings, isRefused, type BootFile, type CheckedSettings, type CheckFinding } from '../finding';
import { checkCountry, checkNames, checkPassphrase } from '../secrets';
import { shownName, shownPath, shownValue } from '../shown';
import { quoted } from '../line-change';
import { formFaults } from './faults';
import { netplanForm } from './form';
import { readText, SEED_HABITS } from '../text';
import { YamlFile } from '../yaml/yaml-file';

const REFUSED = 'netplan refuses the whole file, and the board joins no network.';
const ANOTHER = 'The board gets another text than the one that stands here, or none.';

/** What is read of an access point whose form was told of before. */
const PointSchema = z
  .object({
    password: z.coerce.string().optional(),
    hidden: z
      .union([z.boolean(), z.string().transform((word) => /^(true|on|yes|y)$/i.test(word))])
      .optional(),
    auth: z
      .object({ 'key-management': z.string().optional(), password: z.coerce.string().optional() })
      .optional(),
    networkmanager: z.object({ passthrough: z.record(z.string(), z.coerce.string()).optional() }).optional(),
  })
  .nullable()
  .catch(null);
const WifiSchema = z.object({
  'regulatory-domain': z.coerce.string().optional(),
  'access-points': z.record(z.string(), PointSchema).catch({}).default({}),
});

/** Checks `network-config`, version 2 (netplan YAML reference). */
export function checkNetworkConfig(file: BootFile, settings: CheckedSettings): CheckFinding[] {
  const found = new Findings(file.name);
  const text = readText(file, SEED_HABITS, found);
  const yaml = text === null ? null : YamlFile.read(file.name, text, found);
  if (!yaml) return found.list;
  const wrapped = (yaml.value as { network?: unknown } | null)?.network !== undefined;
  const root: string[] = wrapped ? ['network'] : [];
  const version = yaml.at([...root, 'version']);
  if (version === 1) {
    found.add(
      'stops',
      'network-version',
      'Version 1 cannot tell of Wi-Fi.',
      'Only version 2 knows wireless networks.',
      'version: 2',
      { line: yaml.lineOf(...root, 'version') },
    );
    return found.list;
  }
  for (const { id, what, advice, line, mend } of formFaults(yaml, root, netplanForm))
    if (id === 'not-text') found.add('stops', id, what, ANOTHER, advice, { line, ...(mend ? { mend } : {}) });
    else found.addRefusing(id, what, REFUSED, advice, { line, ...(mend ? { mend } : {}) });
  if (String(version) !== '2')
    found.addRefusing(
      'network-version',
      version === undefined ? 'The version is missing.' : 'This version is none that netplan knows.',
      'Only version 2 knows wireless networks.',
      'version: 2',
      { line: yaml.lineOf(...root, 'version') },
    );
  const wifis = z.record(z.string(), z.unknown()).safeParse(yaml.at([...root, 'wifis'])).data ?? {};
  for (const [name, given] of Object.entries(wifis)) {
    const at = [...root, 'wifis', name];
    const wifi = WifiSchema.safeParse(given).data;
    if (!wifi) continue;
    if (yaml.at([...at, 'set-name']) !== undefined && yaml.at([...at, 'match']) === undefined)
      found.addRefusing(
        'network-form',
        `${shownPath([name])}: set-name needs a match.`,
        REFUSED,
        'match: with a name or a hardware address',
        { line: yaml.lineOf(...at, 'set-name') },
      );
    if (Object.keys(wifi['access-points']).length === 0)
      found.addRefusing(
        'no-network',
        `${shownPath([name])} has no access points.`,
        REFUSED,
        'The name of the network under access-points:',
        { line: yaml.lineOfKey(at) },
      );
    settings.country ??= wifi['regulatory-domain'] ?? null;
    checkCountry(
      wifi['regulatory-domain'] ?? null,
      yaml.lineOf(...at, 'regulatory-domain') ?? yaml.lineOf(...at),
      found,
    );
    if (yaml.at([...at, 'match']) !== undefined)
      found.add(
        'warns',
        'wifi-match',
        `${shownPath([name])} is chosen by match.`,
        'Only NetworkManager can do that for Wi-Fi; with systemd-networkd netplan refuses the whole file.',
        'wlan0: without match, if the board has one radio',
        { line: yaml.lineOfKey([...at, 'match']) },
      );
    for (const { source, line } of yaml.keysThatAreNoText(...at, 'access-points'))
      found.add(
        'stops',
        'network-name-type',
        `The network name ${shownValue(source)} stands without quotes, and YAML 1.1 takes it for something else than text.`,
        'The board looks for another name, or refuses the file.',
        'Put the name into double quotes.',
        { line, mend: quoted(source) },
      );
    for (const [key, point] of Object.entries(wifi['access-points'])) {
      const here = [...at, 'access-points', key];
      const ssid = shownName(key);
      const management = point?.auth?.['key-management'];
      const secret = point?.auth?.password ?? point?.password;
      const security =
        secret === undefined || management === 'none' ? 'open' : management === 'sae' ? 'sae' : 'psk';
      if (yaml.at([...here, 'mode']) !== undefined && yaml.at([...here, 'mode']) !== 'infrastructure') {
        found.add(
          'stops',
          'network-mode',
          `"${ssid}" is no network to join (mode).`,
          'The board would open it, or look for other boards, instead of asking an access point.',
          'Take the line away, or write mode: infrastructure.',
          { line: yaml.lineOf(...here, 'mode'), mend: (text) => (/^\s*mode:/.test(text) ? null : text) },
        );
        continue;
      }
      settings.networks.push({
        ssid,
        security,
        hidden: point?.hidden ?? false,
        priority: Number(point?.networkmanager?.passthrough?.['connection.autoconnect-priority'] ?? 0),
      });
      if (utf8(key).length > 32)
        found.add(
          'stops',
          'network-name',
          `The network name "${[...ssid].slice(0, 12).join('')}…" has more than 32 octets.`,
          'No network can have it.',
          'Look at the name again.',
          { line: yaml.lineOf(...here) },
        );
      if (secret !== undefined)
        checkPassphrase(
          ssid,
          secret,
          yaml.lineOf(...here, 'password') ?? yaml.lineOf(...here),
          found,
          security === 'sae' ? 'sae' : 'psk',
        );
      if (management === 'none' && secret !== undefined)
        found.add(
          'stops',
          'open-with-key',
          `"${ssid}" is set as open and has a passphrase all the same.`,
          'The board does not use the passphrase and is turned away.',
          'Take key-management: none away, or the passphrase.',
          { line: yaml.lineOf(...here, 'auth') },
        );
      if (security === 'sae')
        found.add(
          'warns',
          'sae-support',
          `"${ssid}" asks for WPA3 only.`,
          'Older netplan refuses the whole file because of it, and the board then joins no network at all.',
          'Use it only with an image of 2023 or later, or set the access point to WPA2 and WPA3 mixed.',
          { line: yaml.lineOf(...here) },
        );
    }
  }
  if (isRefused(found)) settings.refusedFile = file.name;
  checkNames(settings.networks, found);
  if (settings.networks.length === 0)
    found.add(
      'note',
      'no-wifi',
      'No Wi-Fi network is set.',
      'The board can be reached by cable only.',
      'Fine for a wired board.',
      {},
    );
  return found.list;
}
