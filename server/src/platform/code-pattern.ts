import { create } from 'qrcode';
import type { CodePattern } from '@nest-mark/core/api';

/** Modules of white around a code (ISO/IEC 18004, section 5.3.8). */
const QUIET = 4;

/**
 * A QR code as a path of runs: each row of dark modules is one box, so that it is drawn in one fill.
 * @param content text, or octets that are no text
 */
export function codePattern(content: string | Uint8Array): CodePattern {
  const { modules } = create(
    typeof content === 'string' ? content : [{ data: Uint8ClampedArray.from(content), mode: 'byte' }],
    { errorCorrectionLevel: content.length > 20 ? 'L' : 'M' },
  );
  let path = '';
  for (let y = 0; y < modules.size; y++)
    for (let x = 0; x < modules.size; x++) {
      if (modules.get(y, x) === 0) continue;
      const from = x;
      while (x + 1 < modules.size && modules.get(y, x + 1) !== 0) x++;
      const run = x - from + 1;
      path += `M${String(from + QUIET)} ${String(y + QUIET)}h${String(run)}v1h-${String(run)}z`;
    }
  return { modules: modules.size + 2 * QUIET, path };
}
