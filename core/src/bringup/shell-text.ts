/** A text as one word of a POSIX shell (POSIX.1-2017, "Shell Command Language", section 2.2.2). */
export const shellWord = (text: string): string => `'${text.replaceAll("'", `'\\''`)}'`;
