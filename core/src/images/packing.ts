export type PackedAs = 'xz' | 'gzip' | 'zstd' | 'zip';

/** First octets of packed files: xz file format 1.2.0, RFC 1952, RFC 8878, the ZIP format's local file header. */
const magics: [PackedAs, number[]][] = [
  ['xz', [0xfd, 0x37, 0x7a, 0x58, 0x5a, 0x00]],
  ['gzip', [0x1f, 0x8b]],
  ['zstd', [0x28, 0xb5, 0x2f, 0xfd]],
  ['zip', [0x50, 0x4b, 0x03, 0x04]],
];

/** How a file is packed, by its first octets and not by its name; null when it is not. */
export const packedAs = (head: Uint8Array): PackedAs | null =>
  magics.find(([, magic]) => magic.every((value, at) => head[at] === value))?.[0] ?? null;
