import * as z from 'zod';
import { nameOf } from '../plain-name';
import { WifiSecuritySchema } from '../wifi/network';

/** Most of any current; keeps a slip of the finger out of the sums. */
const milliamp = z.number().min(0).max(20_000).nullable();
const seconds = z.number().min(1).max(3600);

/** A class of board by what it can do; no makers, no product names. */
export const BoardProfileSchema = z.object({
  id: nameOf(40).min(1),
  title: nameOf(80).trim().min(1, 'Give the profile a title.'),
  /** The widest system that the processor runs. */
  wordBits: z.union([z.literal(32), z.literal(64)]),
  instructionSet: nameOf(24),
  memoryMiB: z.number().int().min(1).max(1_048_576),
  storage: z.enum(['card', 'emmc', 'usb']),
  /** For soldered flash: what has to be set on the carrier before it shows up as a drive. */
  carrierJumpers: z.number().int().min(0).max(2),
  carrierSwitch: z.boolean(),
  wifiBands: z.array(z.enum(['2.4 GHz', '5 GHz', '6 GHz'])),
  /** What its radio knows. */
  wifiSecurity: z.array(WifiSecuritySchema),
  ethernet: z.boolean(),
  video: z.enum(['full', 'mini', 'micro', 'none']),
  usb: z.enum(['full', 'micro', 'none']),
  powerSocket: z.enum(['USB-C', 'micro USB', 'barrel', 'terminals']),
  cameraRibbon: z.enum(['narrow', 'wide', 'none']),
  /** Currents at 5 V; null where nobody has measured them. */
  idleMilliamp: milliamp,
  typicalMilliamp: milliamp,
  peakMilliamp: milliamp,
  /** The supply that its description asks for, in amperes; null when unknown. */
  supplyAmps: z.number().min(0.1).max(20).nullable(),
  /** Least voltage at the board's socket, in volts. */
  minVolts: z.number().min(3).max(48),
  firstBootSeconds: seconds,
  laterBootSeconds: seconds,
  /** Work done in the time that a full-size board needs for one; below 1 is slower. */
  speed: z.number().min(0.05).max(20),
});
export type BoardProfile = z.infer<typeof BoardProfileSchema>;

/** A profile as the shelf keeps it. */
export const ShelvedBoardSchema = BoardProfileSchema.extend({
  /** 0 for one as it ships. */
  version: z.number().int(),
  origin: z.enum(['shipped', 'changed', 'own']),
});
export type ShelvedBoard = z.infer<typeof ShelvedBoardSchema>;

/**
 * A full-size board. Supply and boot times are common practice: 3 A for the newest full-size boards, 2.5 A for the
 * ones before, about 2 A for compact ones; a couple of minutes for a first boot. Currents are from memory, rounded up.
 * The least voltage is the lower end of a USB port that feeds loads (USB 2.0 section 7.2.2: 4.75 V at the source,
 * less 0.125 V in the cable), which is also where boards begin to warn (common practice).
 */
const fullSize: BoardProfile = {
  id: 'full-64',
  title: 'Full-size, 64 bit, two bands, wired',
  wordBits: 64,
  instructionSet: 'AArch64',
  memoryMiB: 4096,
  storage: 'card',
  carrierJumpers: 0,
  carrierSwitch: false,
  wifiBands: ['2.4 GHz', '5 GHz'],
  wifiSecurity: ['open', 'wep', 'wpa2-psk', 'wpa2-wpa3'],
  ethernet: true,
  video: 'micro',
  usb: 'full',
  powerSocket: 'USB-C',
  cameraRibbon: 'wide',
  idleMilliamp: 600,
  typicalMilliamp: 900,
  peakMilliamp: 1600,
  supplyAmps: 3,
  minVolts: 4.63,
  firstBootSeconds: 120,
  laterBootSeconds: 30,
  speed: 1,
};

const compact: BoardProfile = {
  ...fullSize,
  id: 'compact-64',
  title: 'Compact, 64 bit, 2.4 GHz only',
  memoryMiB: 512,
  wifiBands: ['2.4 GHz'],
  wifiSecurity: ['open', 'wep', 'wpa2-psk', 'wpa2-wpa3'],
  ethernet: false,
  video: 'mini',
  usb: 'micro',
  powerSocket: 'micro USB',
  cameraRibbon: 'narrow',
  idleMilliamp: 150,
  typicalMilliamp: 350,
  peakMilliamp: 700,
  supplyAmps: 2,
  firstBootSeconds: 180,
  laterBootSeconds: 40,
  speed: 0.45,
};

/** Neutral profiles that ship; people change them and add their own. */
export const boardProfiles: readonly BoardProfile[] = [
  fullSize,
  {
    ...fullSize,
    id: 'full-64-newest',
    title: 'Full-size, 64 bit, newest, WPA3',
    memoryMiB: 8192,
    wifiSecurity: ['open', 'wpa2-psk', 'wpa2-wpa3', 'wpa3-sae'],
    cameraRibbon: 'narrow',
    idleMilliamp: 700,
    typicalMilliamp: 1200,
    peakMilliamp: 2400,
    firstBootSeconds: 75,
    laterBootSeconds: 20,
    speed: 2,
  },
  {
    ...fullSize,
    id: 'full-64-earlier',
    title: 'Full-size, 64 bit, earlier, 1 GiB',
    memoryMiB: 1024,
    video: 'full',
    powerSocket: 'micro USB',
    idleMilliamp: 450,
    typicalMilliamp: 700,
    peakMilliamp: 1300,
    supplyAmps: 2.5,
    firstBootSeconds: 150,
    laterBootSeconds: 40,
    speed: 0.6,
  },
  {
    ...fullSize,
    id: 'full-32-wired',
    title: 'Full-size, 32 bit, wired only',
    wordBits: 32,
    instructionSet: 'ARMv7',
    memoryMiB: 1024,
    wifiBands: [],
    wifiSecurity: [],
    video: 'full',
    powerSocket: 'micro USB',
    idleMilliamp: 300,
    typicalMilliamp: 500,
    peakMilliamp: 900,
    supplyAmps: 2,
    firstBootSeconds: 240,
    laterBootSeconds: 60,
    speed: 0.4,
  },
  compact,
  {
    ...compact,
    id: 'compact-32',
    title: 'Compact, 32 bit, 2.4 GHz only, slow',
    wordBits: 32,
    instructionSet: 'ARMv6',
    wifiSecurity: ['open', 'wep', 'wpa2-psk', 'wpa2-wpa3'],
    typicalMilliamp: 250,
    peakMilliamp: 500,
    firstBootSeconds: 300,
    laterBootSeconds: 60,
    speed: 0.2,
  },
  {
    ...compact,
    id: 'compact-32-offline',
    title: 'Compact, 32 bit, no radio, no socket for a network',
    wordBits: 32,
    instructionSet: 'ARMv6',
    wifiBands: [],
    wifiSecurity: [],
    typicalMilliamp: 180,
    peakMilliamp: 350,
    firstBootSeconds: 300,
    laterBootSeconds: 60,
    speed: 0.2,
  },
  {
    ...fullSize,
    id: 'module-emmc-one',
    title: 'Module on a carrier, eMMC, one jumper',
    storage: 'emmc',
    carrierJumpers: 1,
    memoryMiB: 2048,
    usb: 'full',
    video: 'full',
  },
  {
    ...fullSize,
    id: 'module-emmc-two',
    title: 'Module on a carrier, eMMC, two jumpers and a switch',
    storage: 'emmc',
    carrierJumpers: 2,
    carrierSwitch: true,
    memoryMiB: 1024,
    wifiBands: [],
    wifiSecurity: [],
    video: 'full',
    powerSocket: 'barrel',
    speed: 0.6,
    firstBootSeconds: 150,
    laterBootSeconds: 40,
  },
  {
    ...fullSize,
    id: 'module-card',
    title: 'Module on a carrier with a card socket',
    memoryMiB: 2048,
    video: 'full',
    powerSocket: 'terminals',
  },
  {
    ...fullSize,
    id: 'drive-64',
    title: 'Full-size, 64 bit, starts from a USB drive',
    storage: 'usb',
    typicalMilliamp: 1300,
    peakMilliamp: 2200,
    firstBootSeconds: 90,
    laterBootSeconds: 25,
    speed: 1.2,
  },
  {
    ...fullSize,
    id: 'gateway-64',
    title: 'Gateway, 64 bit, three bands, wired',
    instructionSet: 'x86-64',
    memoryMiB: 16_384,
    storage: 'usb',
    wifiBands: ['2.4 GHz', '5 GHz', '6 GHz'],
    wifiSecurity: ['open', 'wpa2-psk', 'wpa2-wpa3', 'wpa3-sae'],
    video: 'full',
    powerSocket: 'barrel',
    cameraRibbon: 'none',
    idleMilliamp: 1500,
    typicalMilliamp: 2500,
    peakMilliamp: 4000,
    supplyAmps: 5,
    firstBootSeconds: 60,
    laterBootSeconds: 20,
    speed: 4,
  },
];

/** Shipped profiles as the shelf shows them while nobody has changed any. */
export const shippedBoards: readonly ShelvedBoard[] = boardProfiles.map((profile) => ({
  ...profile,
  version: 0,
  origin: 'shipped',
}));

/** A profile by its id, or null: it may have been taken off the shelf. */
export const findBoard = <T extends BoardProfile>(boards: readonly T[], id: string): T | null =>
  boards.find((profile) => profile.id === id) ?? null;

/** Time of a first boot where the profile is not known, in seconds (common practice: a couple of minutes). */
export const USUAL_FIRST_BOOT_SECONDS = 120;
