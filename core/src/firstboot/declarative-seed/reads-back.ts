import { utf8 } from '../../bytes';
import { byName, type BootFiles } from '../boot-files';
import {
  Findings,
  isUnreadable,
  noSettings,
  type BootFile,
  type CheckedSettings,
  type CheckFinding,
} from '../../formats/finding';
import { checkNetworkConfig } from '../../formats/netplan/network-config';
import { readText, SEED_HABITS } from '../../formats/text';
import { checkUserData } from '../../formats/cloud-config/user-data';
import { YamlFile } from '../../formats/yaml/yaml-file';

/**
 * Reads a declarative seed back (cloud-init documentation, "NoCloud"; netplan YAML reference) and says what its board
 * will make of it. What breaks and what is taken was seen on real systems: a byte-order mark or broken YAML loses the
 * whole of user-data, CRLF does not, and without meta-data nothing of the seed is read.
 */

/**
 * @param boot with the instance id that the board on this card has booted with already, null when it never did
 */
function checkMetaData(
  file: BootFile,
  { bootedAs, bootedWith }: Pick<BootFiles, 'bootedAs' | 'bootedWith'>,
  settings: CheckedSettings,
): CheckFinding[] {
  const found = new Findings(file.name);
  const text = readText(file, SEED_HABITS, found);
  const yaml = text === null ? null : YamlFile.read(file.name, text, found);
  // What is no YAML counts as empty here (seen on a started system): the rest of the seed is taken all the same.
  if (!yaml)
    return found.list.map((finding) =>
      finding.id.startsWith('yaml-') ? { ...finding, severity: 'warns' as const } : finding,
    );
  if (
    yaml.value !== null &&
    yaml.value !== undefined &&
    (typeof yaml.value !== 'object' || Array.isArray(yaml.value))
  ) {
    found.add(
      'stops',
      'meta-data-form',
      'meta-data holds no names and values.',
      'Without meta-data the whole seed is ignored: no name, no user, no network.',
      'instance-id: a-name-of-its-own',
      { line: 1 },
    );
    return found.list;
  }
  const value = (yaml.value ?? {}) as Record<string, unknown>;
  const id = value['instance-id'];
  const name = value['local-hostname'];
  if (typeof name === 'string') settings.hostName = name;
  else if (name !== undefined)
    found.add(
      'stops',
      'meta-data-form',
      'local-hostname is no text.',
      'A value that is cut off or looks like a number is refused, and the seed with it.',
      'local-hostname: "the-name", in quotes',
      { line: yaml.lineOf('local-hostname') },
    );
  if (id === undefined || id === null)
    found.add(
      'warns',
      'instance-id-missing',
      'instance-id is missing.',
      'The same id is taken each time, so the seed is read at the first boot only.',
      'instance-id: one that was never used',
      { line: 1 },
    );
  else if (bootedAs !== null && id === bootedAs)
    found.add(
      bootedWith === 'these' ? 'note' : bootedWith === 'others' ? 'stops' : 'warns',
      'instance-id-used',
      bootedWith === 'others'
        ? `The user-data were changed since this board booted with the instance-id "${bootedAs}".`
        : `This board has booted with the instance-id "${bootedAs}" already.`,
      bootedWith === 'others'
        ? 'A seed with an id that was seen before is ignored: the change does nothing.'
        : 'A seed with an id that was seen before is ignored: what is changed on the card from now on does nothing.',
      `instance-id: ${bootedAs}-2`,
      {
        line: yaml.lineOf('instance-id'),
        fix: {
          do: 'replace',
          file: file.name,
          content: utf8((text ?? '').replace(bootedAs, `${bootedAs}-2`)),
        },
      },
    );
  return found.list;
}

/** What is read of a file that is not taken, or of a seed that is not looked at, is not what the board will have. */
function forget(settings: CheckedSettings, names: readonly (keyof CheckedSettings)[]): void {
  const none = noSettings();
  for (const name of names) Object.assign(settings, { [name]: none[name] });
}

/** Reads the three files of a seed back together. */
export function readSeed(boot: BootFiles, settings: CheckedSettings): CheckFinding[] {
  const files = byName(boot);
  const findings: CheckFinding[] = [];
  const meta = files.get('meta-data');
  if (meta) findings.push(...checkMetaData(meta, boot, settings));
  else {
    const found = new Findings('meta-data');
    found.add(
      'stops',
      'meta-data-missing',
      'meta-data is missing.',
      'Without it the whole seed is ignored: no name, no user, no network.',
      'instance-id: a-name-of-its-own',
      {
        fix: { do: 'replace', file: 'meta-data', content: utf8('instance-id: made-by-the-card-check\n') },
      },
    );
    findings.push(...found.list);
  }
  const ignored =
    !meta ||
    !files.has('user-data') ||
    findings.some(({ severity, id }) => severity === 'stops' && id !== 'instance-id-used');
  const user = files.get('user-data');
  if (user) {
    const { hostName } = settings;
    const list = checkUserData(user, settings);
    if (isUnreadable(list)) {
      forget(settings, ['users', 'passwordLogin']);
      settings.hostName = hostName;
    }
    findings.push(...list);
  } else {
    const found = new Findings('user-data');
    found.add(
      'stops',
      'user-data-missing',
      'user-data is missing.',
      'Without it the whole seed is ignored: no name, no user, no network.',
      'Write the card again, or put the file back.',
    );
    findings.push(...found.list);
  }
  const network = files.get('network-config');
  if (network) findings.push(...checkNetworkConfig(network, settings));
  else {
    const found = new Findings('network-config');
    found.add(
      'warns',
      'network-config-missing',
      'network-config is missing.',
      'The board is told of no network: it joins no Wi-Fi, and is found by wire only.',
      'Write the card again, or put the file back.',
    );
    findings.push(...found.list);
  }
  if (ignored) forget(settings, ['hostName', 'users', 'passwordLogin', 'networks', 'country', 'refusedFile']);
  return findings;
}
