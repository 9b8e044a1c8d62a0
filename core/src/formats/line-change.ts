/** How single lines of first-boot files are mended, where it is sure what was meant. */

/** What a line should be instead; null when it should not be there. */
export type LineChange = (line: string) => string | null;

const literally = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/** A change of a line that gives a setting another name. */
export const renamed =
  (from: string, to: string): LineChange =>
  (line) =>
    line.replace(
      new RegExp(`(^|[\\s{,])${literally(from)}(?=\\s*[:=])`),
      (_all, before: string) => before + to,
    );

/** A change of a line that puts a name or a value of YAML into quotes. */
export const quoted =
  (source: string): LineChange =>
  (line) =>
    line.replace(
      new RegExp(`(^|[\\s{[,])${literally(source)}(?=\\s*(?:[:,}\\]#]|$))`),
      (_all, before: string) => `${before}"${source}"`,
    );

/** A setting of wpa_supplicant without spaces around its =. */
export const withoutSpaces: LineChange = (line) => line.replace(/^(\s*\w+)\s*=\s*/, '$1=');

/** A passphrase or a name for wpa_supplicant that stands bare, or with one quotation mark, in quotes. */
export const inQuotes =
  ({ key, value }: { key: string; value: string }): LineChange =>
  (line) => {
    const bare = value.replace(/^"|"$/, '');
    const fits = key === 'psk' ? /^[\x20-\x7e]{8,63}$/ : /^[\x20-\x7e]{1,32}$/;
    return (key === 'psk' || key === 'ssid') && fits.test(bare) && !/["'#\\]/.test(bare)
      ? line.replace(/=.*$/, () => `="${bare}"`)
      : line;
  };
