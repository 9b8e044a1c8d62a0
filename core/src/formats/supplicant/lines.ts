import { globalFields, networkFields } from './fields';

/**
 * Reads the lines and blocks of a `wpa_supplicant.conf` as wpa_supplicant 2.10 does (wpa_supplicant.conf(5); what the
 * page leaves open was tried with the program).
 */

export interface Setting {
  key: string;
  value: string;
  line: number;
}

/** `network={` to `}`, or the settings outside of blocks. */
export interface Block {
  line: number;
  settings: Setting[];
}

/** A line that cannot be read; the program then refuses the whole file. */
interface BrokenLine {
  id: 'brace-open' | 'brace-form' | 'brace-extra' | 'line-form';
  line: number;
  what: string;
  advice: string;
}

export interface SupplicantLines {
  globals: Block;
  blocks: Block[];
  broken: BrokenLine[];
  /** Comments that look like the beginning of a network: a template whose comment signs were left. */
  asleep: { line: number; text: string }[];
}

/** A passphrase in a comment beside its key, as wpa_passphrase leaves it; no setting. */
export const BESIDE = '#psk';

/** The last value of a setting, which is the one that holds. */
export const settingOf = (block: Block, key: string): Setting | undefined =>
  block.settings.findLast((setting) => setting.key === key);

/** Cuts a comment off: a # behind the last quotation mark; with fewer than two marks, a # anywhere. */
function withoutComment(line: string): string {
  const last = line.lastIndexOf('"');
  const sign = line.indexOf('#', last > line.indexOf('"') ? last : 0);
  return (sign < 0 ? line : line.slice(0, sign)).replace(/[ \t\r]+$/, '');
}

/** What of a line may be shown: it can hold a passphrase, or the half of one that an editor broke over two lines. */
function shown(content: string): string {
  const word = /^[A-Za-z0-9_]*/.exec(content)?.[0] ?? '';
  return word === 'network' || networkFields.has(word) || globalFields.has(word) ? ` ("${word} …")` : '';
}

/** @param text with plain line ends and without a byte-order mark */
export function readLines(text: string): SupplicantLines {
  const globals: Block = { line: 0, settings: [] };
  const blocks: Block[] = [];
  const broken: BrokenLine[] = [];
  const asleep: SupplicantLines['asleep'] = [];
  let open: Block | null = null;
  /** Line where a block began that is no network: credentials, or octets in base64. */
  let other: number | null = null;
  const lines = text.split('\n');
  for (const [index, raw] of lines.entries()) {
    const line = index + 1;
    const trimmed = raw.replace(/^[ \t\r]+/, '').trimEnd();
    if (trimmed.startsWith('#')) {
      const beside = /^#\s*psk="(.*)"$/.exec(trimmed)?.[1];
      if (beside !== undefined) open?.settings.push({ key: BESIDE, value: beside, line });
      const sleeper = /^#+\s*network\s*=\s*\{/.exec(trimmed)?.[0];
      if (sleeper !== undefined) asleep.push({ line, text: sleeper });
      continue;
    }
    const content = withoutComment(trimmed);
    if (content === '') continue;
    if (other !== null && content !== 'network={') {
      if (/^(ssid|psk|key_mgmt|scan_ssid)=/.test(content))
        broken.push({
          id: 'brace-form',
          line,
          what: `Line ${String(line)} belongs to a network, and the block of line ${String(other)} is none.`,
          advice: 'network={ before the lines of a network',
        });
      if (content === '}') other = null;
      continue;
    }
    if (!open && (content === 'cred={' || content.startsWith('blob-base64-'))) {
      other = line;
      continue;
    }
    if (content === 'network={') {
      const unclosed: number | null = open?.line ?? other;
      if (unclosed !== null)
        broken.push({
          id: 'brace-open',
          line,
          what: `The block of line ${String(unclosed)} is not closed before the next one begins.`,
          advice: '}',
        });
      other = null;
      open = { line, settings: [] };
      blocks.push(open);
      continue;
    }
    if (/^network\s*[={]/i.test(content)) {
      broken.push({
        id: 'brace-form',
        line,
        what: `Line ${String(line)} does not begin a network${shown(content.toLowerCase())}.`,
        advice: 'network={ on a line of its own, without spaces',
      });
      // It was meant as a beginning; what follows is read as its settings.
      if (!open && content.includes('{')) blocks.push((open = { line, settings: [] }));
      continue;
    }
    if (content === '}') {
      if (!open)
        broken.push({
          id: 'brace-extra',
          line,
          what: 'A brace closes what was never opened.',
          advice: 'Take it away, or put network={ before its lines.',
        });
      open = null;
      continue;
    }
    const equals = content.indexOf('=');
    if (equals < 1) {
      broken.push({
        id: 'line-form',
        line,
        what: `Line ${String(line)} is no setting${shown(content)}.`,
        advice: content.startsWith('}') ? '} on a line of its own' : 'name=value',
      });
      continue;
    }
    (open ?? globals).settings.push({
      key: content.slice(0, equals),
      value: content.slice(equals + 1),
      line,
    });
  }
  const unclosed: number | null = open?.line ?? other;
  if (unclosed !== null)
    broken.push({
      id: 'brace-open',
      line: lines.length,
      what: `The block of line ${String(unclosed)} is not closed.`,
      advice: '}',
    });
  return { globals, blocks, broken, asleep };
}
