/** A text as one word of a POSIX shell (POSIX.1-2017, "Shell Command Language", section 2.2.2). */
export const shellWord = (text: string): string => `'${text.replaceAll("'", `'\\''`)}'`;

/** The same as a person would type it: without quotes where none are needed. */
export const typedWord = (text: string): string =>
  /^[A-Za-z0-9_./:@%+,=-]+$/.test(text) ? text : shellWord(text);
