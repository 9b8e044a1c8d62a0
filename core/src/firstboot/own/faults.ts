import { whensFor, type OwnDescription, type OwnEntry, type OwnFile } from '../../plan/own-method';
import { parseTemplate, TemplateError, type Template } from './template';
import { NUMBER, ownValues, valueTitle } from './values';
import { ITEM } from './yaml-form';

/** Something of a description that makes no sense, and where. */
export interface OwnFault {
  /** From 0; null for the description as a whole. */
  file: number | null;
  entry: number | null;
  text: string;
}

/** Why a path is none for a file on a boot partition, or null (Microsoft FAT specification 1.03, section 7). */
function pathFault(path: string): string | null {
  if (path === '') return 'Give the path of the file, from the root of the boot partition.';
  const parts = path.split('/');
  if (
    parts.some((part) => part === '' || part === '.' || part === '..') ||
    /["*:<>?\\|]|[ .](\/|$)/.test(path)
  )
    return `"${path}" is no path on a boot partition; write it without a slash at the beginning, as config/board.cfg.`;
  return path.toLowerCase() === 'nest-mark.json'
    ? 'This name is taken by the file that names the device.'
    : null;
}

const SECRET = new Set(['hostKey', 'wifiKey', 'passwordHash']);

function templateFaults(text: string, entry: OwnEntry, inName: boolean): string[] {
  let template: Template;
  try {
    template = parseTemplate(text);
  } catch (error) {
    if (error instanceof TemplateError) return [error.message];
    throw error;
  }
  const faults: string[] = [];
  for (const [at, part] of template.entries()) {
    if (typeof part === 'string') continue;
    if (part.name === NUMBER) {
      if (entry.each === 'once') faults.push('A running number stands only in what is repeated.');
    } else {
      const { each } = ownValues[part.name];
      if (each !== 'once' && each !== entry.each)
        faults.push(`There is a ${valueTitle(part.name)} only in what is repeated for it.`);
      if (inName && SECRET.has(part.name))
        faults.push(`The ${valueTitle(part.name)} is a secret and no part of a name.`);
    }
    if (typeof template[at + 1] === 'object')
      faults.push(
        'Two values stand side by side: nobody could tell where the first one ends. Put something between.',
      );
  }
  return faults;
}

function entryFaults(file: OwnFile, entry: OwnEntry): string[] {
  const { section, key, value, each } = entry;
  const faults = [
    ...templateFaults(section, entry, true),
    ...templateFaults(key, entry, true),
    ...templateFaults(value, entry, false),
  ];
  if (!whensFor(each).includes(entry.when))
    faults.push('This condition is for what is repeated for each network.');
  if (file.form !== 'ini' && section !== '') faults.push('Only a file of sections has a section.');
  if (file.form === 'text') {
    if (key !== '') faults.push('A text has no key.');
    if (value.trim() === '') faults.push('Write the text that shall stand there.');
    if (/\r/.test(value)) faults.push('Line ends are those of Unix.');
    return faults;
  }
  if (key === '') faults.push('Give the key.');
  if (/[\n\r]/.test(value)) faults.push('A value is one line.');
  if (file.form === 'yaml') return [...faults, ...yamlFaults(key, each)];
  const fixed = (text: string): string => text.replace(/<<[^<>\s]*>>/g, 'x');
  if (!/^[\p{L}\p{N}_.\-/@:+ ]*$/u.test(fixed(key)) || key !== key.trim())
    faults.push('A key has letters, digits and _ . - / @ : +.');
  if ((file.separator === ': ' && key.includes(':')) || (file.separator === ' ' && key.includes(' ')))
    faults.push('The key holds what stands between key and value.');
  if (!/^[\p{L}\p{N}_.\-/@:+ ]*$/u.test(fixed(section)) || section !== section.trim())
    faults.push('A section has letters, digits and _ . - / @ : +, without its brackets.');
  return faults;
}

function yamlFaults(key: string, each: OwnEntry['each']): string[] {
  const parts = key.split('/');
  const items = parts.filter((part) => part === ITEM).length;
  return [
    ...(parts.includes('') ? ['Names stand between the slashes, as networks/-/name.'] : []),
    ...(items > 1 ? ['One - in a path is all that can be told apart.'] : []),
    ...(items === 1 && each === 'once' ? ['A - stands for one of several: say for each of what.'] : []),
    ...(each !== 'once' && items === 0 && !key.includes('<<')
      ? ['All of them would have one place: put - or a value into the key.']
      : []),
  ];
}

function fileFaults(file: OwnFile, at: number, all: readonly OwnFile[]): OwnFault[] {
  const own = (text: string, entry: number | null = null): OwnFault => ({ file: at, entry, text });
  const faults: OwnFault[] = [];
  const path = pathFault(file.path);
  if (path !== null) faults.push(own(path));
  if (all.some((other, index) => index < at && other.path.toLowerCase() === file.path.toLowerCase()))
    faults.push(own(`${file.path} is described twice. Put everything of it into one.`));
  if ((file.begin === '') !== (file.end === ''))
    faults.push(own('A text stands between two marks, or none.'));
  if (file.begin !== '' && (file.form !== 'text' || file.begin.trim() === file.end.trim()))
    faults.push(
      own(file.form === 'text' ? 'The two marks are the same.' : 'Only a text stands between marks.'),
    );
  const { yes, no, ...securities } = file.words;
  if (yes === no) faults.push(own('Yes and no have the same word.'));
  const said = Object.values(securities).filter((word) => word !== '');
  if (new Set(said).size < said.length) faults.push(own('Two kinds of security have the same word.'));
  if (file.entries.some(({ value }) => value.includes('<<security')) && said.length === 0)
    faults.push(own('The security of a network is written, and no kind of it has a word.'));
  for (const [index, entry] of file.entries.entries())
    faults.push(...entryFaults(file, entry).map((text) => own(text, index)));
  return faults;
}

/** What makes no sense in a description; with any of it nothing is written. */
export const ownFaults = ({ files }: OwnDescription): OwnFault[] =>
  files.flatMap((file, at) => fileFaults(file, at, files));

/** One sentence for a fault, with its place. */
export function faultWords({ files }: OwnDescription, { file, entry, text }: OwnFault): string {
  const path = file === null ? '' : files[file]?.path || `File ${String(file + 1)}`;
  return `${path === '' ? '' : `${path}${entry === null ? '' : `, entry ${String(entry + 1)}`}: `}${text}`;
}
