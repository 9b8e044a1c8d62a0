import { generateKeyPairSync } from 'node:crypto';

/** A key pair for a tunnel by node:crypto (RFC 7748, section 5), both halves in base64. */
export function tunnelKeys(): { privateKey: string; publicKey: string } {
  const { d = '', x = '' } = generateKeyPairSync('x25519').privateKey.export({ format: 'jwk' });
  const text = (part: string): string => Buffer.from(part, 'base64url').toString('base64');
  return { privateKey: text(d), publicKey: text(x) };
}
