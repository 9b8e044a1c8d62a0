import { batchSettings, differing, settingsOf, settingTitle, type SettingName } from './effective';
import type { Device, Plan } from './model';

/** Names of what a plan refers to by id; undefined for what is not on its shelf any more. */
export interface ShelfNames {
  board(id: string): string | undefined;
  image(id: string): string | undefined;
  network(id: string): string | undefined;
}

/** One setting as a person reads it, and whether it is the device's own. */
export interface SettingWords {
  name: SettingName;
  title: string;
  value: string;
  own: boolean;
  /** What the batch says, where the device differs. */
  batch: string;
}

const GONE = 'taken off the shelf';

/** Settings as they take effect for one device, in the order of the plan, each with where it comes from. */
export function settingWords(
  plan: Plan,
  device: Pick<Device, 'overrides'>,
  names: ShelfNames,
): SettingWords[] {
  const words = (settings: ReturnType<typeof settingsOf>): Record<SettingName, string> => ({
    boardProfileId: names.board(settings.boardProfileId) ?? GONE,
    imageId: settings.imageId === null ? 'none yet' : (names.image(settings.imageId) ?? GONE),
    userName: settings.userName || 'none yet',
    keys: counted(settings.keys.split('\n').filter((line) => line.trim() !== '').length, 'public key'),
    passwordLogin: settings.passwordLogin ? 'allowed' : 'not allowed',
    networks:
      [...settings.networks]
        .sort((a, b) => b.priority - a.priority)
        .map(({ networkId }) => names.network(networkId) ?? GONE)
        .join(', ') || 'none',
    country: settings.country || 'none yet',
    timeZone: settings.timeZone || 'none yet',
    locale: settings.locale || 'as the image has it',
    wiredAddress: settings.wiredAddress || 'from an address server',
  });
  const own = new Set(differing(device.overrides));
  const effective = words(settingsOf(plan, device));
  const batch = words(batchSettings(plan));
  return (Object.keys(effective) as SettingName[]).map((name) => ({
    name,
    title: settingTitle(name),
    value: effective[name],
    own: own.has(name),
    batch: own.has(name) ? batch[name] : '',
  }));
}

const counted = (count: number, one: string): string =>
  count === 0 ? 'none yet' : `${String(count)} ${one}${count === 1 ? '' : 's'}`;
