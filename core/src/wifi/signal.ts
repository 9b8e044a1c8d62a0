/** Strength of a signal at a receiver, in dBm: -30 is beside the access point, -90 is noise. */

/** From here on down a link breaks off, or none comes about (common practice; receivers differ by several dB). */
export const WEAK_DBM = -75;
/** From here on up there is something to spare (common practice). */
export const SOUND_DBM = -67;

export const isWeakSignal = (dbm: number): boolean => dbm <= WEAK_DBM;

/** How much of a signal there is; `none` where it was listened for and not heard. */
export type Strength = 'sound' | 'fair' | 'weak' | 'none';

export const strengthOf = (dbm: number | null): Strength =>
  dbm === null ? 'none' : isWeakSignal(dbm) ? 'weak' : dbm < SOUND_DBM ? 'fair' : 'sound';

/** A level as it is said: with a true minus (U+2212) and its unit. */
export const shownLevel = (dbm: number | null, about = false): string =>
  dbm === null ? 'not heard' : `${about ? 'about ' : ''}${String(Math.round(dbm)).replace('-', '−')} dBm`;
