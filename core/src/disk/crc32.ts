import { crcOver, crcTable } from './crc-table';

/** The polynomial of ISO 3309; UEFI specification 2.10 section 5.3.2 asks for this one. */
const table = crcTable(0xedb88320);

/** CRC-32 of octets, as an unsigned number. */
export const crc32 = (bytes: Uint8Array): number => ~crcOver(table, 0xffffffff, bytes) >>> 0;
