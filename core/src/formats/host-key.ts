import { hostKeyBlob } from '../access/read-host-key';
import { parsePublicKey } from '../access/ssh-public-key';
import { equalBytes } from '../bytes';
import type { Findings } from './finding';

/** Checks a board's own key: whole, and both halves of one pair. Keys in forms of other makers are not judged. */
export function checkHostKey(
  privateText: string,
  publicLine: string | null,
  line: number | null,
  found: Findings,
): void {
  if (/BEGIN (RSA |EC |DSA )?PRIVATE KEY/.test(privateText)) return;
  const blob = hostKeyBlob(privateText);
  const half = publicLine === null ? null : parsePublicKey(publicLine);
  const fits = blob && (half === null || (typeof half !== 'string' && equalBytes(half.blob, blob)));
  if (fits) return;
  found.add(
    'stops',
    'host-key-broken',
    blob
      ? 'The two halves of the board’s own key do not belong together.'
      : 'The board’s own key is damaged.',
    'The login service does not take it: it makes another one or does not start, and the board cannot be proved.',
    'Write the card again.',
    { line },
  );
}
