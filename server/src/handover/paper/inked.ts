import type { CodePattern, Drawn } from '@nest-mark/core';
import { codePattern } from '../../platform/code-pattern';

const patterns = new Map<string, CodePattern>();

/** One that was drawn before is not drawn again: sheets repeat them. */
function pattern(text: string): CodePattern {
  const known = patterns.get(text);
  if (known) return known;
  const made = codePattern(text);
  if (patterns.size > 3000) patterns.clear();
  patterns.set(text, made);
  return made;
}

/** Codes as they are inked. */
export const inked = (drawn: readonly Drawn[]): Drawn[] =>
  drawn.map((one) =>
    one.kind === 'code' ? { kind: 'pattern', x: one.x, y: one.y, size: one.size, ...pattern(one.text) } : one,
  );
