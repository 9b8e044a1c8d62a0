import { utf8 } from '../../bytes';
import { Findings, type BootFile, type CheckedSettings, type CheckFinding } from './finding';
import { checkNetworkConfig } from './network-config';
import { readText, SEED_HABITS } from './text';
import { checkUserData } from './user-data';
import { YamlFile } from './yaml-file';

/**
 * Reads a declarative seed back (cloud-init documentation, "NoCloud"; netplan YAML reference) and says what its board
 * will make of it. What breaks and what is taken was seen on real systems: a byte-order mark or broken YAML loses the
 * whole of user-data, CRLF does not, and without meta-data nothing of the seed is read.
 */

/**
 * @param bootedAs the instance id that the board on this card has booted with already, null when it never did
 */
function checkMetaData(file: BootFile, bootedAs: string | null, settings: CheckedSettings): CheckFinding[] {
  const found = new Findings(file.name);
  const text = readText(file, SEED_HABITS, found);
  const yaml = text === null ? null : YamlFile.read(file.name, text, found);
  if (!yaml) return found.list;
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
      'stops',
      'instance-id-used',
      `This board has booted with the instance-id "${bootedAs}" already.`,
      'A seed with an id that was seen before is ignored: what was changed on the card since does nothing.',
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

/** Checks the three files of a seed together. */
export function checkSeed(
  files: ReadonlyMap<string, BootFile>,
  bootedAs: string | null,
  settings: CheckedSettings,
): CheckFinding[] {
  const findings: CheckFinding[] = [];
  const meta = files.get('meta-data');
  if (meta) findings.push(...checkMetaData(meta, bootedAs, settings));
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
  const user = files.get('user-data');
  if (user) findings.push(...checkUserData(user, settings));
  else {
    const found = new Findings('user-data');
    found.add(
      'stops',
      'user-data-missing',
      'user-data is missing.',
      'No user is made, so nobody can log in.',
      'Write the card again, or put the file back.',
    );
    findings.push(...found.list);
  }
  const network = files.get('network-config');
  if (network) findings.push(...checkNetworkConfig(network, settings));
  return findings;
}
