/**
 * Marks: five characters printed on a label. Four are drawn, the fifth is an ISO/IEC 7064 MOD 37,36 check
 * character, so that every single misread character is caught.
 */

const alphabet = '0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ';
/** Characters that people take for one another on a small label (common practice). */
const lookAlikes = '01OIL';
const drawn = [...alphabet].filter((char) => !lookAlikes.includes(char)).join('');

/** Number of characters before the check character. */
export const MARK_PAYLOAD = 4;

/**
 * Check character of ISO/IEC 7064 MOD 37,36 (hybrid system, section 8 of ISO/IEC 7064:2003).
 * @param payload digits and capital letters
 * @throws RangeError on any other character
 */
export function checkCharacter(payload: string): string {
  let product = 36;
  for (const char of payload) {
    const value = alphabet.indexOf(char);
    if (value < 0) throw new RangeError(`"${char}" cannot stand in a mark; use digits and capital letters`);
    const sum = (product + value) % 36 || 36;
    product = (sum * 2) % 37;
  }
  return alphabet.charAt((37 - product) % 36);
}

/** Brings a typed or scanned mark to its printed form: capitals, no spaces or hyphens. */
export const normaliseMark = (typed: string): string => typed.toUpperCase().replace(/[\s-]/g, '');

/** Whether a text is a mark: five characters whose last one checks the others. */
export function isMark(text: string): boolean {
  if (!new RegExp(`^[0-9A-Z]{${String(MARK_PAYLOAD + 1)}}$`).test(text)) return false;
  return checkCharacter(text.slice(0, -1)) === text.slice(-1);
}

/**
 * Draws a mark that is not taken and holds no look-alikes, its check character included.
 * @param random gives a whole number from 0 up to, but without, its argument
 * @throws RangeError when no free mark was found in 10,000 draws (about 900,000 marks exist)
 */
export function drawMark(random: (below: number) => number, taken: ReadonlySet<string>): string {
  for (let attempt = 0; attempt < 10_000; attempt++) {
    let payload = '';
    for (let at = 0; at < MARK_PAYLOAD; at++) payload += drawn.charAt(random(drawn.length));
    const check = checkCharacter(payload);
    const mark = payload + check;
    if (!lookAlikes.includes(check) && !taken.has(mark)) return mark;
  }
  throw new RangeError('no free mark was found; retire old batches first');
}

/**
 * Marks that a wrong one could be meant for: one character is another, or two neighbours changed places. The check
 * character leaves few of them.
 */
export function marksNear(typed: string): string[] {
  const mark = normaliseMark(typed);
  if (!new RegExp(`^[0-9A-Z]{${String(MARK_PAYLOAD + 1)}}$`).test(mark) || isMark(mark)) return [];
  const near = new Set<string>();
  for (let at = 0; at < mark.length; at++) {
    for (const char of alphabet) near.add(mark.slice(0, at) + char + mark.slice(at + 1));
    const swapped = mark
      .slice(at, at + 2)
      .split('')
      .reverse()
      .join('');
    near.add(mark.slice(0, at) + swapped + mark.slice(at + 2));
  }
  return [...near].filter(isMark);
}
