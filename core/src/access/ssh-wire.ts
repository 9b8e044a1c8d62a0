import { concatBytes, textOf, utf8 } from '../bytes';

/** Data types of the SSH wire format (RFC 4251 section 5). */

/** A 32-bit number, most significant octet first. */
export const sshUint32 = (value: number): Uint8Array<ArrayBuffer> =>
  new Uint8Array([value >>> 24, (value >>> 16) & 255, (value >>> 8) & 255, value & 255]);

/** A string: its length, then its octets. */
export function sshString(value: string | Uint8Array): Uint8Array<ArrayBuffer> {
  const bytes = typeof value === 'string' ? utf8(value) : value;
  return concatBytes(sshUint32(bytes.length), bytes);
}

/** Reads the fields of a blob one after the other. */
export class SshReader {
  private at = 0;
  constructor(private readonly bytes: Uint8Array) {}

  /** The next string's octets, or null when the blob ends before it does. */
  string(): Uint8Array | null {
    const { bytes, at } = this;
    if (at + 4 > bytes.length) return null;
    const length = new DataView(bytes.buffer, bytes.byteOffset + at, 4).getUint32(0);
    if (at + 4 + length > bytes.length) return null;
    this.at = at + 4 + length;
    return bytes.subarray(at + 4, this.at);
  }

  /** The next string as text, or null when it is missing or not UTF-8. */
  text(): string | null {
    const bytes = this.string();
    if (!bytes) return null;
    try {
      return textOf(bytes);
    } catch {
      return null;
    }
  }

  /** Whether everything was read. */
  get ended(): boolean {
    return this.at === this.bytes.length;
  }
}
