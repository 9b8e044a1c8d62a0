import { sha256 } from '@noble/hashes/sha2.js';
import { fromBase64, toBase64 } from '../bytes';
import { SshReader } from './ssh-wire';

/** A public key as one line of an authorized_keys file. */
export interface SshPublicKey {
  type: string;
  blob: Uint8Array;
  comment: string;
  /** What stands before the type and limits what the key may do, as it was written; empty for most. */
  options: string;
  /** Size in bits as people name it; 256 for the elliptic types. */
  bits: number;
}

export type KeyFault = 'empty' | 'private' | 'broken' | 'cut' | 'type' | 'dsa' | 'mismatch' | 'options';

/** Fields after the type's name, and the size, of the key types in use (RFC 4253 6.6, RFC 5656, RFC 8709). */
const types: Record<string, { fields: number; bits: number }> = {
  'ssh-ed25519': { fields: 1, bits: 256 },
  'ssh-rsa': { fields: 2, bits: 0 },
  'ecdsa-sha2-nistp256': { fields: 2, bits: 256 },
  'ecdsa-sha2-nistp384': { fields: 2, bits: 384 },
  'ecdsa-sha2-nistp521': { fields: 2, bits: 521 },
  'sk-ssh-ed25519@openssh.com': { fields: 2, bits: 256 },
  'sk-ecdsa-sha2-nistp256@openssh.com': { fields: 3, bits: 256 },
};

/** Options without and with a value (sshd(8), "AUTHORIZED_KEYS FILE FORMAT"); their capitals do not matter. */
const flags =
  /^(no-)?(agent-forwarding|port-forwarding|pty|user-rc|x11-forwarding|touch-required)$|^(cert-authority|restrict|verify-required)$/i;
const valued = /^(command|environment|expiry-time|from|permitlisten|permitopen|principals|tunnel)="/i;

/**
 * The options at the beginning of a line: parted by commas, without spaces but in quotes, in which `\"` is a quote.
 * @returns null when a line does not begin with options, or with one that login services do not know
 */
function leadingOptions(text: string): { options: string; rest: string } | null {
  const found = /^((?:[^\s",]+(?:"(?:[^"\\]|\\.)*")?)(?:,[^\s",]+(?:"(?:[^"\\]|\\.)*")?)*)\s+(.*)$/.exec(
    text,
  );
  const [, options = '', rest = ''] = found ?? [];
  const each = options.match(/[^\s",]+(?:"(?:[^"\\]|\\.)*")?/g) ?? [];
  return each.length > 0 && each.every((one) => flags.test(one) || valued.test(one))
    ? { options, rest }
    : null;
}

/** Bits of a non-negative multiple-precision integer (RFC 4251 section 5). */
function mpintBits(bytes: Uint8Array): number {
  const first = bytes.findIndex((value) => value !== 0);
  return first < 0 ? 0 : (bytes.length - first - 1) * 8 + (32 - Math.clz32(bytes[first] ?? 0));
}

/**
 * Reads one public key line and judges it by its blob, not by its looks.
 * @returns the key, or what is wrong with the line
 */
export function parsePublicKey(line: string): SshPublicKey | KeyFault {
  const text = line.trim();
  if (text === '') return 'empty';
  if (/-----BEGIN [A-Z ]*PRIVATE KEY-----|^b3BlbnNzaC1rZXktdjE/.test(text)) return 'private';
  const parts = /^(\S+)\s+(\S+)(?:\s+(.*))?$/.exec(text);
  const name = parts?.[1] ?? '';
  if (!parts) return types[text] || /^AAAA/.test(text) ? 'cut' : 'broken';
  // Removed from login services for its short keys (OpenSSH's release notes 7.0 and 9.8).
  if (name === 'ssh-dss') return 'dsa';
  if (!types[name]) {
    const limited = leadingOptions(text);
    const key = limited && parsePublicKey(limited.rest);
    if (key && typeof key !== 'string' && key.options === '') return { ...key, options: limited.options };
    // Options stand together; a second heap of them is no key.
    if (key) return typeof key === 'string' ? key : 'options';
    return /(^|,)(ssh-|ecdsa-|sk-)\S+\s/.test(text.slice(name.length).trim()) ? 'options' : 'type';
  }
  const blob = fromBase64(parts[2] ?? '');
  if (!blob) return 'cut';
  const reader = new SshReader(blob);
  const inner = reader.text();
  if (inner === null) return 'cut';
  if (inner !== name) return 'mismatch';
  const { fields, bits } = types[name];
  const values = Array.from({ length: fields }, () => reader.string());
  if (values.some((value) => !value || value.length === 0) || !reader.ended) return 'cut';
  if (name === 'ssh-ed25519' && values[0]?.length !== 32) return 'cut';
  return {
    type: name,
    blob,
    comment: parts[3] ?? '',
    options: '',
    bits: bits || mpintBits(values[1] ?? new Uint8Array()),
  };
}

/** Fingerprint as `ssh-keygen -l` prints it: SHA-256 over the blob, base64 without padding. */
export const fingerprint = (blob: Uint8Array): string =>
  `SHA256:${toBase64(sha256(blob)).replace(/=+$/, '')}`;

/** Type and blob in base64, the part of the line that identifies the key. */
export const publicKeyText = (key: Pick<SshPublicKey, 'type' | 'blob'>): string =>
  `${key.type} ${toBase64(key.blob)}`;

/** The whole line as a login service reads it, its options with it. */
export const publicKeyLine = (key: SshPublicKey): string =>
  [key.options, publicKeyText(key), key.comment].filter((part) => part !== '').join(' ');

/** Type name at the start of a key blob, or an empty text when the blob is broken. */
export const blobType = (blob: Uint8Array): string => new SshReader(blob).text() ?? '';
