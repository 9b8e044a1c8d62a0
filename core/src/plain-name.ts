import * as z from 'zod';

/**
 * Control characters, and the separators that end a line as they do (Unicode 15, categories Cc, Zl and Zp). A name with
 * one of them reads otherwise on a screen than in a file, where it can begin a line of its own.
 */
const control = /[\p{Cc}\p{Zl}\p{Zp}]/u;

/** Whether text can be a name: one line of it. */
export const isPlainName = (text: string): boolean => !control.test(text);

/** Text without what a name must not have. */
export const plainName = (text: string): string => text.replace(/[\p{Cc}\p{Zl}\p{Zp}]+/gu, ' ').trim();

const folded = (text: string): string => text.trim().replace(/\s+/g, ' ').toLowerCase();

/** Whether a person typed a sentence that was asked for; case and the width of spaces do not matter. */
export const isSentence = (typed: string, sentence: string): boolean => folded(typed) === folded(sentence);

/** Schema of everything that is a name, a title or a single line. @param max characters */
export const nameOf = (max: number): z.ZodString =>
  z
    .string()
    .max(max)
    .regex(/^[^\p{Cc}\p{Zl}\p{Zp}]*$/u, 'Take the line breaks and other control characters out.');

/**
 * Whatever is no letter on paper: controls, line ends of any kind, turns of direction, halves of letters, and what YAML
 * calls not printable (YAML 1.1, section 5.1).
 */
const unprintable =
  /[^\x20-\x7e\u00a0-\u2027\u202f-\u2065\u206a-\ud7ff\ue000-\ufefe\uff00-\ufffd\u{10000}-\u{10ffff}]/gu;

/** Text that can stand in a comment or a value of one line: nothing of it can begin a line of its own. */
export const inComment = (text: string): string => text.replace(unprintable, '?').slice(0, 80);
