import * as z from 'zod';
import { utf8 } from '../../bytes';
import { Findings, type BootFile, type CheckedSettings, type CheckFinding } from './finding';
import { checkCountry, checkNames, checkPassphrase } from './secrets';
import { shownName, shownPath, shownValue } from './shown';
import { readText, SEED_HABITS } from './text';
import { YamlFile } from './yaml-file';

const PointSchema = z
  .looseObject({
    password: z.string().optional(),
    hidden: z.boolean().optional(),
    auth: z
      .looseObject({ 'key-management': z.string().optional(), password: z.string().optional() })
      .optional(),
    networkmanager: z
      .looseObject({ passthrough: z.record(z.string(), z.coerce.string()).optional() })
      .optional(),
  })
  .nullable();
const NetworkSchema = z.looseObject({
  version: z.number().optional(),
  wifis: z
    .record(
      z.string(),
      z.looseObject({
        'regulatory-domain': z.string().optional(),
        'access-points': z.record(z.string(), PointSchema),
      }),
    )
    .optional(),
});

/** Checks `network-config`, version 2 (netplan YAML reference). */
export function checkNetworkConfig(file: BootFile, settings: CheckedSettings): CheckFinding[] {
  const found = new Findings(file.name);
  const text = readText(file, SEED_HABITS, found);
  const yaml = text === null ? null : YamlFile.read(file.name, text, found);
  if (!yaml) return found.list;
  const wrapped = (yaml.value as { network?: unknown } | null)?.network !== undefined;
  const root: string[] = wrapped ? ['network'] : [];
  const parsed = NetworkSchema.safeParse(
    (wrapped ? (yaml.value as { network: unknown }).network : yaml.value) ?? {},
  );
  if (!parsed.success) {
    const [issue] = parsed.error.issues;
    const path = [...root, ...((issue?.path ?? []) as (string | number)[])];
    const source = yaml.sourceOf(...path);
    found.add(
      'stops',
      'network-form',
      `${shownPath(path)}: ${issue?.message ?? 'not what is expected'}.`,
      'The whole file is refused, and the board joins no network.',
      source === null
        ? 'Compare it with a file that works.'
        : `${shownValue(source)} in quotes, if it is meant as text.`,
      { line: yaml.lineOf(...path) },
    );
    return found.list;
  }
  const { version, wifis = {} } = parsed.data;
  if (version !== 2)
    found.add(
      'stops',
      'network-version',
      version === undefined ? 'The version is missing.' : `Version ${String(version)} cannot tell of Wi-Fi.`,
      'Only version 2 knows wireless networks.',
      'version: 2',
      { line: yaml.lineOf(...root, 'version') },
    );
  for (const [name, wifi] of Object.entries(wifis)) {
    const at = [...root, 'wifis', name];
    settings.country ??= wifi['regulatory-domain'] ?? null;
    checkCountry(
      wifi['regulatory-domain'] ?? null,
      yaml.lineOf(...at, 'regulatory-domain') ?? yaml.lineOf(...at),
      found,
    );
    for (const { source, line } of yaml.keysThatAreNoText(...at, 'access-points'))
      found.add(
        'stops',
        'network-name-type',
        `The network name ${shownValue(source)} stands without quotes, and YAML 1.1 takes it for something else than text.`,
        'The board looks for another name, or refuses the file.',
        'Put the name into double quotes.',
        { line },
      );
    for (const [key, point] of Object.entries(wifi['access-points'])) {
      const here = [...at, 'access-points', key];
      const ssid = shownName(key);
      const management = point?.auth?.['key-management'];
      const secret = point?.auth?.password ?? point?.password;
      const security =
        secret === undefined || management === 'none' ? 'open' : management === 'sae' ? 'sae' : 'psk';
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
        checkPassphrase(ssid, secret, yaml.lineOf(...here, 'password') ?? yaml.lineOf(...here), found);
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
