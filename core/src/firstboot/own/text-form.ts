import type { OwnFile } from '../../plan/own-method';
import { OwnMethodError } from './template';

/** Texts that a description writes as a whole, or between two marks in a file of the image. */

type Marks = Pick<OwnFile, 'begin' | 'end'>;
const isWhole = ({ begin, end }: Marks): boolean => begin === '' && end === '';

const bounds = (lines: readonly string[], { begin, end }: Marks): { from: number; to: number } | null => {
  const from = lines.findIndex((line) => line.trim() === begin.trim());
  const to = from < 0 ? -1 : lines.findIndex((line, at) => at > from && line.trim() === end.trim());
  return to < 0 ? null : { from, to };
};

/** The part of a file that is ours, with the line that it begins after; null when its marks are not there. */
export function textBetween(text: string, marks: Marks): { text: string; line: number } | null {
  if (isWhole(marks)) return { text, line: 0 };
  const lines = text.split(/\r?\n/);
  const found = bounds(lines, marks);
  if (!found) return null;
  return {
    text: lines
      .slice(found.from + 1, found.to)
      .map((line) => `${line}\n`)
      .join(''),
    line: found.from + 1,
  };
}

/**
 * A file with a text put between its marks; marks that are not there are put at its end with it.
 * @param text whole lines
 * @throws OwnMethodError when a value of the text has a mark for a line of its own
 */
export function putBetween(base: string, marks: Marks, text: string): string {
  if (isWhole(marks)) return text;
  const inner = text.split('\n').slice(0, -1);
  if (inner.some((line) => [marks.begin.trim(), marks.end.trim()].includes(line.trim())))
    throw new OwnMethodError('A line of it is the same as one of the two marks.');
  const ends = base.includes('\r\n') ? '\r\n' : '\n';
  const lines = base === '' ? [] : base.split(/\r?\n/);
  if (lines.at(-1) === '') lines.pop();
  const found = bounds(lines, marks);
  const made = found
    ? [...lines.slice(0, found.from + 1), ...inner, ...lines.slice(found.to)]
    : [...lines, marks.begin, ...inner, marks.end];
  return made.map((line) => `${line}${ends}`).join('');
}
