import * as z from 'zod';

/** What a system's image can do, as its files tell before it has ever run. */

export const abilityIds = [
  'systemd',
  'startsPrograms',
  'cloudInit',
  'networkManager',
  'netplan',
  'networkd',
  'wpaSupplicant',
  'ssh',
  'sudo',
  'bash',
  'avahi',
  'localeGen',
  'consoleSetup',
  'timeZones',
  'growth',
] as const;
export type AbilityId = (typeof abilityIds)[number];

export const AbilitySchema = z.object({
  has: z.boolean(),
  /** Whether it is started by itself; null where that is no question, or is not told by files. */
  on: z.boolean().nullable(),
  /** As the package manager has it; empty where it does not say. */
  version: z.string(),
  /** Where that was read, or what was looked for in vain. */
  where: z.string(),
});
export type Ability = z.infer<typeof AbilitySchema>;

export const SystemFactsSchema = z.object({
  /** Why the root file system could not be read, for people; empty when it was. */
  unread: z.string(),
  packages: z.object({
    manager: z.enum(['dpkg', 'apk', 'rpm', 'none']),
    count: z.number(),
    where: z.string(),
  }),
  abilities: z.partialRecord(z.enum(abilityIds), AbilitySchema),
  /** How cloud-init finds its seed; null without cloud-init. */
  seed: z
    .object({
      /** Label of the partition that holds it, in small letters. */
      label: z.string(),
      labelWhere: z.string(),
      /** Whether the NoCloud source is among those that are looked at. */
      looked: z.boolean(),
      sources: z.array(z.string()),
      sourcesWhere: z.string(),
      /** Folder or address that the configuration, or a link, names as the seed's place; empty where none does. */
      from: z.string(),
      fromWhere: z.string(),
      /** Whether another program decides first, which knows the usual label only where NoCloud is one source of several. */
      identify: z.boolean(),
      /** File that switches cloud-init off; empty when none does. */
      off: z.string(),
    })
    .nullable(),
  /** Who is told to act on netplan's files; networkd where nobody says otherwise. */
  renderer: z.object({ name: z.enum(['NetworkManager', 'networkd']), where: z.string() }).nullable(),
  /** Locales that are made already. */
  locales: z.array(z.string()),
  /** Accounts of people, and root. */
  accounts: z.array(
    z.object({
      name: z.string(),
      /** How somebody who knows it can log in as it is shipped. */
      login: z.enum(['password', 'no-password', 'keys', 'none']),
      where: z.string(),
    }),
  ),
  /** What every board should have for itself, and all copies of this image share. */
  shared: z.array(z.object({ what: z.enum(['machine-id', 'host-key', 'instance']), where: z.string() })),
  /** What the maker starts at the first boot only. */
  firstBoot: z.array(z.object({ text: z.string(), where: z.string() })),
  /** What makes cloud-init look for a seed on the boot partition; null where nothing does. */
  seedPlace: z.string().nullable(),
  /** File of the boot partition with the kernel's command line, and who reads it; empty where nothing here does. */
  kernelLine: z.object({ path: z.string(), readBy: z.string() }).nullable(),
  /** The image's own template for networks. */
  template: z.string().nullable(),
});
export type SystemFacts = z.infer<typeof SystemFactsSchema>;

/** Nothing is known of the system but why. */
export const unreadSystem = (unread: string): SystemFacts => ({
  unread,
  packages: { manager: 'none', count: 0, where: '' },
  abilities: {},
  seed: null,
  renderer: null,
  locales: [],
  accounts: [],
  shared: [],
  firstBoot: [],
  seedPlace: null,
  kernelLine: null,
  template: null,
});

/** Whether a system is known to lack something; what is not known is not taken for missing. */
export const isWithout = (system: SystemFacts | null, id: AbilityId): boolean =>
  system?.abilities[id]?.has === false;

/** Whether a system is known to have something. */
export const isWith = (system: SystemFacts | null, id: AbilityId): boolean =>
  system?.abilities[id]?.has === true;
