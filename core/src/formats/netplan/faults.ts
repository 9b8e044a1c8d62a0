import type { Form } from './form';
import { quoted, renamed, type LineChange } from '../line-change';
import { shownPath, shownValue } from '../shown';
import { nearest } from '../spelling';
import type { YamlFile } from '../yaml/yaml-file';

/** Something in a file that netplan refuses it for, or takes for something else than was meant. */
export interface FormFault {
  id: 'unknown-setting' | 'network-form' | 'not-text';
  line: number | null;
  what: string;
  advice: string;
  /** How its line is mended, where that is sure. */
  mend?: LineChange;
}

type Path = readonly (string | number)[];

const isMap = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value) && !(value instanceof Date);

/**
 * A value as netplan gets it as text. YAML makes numbers and truth values of what stands without quotes; where the same
 * comes out of it again, no harm is done.
 * @returns null where it does not, or where it is no single value
 */
function textOfValue(yaml: YamlFile, path: Path): string | null {
  const value = yaml.at(path);
  if (typeof value === 'string') return value;
  return typeof value === 'number' && String(value) === yaml.sourceOf(...path) ? String(value) : null;
}

/** All that is wrong with the form of what stands at a path. */
export function formFaults(yaml: YamlFile, path: Path, form: Form): FormFault[] {
  const value = yaml.at(path);
  const wrong = (what: string, advice: string): FormFault[] => [
    { id: 'network-form', line: yaml.lineOf(...path), what: `${shownPath(path)}: ${what}`, advice },
  ];
  switch (form.is) {
    case 'any':
      return [];
    case 'single':
      return isMap(value) || Array.isArray(value)
        ? wrong('a single value belongs here.', 'One value behind the colon, on the same line.')
        : [];
    case 'boolean':
      return typeof value === 'boolean' || /^(true|false|on|off|yes|no|y|n)$/i.test(String(value))
        ? []
        : wrong('neither true nor false.', 'true or false');
    case 'text':
    case 'like': {
      const text = textOfValue(yaml, path);
      if (text === null) {
        const source = yaml.sourceOf(...path);
        if (isMap(value) || Array.isArray(value))
          return wrong('a single value belongs here.', 'One value behind the colon, on the same line.');
        return [
          {
            id: 'not-text',
            line: yaml.lineOf(...path),
            what:
              value === null || source === null
                ? `${shownPath(path)}: nothing stands there.`
                : `${shownPath(path)}: YAML takes what stands there for something else than text.`,
            advice:
              source === null || source === ''
                ? 'A value behind the colon, or no such line.'
                : `${shownValue(source)} in quotes, if it is meant as text.`,
            ...(source ? { mend: quoted(source) } : {}),
          },
        ];
      }
      return form.is === 'like' && !form.pattern.test(text)
        ? wrong(`${shownValue(text)} is not ${form.what}.`, form.what)
        : [];
    }
    case 'list':
      return Array.isArray(value)
        ? value.flatMap((_item, index) => formFaults(yaml, [...path, index], form.of))
        : wrong('a list belongs here.', '[…], or a line for each with a hyphen in front.');
    case 'each':
      if (!isMap(value))
        return wrong('names belong under it.', 'Look at the indentation of the lines below.');
      return Object.keys(value).flatMap((name) => [
        ...(form.names?.test(name) === false
          ? [
              {
                id: 'network-form' as const,
                line: yaml.lineOfKey([...path, name]),
                what: `A name under ${shownPath(path)} cannot be that of a network device.`,
                advice: 'Plain letters and digits, as wlan0; wildcards belong under match.',
              },
            ]
          : []),
        ...formFaults(yaml, [...path, name], form.of),
      ]);
    case 'settings': {
      if (!isMap(value))
        return value === null
          ? wrong('nothing stands under it.', '{} behind the colon, if nothing is to be set')
          : wrong('settings belong under it.', 'Look at the indentation of the lines below.');
      const known = Object.keys(form.of);
      return Object.keys(value).flatMap((name) => {
        const inner = form.of[name];
        if (inner && Object.hasOwn(form.of, name)) return formFaults(yaml, [...path, name], inner);
        const instead = nearest(name, known);
        return [
          {
            id: 'unknown-setting' as const,
            line: yaml.lineOfKey([...path, name]),
            what: `netplan knows no setting ${/^[a-z0-9_-]{1,24}$/i.test(name) ? `"${name}"` : 'like this one'} under ${shownPath(path)}.`,
            advice: instead === null ? 'Look at how it is spelt, and at its indentation.' : `${instead}:`,
            ...(instead === null ? {} : { mend: renamed(name, instead) }),
          },
        ];
      });
    }
  }
}
