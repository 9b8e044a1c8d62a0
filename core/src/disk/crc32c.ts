import { crcOver, crcTable } from './crc-table';

/** The polynomial of Castagnoli (RFC 3720 section 12.1). */
const table = crcTable(0x82f63b78);

/** Register of CRC-32C before any octet. */
export const CRC32C_START = 0xffffffff;

/** Goes on with a CRC-32C register over more octets; the usual value is the complement of what comes out. */
export const crc32c = (register: number, bytes: Uint8Array): number => crcOver(table, register, bytes);
