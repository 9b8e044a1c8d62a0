import { stringify } from 'yaml';
import { comments, sortReached, type HandoverDevice, type Reached } from './device';
import { inComment } from '../plain-name';

/**
 * The batch as an inventory of hosts in groups, in the YAML and the INI form that configuration managers read. The names
 * of the settings are prescribed by that form (common practice; the YAML is checked by a general reader).
 */

const settings = (device: Reached): Record<string, string | number> => ({
  ansible_host: device.address,
  ansible_port: device.port,
  ansible_user: device.userName,
  mark: inComment(device.mark),
  nest: inComment(device.nest),
});

/** A group's name as the form allows it: letters, digits and underscores, not beginning with a digit. */
const groupName = (role: string): string => {
  const plain = role
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^_+|_+$/g, '')
    .slice(0, 60);
  return plain === ''
    ? 'boards'
    : /^\d/.test(plain) || plain === 'all' || plain === 'ungrouped'
      ? `role_${plain}`
      : plain;
};

function byGroup(devices: readonly Reached[]): Map<string, Reached[]> {
  const groups = new Map<string, Reached[]>();
  for (const device of devices) {
    const name = groupName(device.role);
    groups.set(name, [...(groups.get(name) ?? []), device]);
  }
  return groups;
}

export function inventoryYaml(devices: readonly HandoverDevice[]): string {
  const { fit, remarks } = sortReached(devices);
  const children = Object.fromEntries(
    [...byGroup(fit)].map(([group, members]) => [
      group,
      { hosts: Object.fromEntries(members.map((device) => [device.hostName, settings(device)])) },
    ]),
  );
  // Version 1.1 quotes what readers of that version would take for something else: no, 012, 1e3.
  return `---\n${comments('#', remarks)}${stringify({ all: { children } }, { version: '1.1', lineWidth: 0 })}`;
}

/** Its values are read as words of a shell, so only what needs no quotes stands bare. */
const iniWord = (value: string | number): string =>
  /^[A-Za-z0-9_.:-]+$/.test(String(value))
    ? String(value)
    : `'${inComment(String(value)).replace(/['\\]/g, '?')}'`;

export function inventoryIni(devices: readonly HandoverDevice[]): string {
  const { fit, remarks } = sortReached(devices);
  const groups = [...byGroup(fit)].map(([group, members]) =>
    [
      `[${group}]`,
      ...members.map((device) =>
        [
          device.hostName,
          ...Object.entries(settings(device)).map(([key, value]) => `${key}=${iniWord(value)}`),
        ].join(' '),
      ),
      '',
    ].join('\n'),
  );
  return comments('#', remarks) + groups.join('\n');
}
