import { create } from 'qrcode';
import type { Drawn } from '@nest-mark/core';

/** Modules of white around a code (ISO/IEC 18004, section 5.3.8). */
const QUIET = 4;

const patterns = new Map<string, { modules: number; path: string }>();

/** A QR code as a path of runs: each row of dark modules is one box, so that it is drawn in one fill. */
export function pattern(text: string): { modules: number; path: string } {
  const known = patterns.get(text);
  if (known) return known;
  const { modules } = create(text, { errorCorrectionLevel: text.length > 20 ? 'L' : 'M' });
  let path = '';
  for (let y = 0; y < modules.size; y++)
    for (let x = 0; x < modules.size; x++) {
      if (modules.get(y, x) === 0) continue;
      const from = x;
      while (x + 1 < modules.size && modules.get(y, x + 1) !== 0) x++;
      const run = x - from + 1;
      path += `M${String(from + QUIET)} ${String(y + QUIET)}h${String(run)}v1h-${String(run)}z`;
    }
  const made = { modules: modules.size + 2 * QUIET, path };
  if (patterns.size > 3000) patterns.clear();
  patterns.set(text, made);
  return made;
}

/** Codes as they are inked. */
export const inked = (drawn: readonly Drawn[]): Drawn[] =>
  drawn.map((one) =>
    one.kind === 'code' ? { kind: 'pattern', x: one.x, y: one.y, size: one.size, ...pattern(one.text) } : one,
  );
