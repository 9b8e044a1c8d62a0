import type { Device, Join, Overrides, Plan } from './model';

/** What one device's card will say, its own settings laid over those of the batch. */
export interface DeviceSettings {
  boardProfileId: string;
  imageId: string | null;
  userName: string;
  keys: string;
  passwordLogin: boolean;
  networks: readonly Join[];
  country: string;
  timeZone: string;
  locale: string;
  /** Fixed address of the wired interface in CIDR form; empty when it has none. */
  wiredAddress: string;
}

export type SettingName = keyof DeviceSettings;

const settingTitles: Record<SettingName, string> = {
  boardProfileId: 'board',
  imageId: 'image',
  userName: 'user',
  keys: 'keys',
  passwordLogin: 'login by password',
  networks: 'networks',
  country: 'country',
  timeZone: 'time zone',
  locale: 'locale',
  wiredAddress: 'wired address',
};

/** A setting's name as people say it. */
export const settingTitle = (name: SettingName): string => settingTitles[name];

/** The settings of the batch, before any device differs. */
export const batchSettings = (plan: Plan): DeviceSettings => ({
  boardProfileId: plan.boardProfileId,
  imageId: plan.imageId,
  userName: plan.access.userName,
  keys: plan.access.keys,
  passwordLogin: plan.access.passwordLogin,
  networks: plan.networks,
  country: plan.country,
  timeZone: plan.timeZone,
  locale: plan.locale,
  // Each device has an address of its own, or none.
  wiredAddress: '',
});

/** Names of the settings in which a device differs. */
export const differing = (overrides: Overrides): SettingName[] =>
  (Object.keys(overrides) as SettingName[]).filter((name) => overrides[name] !== undefined);

const laidOver = (settings: DeviceSettings, overrides: Overrides): DeviceSettings => ({
  ...settings,
  ...Object.fromEntries(differing(overrides).map((name) => [name, overrides[name]])),
});

/** Settings of one device. */
export const settingsOf = (plan: Plan, device: Pick<Device, 'overrides'>): DeviceSettings =>
  laidOver(batchSettings(plan), device.overrides);

/** Devices that have all settings in common, so that a check runs once for all of them. */
export interface Variant {
  settings: DeviceSettings;
  /** Settings that are not the batch's; empty for the batch itself. */
  own: ReadonlySet<SettingName>;
  devices: readonly Device[];
}

/**
 * The variants of a plan. The first one is the batch itself, also when no device is left in it: what the person typed
 * there is judged all the same.
 */
export function variantsOf(plan: Plan): Variant[] {
  const groups = new Map<string, Device[]>([['', []]]);
  for (const device of plan.devices) {
    const names = differing(device.overrides).sort();
    const key = names.length === 0 ? '' : JSON.stringify(names.map((name) => [name, device.overrides[name]]));
    const group = groups.get(key);
    if (group) group.push(device);
    else groups.set(key, [device]);
  }
  const base = batchSettings(plan);
  return [...groups.values()].map((devices, index): Variant => {
    const overrides = index === 0 ? {} : (devices[0]?.overrides ?? {});
    return { settings: laidOver(base, overrides), own: new Set(differing(overrides)), devices };
  });
}

/** A plan with the same change of overrides for some devices; `undefined` puts a setting back to the batch's. */
export function withOverrides(plan: Plan, ids: ReadonlySet<string>, change: Overrides): Plan {
  return {
    ...plan,
    devices: plan.devices.map((device) => {
      if (!ids.has(device.id)) return device;
      const all = { ...device.overrides, ...change };
      const kept = differing(all).map((name) => [name, all[name]] as const);
      return { ...device, overrides: Object.fromEntries(kept) };
    }),
  };
}
