import { Findings, type BootFile, type CheckedSettings, type CheckFinding } from '../../formats/finding';
import type { BootFiles } from '../boot-files';
import { checkSupplicant } from '../../formats/supplicant/supplicant';

const block = /^[ \t]*#*[ \t]*network[ \t]*=[ \t]*\{/m;

/** Whether a file is an image's own text file for networks, commented or filled in. */
export const isTemplate = ({ name, content }: BootFile): boolean =>
  /^[^/]+\.(txt|conf)$/i.test(name) &&
  name.toLowerCase() !== 'wpa_supplicant.conf' &&
  block.test(new TextDecoder().decode(content));

/** Checks a network template: what is behind comment signs is read by nobody. */
function checkTemplate(file: BootFile, settings: CheckedSettings): CheckFinding[] {
  const findings = checkSupplicant(file, settings);
  if (settings.networks.length > 0)
    // The template's other blocks are meant to stay asleep.
    return findings.filter(({ id }) => id !== 'comment-left');
  const found = new Findings(file.name);
  const asleep = findings.find(({ id }) => id === 'comment-left');
  found.add(
    'stops',
    'template-asleep',
    `Every network in ${file.name} is still behind comment signs.`,
    'The board reads none of them, and joins nothing.',
    'Take the # away before each line of the one block that is yours, from network={ to }.',
    { line: asleep?.line ?? null },
  );
  return [...findings.filter(({ id }) => id !== 'comment-left' && id !== 'no-network'), ...found.list];
}

/** Reads a template back. */
export function readTemplate(boot: BootFiles, settings: CheckedSettings): CheckFinding[] {
  const template = boot.files.find(isTemplate);
  return template ? checkTemplate(template, settings) : [];
}
