import type { Face, Measure } from '@nest-mark/core';
import * as fontkit from 'fontkit';

/** The shipped type, as files that a PDF can take in: its letters, and a second one with Greek and Cyrillic. */

const family = (folder: string, name: string): string =>
  require.resolve(`@expo-google-fonts/${folder}/${name}.ttf`);

const files: Record<Face, () => [string, string]> = {
  plain: () => [
    family('atkinson-hyperlegible-next', '400Regular/AtkinsonHyperlegibleNext_400Regular'),
    family('noto-sans', '400Regular/NotoSans_400Regular'),
  ],
  bold: () => [
    family('atkinson-hyperlegible-next', '700Bold/AtkinsonHyperlegibleNext_700Bold'),
    family('noto-sans', '700Bold/NotoSans_700Bold'),
  ],
  mono: () => [
    family('atkinson-hyperlegible-mono', '500Medium/AtkinsonHyperlegibleMono_500Medium'),
    family('noto-sans', '400Regular/NotoSans_400Regular'),
  ],
};

/** A cut of the type, and the file that it comes from. */
interface Cut {
  path: string;
  font: fontkit.Font;
}

const opened = new Map<Face, Cut[]>();

/** The files of a face, the one that is looked into first at the front. */
function cutsOf(face: Face): Cut[] {
  const there = opened.get(face);
  if (there) return there;
  const cuts = files[face]().map((path): Cut => ({ path, font: fontkit.openSync(path) as fontkit.Font }));
  opened.set(face, cuts);
  return cuts;
}

/** A stretch of text that one file has all letters of; null where no file has them. */
export interface Stretch {
  text: string;
  cut: Cut | null;
}

/** Scripts that are written from the right: a PDF here would set their words in the wrong order. */
const fromRight = /[\p{Script=Arabic}\p{Script=Hebrew}\p{Script=Syriac}\p{Script=Thaana}\p{Script=Nko}]/u;

/** Splits a text into stretches by the file that has their letters. */
export function stretches(text: string, face: Face): Stretch[] {
  const cuts = cutsOf(face);
  const out: Stretch[] = [];
  for (const letter of text) {
    const code = letter.codePointAt(0) ?? 0;
    const cut = fromRight.test(letter)
      ? null
      : (cuts.find(({ font }) => font.hasGlyphForCodePoint(code)) ?? null);
    const last = out.at(-1);
    // What is put onto the letter before it stays with it.
    if (last && (last.cut === cut || (cut !== null && /\p{M}/u.test(letter)))) last.text += letter;
    else out.push({ text: letter, cut });
  }
  return out;
}

/** Letters of a text that the shipped type does not have. */
export const lettersMissing = (text: string, face: Face): string =>
  stretches(text, face)
    .filter(({ cut }) => cut === null)
    .map((stretch) => stretch.text)
    .join('');

const widths = new Map<string, number>();

/** Width of a text by the metrics of the shipped type; what it has no letters for counts as an em. */
export const measure: Measure = (text, face) => {
  const key = `${face}\n${text}`;
  const known = widths.get(key);
  if (known !== undefined) return known;
  if (widths.size > 20_000) widths.clear();
  let width = 0;
  for (const stretch of stretches(text, face))
    width += stretch.cut
      ? stretch.cut.font.layout(stretch.text).advanceWidth / stretch.cut.font.unitsPerEm
      : [...stretch.text].length;
  widths.set(key, width);
  return width;
};
