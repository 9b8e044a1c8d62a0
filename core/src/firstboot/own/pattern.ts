import type { OwnWords } from '../../plan/own-method';
import { octetsFrom, octetText, utf8Text } from './octet-text';
import {
  escaped,
  nextText,
  patternOf,
  placeholdersOf,
  valueFrom,
  type Placeholder,
  type Template,
} from './template';
import type { ValueName } from './values';

/** What a text says of a value of the plan. */
export interface Said {
  part: Placeholder;
  octets: Uint8Array;
}

/** Finds the values of a template in what was made of it. */
export class OwnPattern {
  readonly parts: readonly Placeholder[];
  private readonly expression: RegExp;

  constructor(
    template: Template,
    private readonly words: OwnWords,
  ) {
    this.parts = placeholdersOf(template);
    const parts = template.map((part) => (typeof part === 'string' ? utf8Text(part) : part));
    const source = parts.map((part, at) =>
      typeof part === 'string' ? escaped(part) : `(${patternOf(part, nextText(parts, at), words, '[^]')})`,
    );
    this.expression = new RegExp(`^${source.join('')}$`);
  }

  /**
   * The values of a text; null when it is not of this form, or one of its spellings stands for nothing.
   * @param text with one character for each octet
   */
  read(text: string): Said[] | null {
    const found = this.expression.exec(text);
    if (!found) return null;
    const said: Said[] = [];
    for (const [at, part] of this.parts.entries()) {
      const value = valueFrom(part, octetsFrom(found[at + 1] ?? ''), this.words);
      if (value === null) return null;
      said.push({ part, octets: value });
    }
    return said;
  }
}

/** The running number among what was read, from 0; null where it is not said. */
export function turnOf(said: readonly Said[]): number | null {
  const number: ValueName = 'number';
  const found = said.find(({ part }) => part.name === number);
  if (!found) return null;
  const value = Number(octetText(found.octets));
  return Number.isInteger(value) && value > 0 ? value - 1 : null;
}
