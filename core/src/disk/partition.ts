/** A partition with its place in octets. */
export interface Partition {
  /** Number as the system counts: 1 to 4 primary, from 5 on logical. */
  number: number;
  /** Type octet of the master boot record. */
  type: number;
  bootable: boolean;
  offset: number;
  size: number;
}
