/** Table of a CRC of 32 bits whose polynomial is written from its lowest power (reflected). */
export const crcTable = (polynomial: number): Uint32Array =>
  Uint32Array.from({ length: 256 }, (_, index) => {
    let value = index;
    for (let bit = 0; bit < 8; bit++) value = value & 1 ? (value >>> 1) ^ polynomial : value >>> 1;
    return value >>> 0;
  });

/** Goes on with a register over more octets. */
export function crcOver(table: Uint32Array, register: number, bytes: Uint8Array): number {
  let value = register;
  for (const octet of bytes) value = (value >>> 8) ^ (table[(value ^ octet) & 0xff] ?? 0);
  return value >>> 0;
}
