import { CALL_IN_PATH } from '../net/call-in';
import { isMark } from '../plan/marks';

/** What a call says; all of it can be made up. */
export interface CallIn {
  mark: string;
  /** Without its domain. */
  hostName: string | null;
}

/** `hostname` of a form (WHATWG URL standard, "application/x-www-form-urlencoded"); names need no escapes (RFC 1123). */
const named = /(?:^|&)hostname=([A-Za-z0-9_-]{1,63})(?:\.[A-Za-z0-9_.-]{0,190})?(?:&|$)/;

/**
 * Reads a call. Whatever else it holds, keys too, is left: a key counts only by its signature.
 * @param path of the request, without anything behind it
 * @returns null where its path names no mark
 */
export function readCallIn(path: string, body: string): CallIn | null {
  if (!path.startsWith(CALL_IN_PATH)) return null;
  const mark = path.slice(CALL_IN_PATH.length);
  if (!isMark(mark)) return null;
  return { mark, hostName: named.exec(body)?.[1] ?? null };
}
