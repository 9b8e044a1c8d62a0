import * as z from 'zod';
import { nameOf } from '../plain-name';

/**
 * What a card says beyond name, login and networks. Like the rest of a plan it is kept while it is still wrong; the
 * rules judge it.
 */

const line = (max: number): z.ZodString => z.string().max(max);

/**
 * A file that goes along: onto the boot partition, through the first boot onto the running system, or straight into the
 * root file system of the image, before anything has run.
 */
export const ExtraFileSchema = z.object({
  place: z.enum(['card', 'board', 'root']),
  /** On the card from its root, otherwise from `/`. */
  path: nameOf(200),
  content: line(64_000),
  /** Octal permissions; a card's boot partition has none. */
  mode: nameOf(4).default('0644'),
});
export type ExtraFile = z.infer<typeof ExtraFileSchema>;

/** What is brought up to date at the first start, where the board has a network by then. */
export const RefreshSchema = z.enum(['nothing', 'lists', 'upgrade']);
export type Refresh = z.infer<typeof RefreshSchema>;

export const refreshTitles: Record<Refresh, string> = {
  nothing: 'nothing',
  lists: 'the lists of packages',
  upgrade: 'the lists, then all packages',
};

/** Whether the main user may become root, and how. */
export const SudoPolicySchema = z.enum(['usual', 'free', 'none']);
export type SudoPolicy = z.infer<typeof SudoPolicySchema>;

export const sudoTitles: Record<SudoPolicy, string> = {
  usual: 'with the password, where there is one',
  free: 'without a password',
  none: 'not at all',
};

/** Where boards call unless another port is chosen; registered for nothing (IANA, "Service Name and Port Registry"). */
export const CALL_IN_PORT = 8722;

export const ExtrasSchema = z.object({
  sudo: SudoPolicySchema.default('usual'),
  /** Further groups of the main user, with spaces or commas between. */
  groups: nameOf(400).default(''),
  /** Keyboard layout of xkeyboard-config, and its variant after a space; empty as the image has it. */
  keyboard: nameOf(60).default(''),
  /** The cable's address: from an address server, or the one that each device is given. */
  wired: z
    .object({ way: z.enum(['dhcp', 'fixed']), gateway: nameOf(64), nameServers: nameOf(200) })
    .default({ way: 'dhcp', gateway: '', nameServers: '' }),
  refresh: RefreshSchema.default('nothing'),
  /** Packages to install at the first start, with spaces between. */
  packages: line(2000).default(''),
  /** Lines for the boot configuration, with sections in brackets. */
  bootLines: line(8000).default(''),
  files: z.array(ExtraFileSchema).max(16).default([]),
  /** Shell commands that run once at the first start, one a line. */
  commands: line(16_000).default(''),
  /** Where boards call at the end of their first boot: an IPv4 address of the bench; empty for nowhere. */
  callIn: z
    .object({ address: nameOf(64), port: z.number().int().min(1).max(65_535) })
    .default({ address: '', port: CALL_IN_PORT }),
});
export type Extras = z.infer<typeof ExtrasSchema>;

/** Layout and variant of a keyboard as it is typed; null when nothing is. */
export function keyboardOf(text: string): { layout: string; variant: string } | null {
  const [layout = '', variant = ''] = text.trim().split(/\s+/);
  return layout === '' ? null : { layout, variant };
}

/** Where boards are to call; null where nothing is chosen. */
export const callInOf = ({ callIn }: Pick<Extras, 'callIn'>): { address: string; port: number } | null =>
  callIn.address.trim() === '' ? null : { address: callIn.address.trim(), port: callIn.port };

/** Words of a field that takes several. */
export const wordsOf = (text: string): string[] => text.split(/[\s,]+/).filter((word) => word !== '');

/** Lines of a field, without empty ones. */
export const linesOf = (text: string): string[] =>
  text
    .split(/\r?\n/)
    .map((one) => one.trim())
    .filter((one) => one !== '');
