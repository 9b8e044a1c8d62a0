import type { OwnFile } from '../../plan/own-method';
import { OwnPattern } from './pattern';
import { quotedPattern } from './quoting';
import {
  escaped,
  nextText,
  parseTemplate,
  patternOf,
  placeholdersOf,
  type Placeholder,
  type Template,
} from './template';
import { pathOf } from './yaml-form';

/** An entry taken apart, once for all cards. */
export interface CompiledEntry {
  section: Template;
  key: Template;
  value: Template;
  /** Names on the way to a value of YAML. */
  path: readonly Template[];
  sections: OwnPattern;
  keys: OwnPattern;
  values: OwnPattern;
  /** The same in a text, line by line. */
  inText: RegExp;
  placeholders: readonly Placeholder[];
}

export interface CompiledFile {
  entries: readonly CompiledEntry[];
  /**
   * Places of the entries, those first of which more is fixed: of two that fit, the one that says more about itself is
   * meant.
   */
  byWeight: readonly number[];
}

/** A value as a text has it, each placeholder in its quoting. */
function textPattern(template: Template, { quoting, words }: OwnFile): RegExp {
  const pattern = quotedPattern[quoting];
  const source = template.map((part, at) => {
    if (typeof part === 'string') return escaped(part);
    if ('whole' in pattern) return `(${pattern.whole})`;
    return `(${patternOf(quoting === 'plain' ? part : { ...part, name: 'hostName', spelling: null }, nextText(template, at), words, pattern.of)})`;
  });
  return new RegExp(`^${source.join('')}$`, 'gm');
}

const known = new WeakMap<OwnFile, CompiledFile>();

/** A file's entries taken apart. @throws TemplateError */
export function compiled(file: OwnFile): CompiledFile {
  const there = known.get(file);
  if (there) return there;
  const entries = file.entries.map((entry): CompiledEntry => {
    const [section, key, value] = [entry.section, entry.key, entry.value.replace(/\n$/, '')].map(
      parseTemplate,
    ) as [Template, Template, Template];
    const pattern = (template: Template): OwnPattern => new OwnPattern(template, file.words);
    return {
      section,
      key,
      value,
      path: file.form === 'yaml' ? pathOf(entry.key) : [],
      sections: pattern(section),
      keys: pattern(key),
      values: pattern(value),
      inText: textPattern(value, file),
      placeholders: placeholdersOf(value),
    };
  });
  const free = entries.map(({ value }) => placeholdersOf(value).length);
  const byWeight = entries.map((_entry, at) => at).sort((a, b) => (free[a] ?? 0) - (free[b] ?? 0) || a - b);
  const made = { entries, byWeight };
  known.set(file, made);
  return made;
}
