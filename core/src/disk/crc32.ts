/** Table of the reflected polynomial 0xEDB88320 (ISO 3309; UEFI specification 2.10 section 5.3.2 asks for this one). */
const table = Uint32Array.from({ length: 256 }, (_, index) => {
  let value = index;
  for (let bit = 0; bit < 8; bit++) value = value & 1 ? (value >>> 1) ^ 0xedb88320 : value >>> 1;
  return value >>> 0;
});

/** CRC-32 of octets, as an unsigned number. */
export function crc32(bytes: Uint8Array): number {
  let value = 0xffffffff;
  for (const octet of bytes) value = (value >>> 8) ^ (table[(value ^ octet) & 0xff] ?? 0);
  return (value ^ 0xffffffff) >>> 0;
}
