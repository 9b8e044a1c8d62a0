import Papa from 'papaparse';
import {
  cutToFit,
  DrawnSchema,
  type Drawn,
  type DrawnInput,
  type Measure,
  type Page,
} from './labels/drawing';

/** What somebody needs to log in to a device by its password. */
export interface Credential {
  mark: string;
  nest: string;
  hostName: string;
  role: string;
  userName: string;
  password: string;
  address: string | null;
  port: number;
  hostKeyFingerprint: string;
}

const urlOf = ({ userName, address, hostName, port }: Credential): string => {
  const host = address?.includes(':') ? `[${address}]` : (address ?? `${hostName}.local`);
  return `ssh://${encodeURIComponent(userName)}@${host}${port === 22 ? '' : `:${String(port)}`}`;
};

/**
 * Credentials as a table for the import of a password manager (RFC 4180; the columns are common practice). Passwords stand
 * as they are: they are made of letters and digits, or were typed by the person, and an import must not change them.
 */
export function credentialsCsv(credentials: readonly Credential[]): string {
  const formula = (text: string): string => (/^[=+\-@\t\r]/.test(text) ? `'${text}` : text);
  const rows = credentials.map((one) => [
    formula(one.hostName),
    urlOf(one),
    formula(one.userName),
    one.password,
    formula(
      `Mark ${one.mark}, nest ${one.nest}${one.role === '' ? '' : `, ${one.role}`}. Host key ${one.hostKeyFingerprint}`,
    ),
  ]);
  return `${Papa.unparse([['title', 'url', 'username', 'password', 'notes'], ...rows], { newline: '\r\n' })}\r\n`;
}

/** Slips of a page of A4, in mm: three panels each, folded twice so that the middle one lies inside. */
const PAGE = { width: 210, height: 297 };
const PANEL = 29;
const MARGIN = 15;
const PER_PAGE = 3;
const WIDTH = PAGE.width - 2 * MARGIN;

/**
 * Slips of paper that fold over the secret: outside the device, inside its password, and a blank panel that covers it.
 */
export function credentialSlips(credentials: readonly Credential[], measure: Measure): Page[] {
  const pages: Page[] = [];
  credentials.forEach((one, at) => {
    const top = 12 + (at % PER_PAGE) * (3 * PANEL + 6);
    if (at % PER_PAGE === 0) pages.push({ ...PAGE, drawn: [] });
    const drawn: DrawnInput[] = [];
    const text = (
      x: number,
      y: number,
      size: number,
      face: 'plain' | 'bold' | 'mono',
      words: string,
    ): void => {
      const room = PAGE.width - MARGIN - 4 - x;
      drawn.push({
        kind: 'text',
        x,
        y: top + y,
        size,
        face,
        text: cutToFit(words, face, size, room, measure),
      });
    };
    drawn.push({ kind: 'box', x: MARGIN, y: top, width: WIDTH, height: 3 * PANEL, fill: null, line: 0.2 });
    for (const fold of [1, 2]) drawn.push({ kind: 'fold', x: MARGIN, y: top + fold * PANEL, width: WIDTH });
    text(MARGIN + 4, 9, 6, 'bold', one.hostName);
    text(MARGIN + 4, 15.5, 4, 'mono', `mark ${one.mark}`);
    text(MARGIN + 4, 21, 3.2, 'plain', `Nest ${one.nest}${one.role === '' ? '' : ` · ${one.role}`}`);
    text(
      MARGIN + 4,
      26.5,
      2.6,
      'plain',
      'Fold at both dashed lines so that the password lies inside. Taken over by, and when:',
    );
    text(MARGIN + 4, PANEL + 8, 3.2, 'plain', `User ${one.userName}, password:`);
    // A password is never cut: it is made smaller.
    const size = Math.min(6, (WIDTH - 8) / Math.max(0.001, measure(one.password, 'mono')));
    drawn.push({ kind: 'text', x: MARGIN + 4, y: top + PANEL + 16, size, face: 'mono', text: one.password });
    text(
      MARGIN + 4,
      PANEL + 21.5,
      2.8,
      'mono',
      `ssh ${one.port === 22 ? '' : `-p ${String(one.port)} `}${one.userName}@${one.address ?? `${one.hostName}.local`}`,
    );
    text(
      MARGIN + 4,
      PANEL + 26,
      2.4,
      'mono',
      `The host key that it shows has to be ${one.hostKeyFingerprint}`,
    );
    pages.at(-1)?.drawn.push(...drawn.map((each): Drawn => DrawnSchema.parse(each)));
  });
  return pages;
}
