import { parsePublicKey, publicKeyText, type KeyFault, type SshPublicKey } from './ssh-public-key';

/** One key of a pasted list, or what is wrong there. */
export interface KeyLine {
  /** First and last line, counted from 1. */
  line: number;
  lastLine: number;
  key: SshPublicKey | KeyListFault;
  /** The key as it was meant, where that can be told. */
  mended: string | null;
}

export type KeyListFault = KeyFault | 'split' | 'other-form';

const beginsPrivate = /-----BEGIN [A-Z0-9 ]*PRIVATE KEY-----|^PrivateKey:|^Private-Lines:/;
const endsPrivate = /-----END [A-Z0-9 ]*PRIVATE KEY-----/;
const beginsOtherForm = /^---- BEGIN SSH2 PUBLIC KEY ----/;
const endsOtherForm = /^---- END SSH2 PUBLIC KEY ----/;

/** A key in the file form of RFC 4716, its base64 lines joined; null when it is broken. */
function otherForm(lines: readonly string[]): string | null {
  const body = lines.slice(1, endsOtherForm.test(lines.at(-1) ?? '') ? -1 : undefined);
  const text: string[] = [];
  let header = false;
  for (const line of body) {
    // Headers may go on over several lines that end with a backslash (RFC 4716 section 3.3).
    const isHeader: boolean = header || line.includes(':');
    header = isHeader && line.endsWith('\\');
    if (!isHeader) text.push(line.trim());
  }
  const blob = text.join('');
  for (const type of [
    'ssh-ed25519',
    'ssh-rsa',
    'ecdsa-sha2-nistp256',
    'ecdsa-sha2-nistp384',
    'ecdsa-sha2-nistp521',
  ]) {
    const key = parsePublicKey(`${type} ${blob}`);
    if (typeof key !== 'string') return publicKeyText(key);
  }
  return null;
}

/** Longest run of lines over which one key may have been broken. */
const SPLIT_LIMIT = 12;

/** Type and key that stand together without their space; every key begins with a length, `AAAA` in base64. */
const together = /^((?:sk-)?(?:ssh|ecdsa)-[a-z0-9-]+(?:@openssh\.com)?)(AAAA.*)$/;

/** Keys that the pieces before, without their spaces, and one more line could be; the rest of it is the comment. */
function spaced(before: string, line: string): string[] {
  const words = line.split(/\s+/);
  return [1, 2].flatMap((count) => {
    const [, type, key] = together.exec(before + words.slice(0, count).join('')) ?? [];
    return type && key ? [`${type} ${key} ${words.slice(count).join(' ')}`.trim()] : [];
  });
}

/** The lines that make one key again when they are joined, if this one is the first of them. */
function splitKey(lines: readonly string[], at: number): { count: number; text: string } | null {
  let text = (lines[at] ?? '').trim();
  let compact = text.replace(/\s+/g, '');
  for (let count = 2; count <= SPLIT_LIMIT && at + count <= lines.length; count++) {
    const next = (lines[at + count - 1] ?? '').trim();
    if (next === '') return null;
    // A line may break inside the key, or between its parts.
    const tight = text + next;
    const apart = `${text} ${next}`;
    const whole = [tight, apart, ...spaced(compact, next)].find(
      (candidate) => typeof parsePublicKey(candidate) !== 'string',
    );
    if (whole !== undefined) {
      const after = (lines[at + count] ?? '').trim();
      return { count: after === '' || !/^\S+@\S+$/.test(after) ? count : count + 1, text: whole };
    }
    text =
      /^\S+$/.test(text) && count === 2 && !text.startsWith('AAAA') && next.startsWith('AAAA')
        ? apart
        : tight;
    compact += next.replace(/\s+/g, '');
  }
  return null;
}

/**
 * Reads a pasted list of public keys: each key by its blob, and what is wrong by what it is. Blank lines and comments
 * are left out; private keys, keys of the form of RFC 4716 and keys broken over several lines are taken as one.
 */
export function parseKeyList(text: string): KeyLine[] {
  const lines = text.replace(/^\uFEFF/, '').split(/\r\n|\r|\n/);
  const result: KeyLine[] = [];
  for (let at = 0; at < lines.length; at++) {
    const line = (lines[at] ?? '').trim();
    if (line === '' || line.startsWith('#')) continue;
    const until = (end: RegExp): number => {
      const found = lines.findIndex((candidate, index) => index >= at && end.test(candidate.trim()));
      return found < 0 ? lines.length - 1 : found;
    };
    const block = (last: number, key: KeyListFault, mended: string | null): void => {
      result.push({ line: at + 1, lastLine: last + 1, key, mended });
      at = last;
    };
    if (beginsPrivate.test(line)) block(until(endsPrivate), 'private', null);
    else if (beginsOtherForm.test(line)) {
      const last = until(endsOtherForm);
      block(last, 'other-form', otherForm(lines.slice(at, last + 1).map((part) => part.trim())));
    } else {
      const key = parsePublicKey(line);
      const split = key === 'cut' || key === 'broken' ? splitKey(lines, at) : null;
      if (split) block(at + split.count - 1, 'split', split.text);
      else result.push({ line: at + 1, lastLine: at + 1, key, mended: null });
    }
  }
  return result;
}

/** The text with everything mended that can be; the rest stays as it is. */
export function mendKeys(text: string): string {
  const lines = text.replace(/^\uFEFF/, '').split(/\r\n|\r|\n/);
  for (const { line, lastLine, mended } of parseKeyList(text).reverse())
    if (mended !== null) lines.splice(line - 1, lastLine - line + 1, mended);
  return lines.join('\n');
}
