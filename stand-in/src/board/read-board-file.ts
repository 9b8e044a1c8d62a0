import { blank, readText, type BoardSettings, type CardFiles } from './settings';

/**
 * A board of an invented image that takes its settings in its own way: `config/board.cfg`, lines of key=value, and
 * `networks.lst`, a network a line with its name, its key and its kind, percent-encoded, with semicolons between.
 */

const SETTINGS = 'config/board.cfg';
const NETWORKS = 'networks.lst';

/** The image's own file of settings, if it brings one. */
export const boardFileOf = (volume: CardFiles): Promise<string | null> =>
  readText(volume, SETTINGS).catch(() => null);

/** How each key is taken; anything else is ignored and told. */
const keys: Record<string, (value: string, settings: BoardSettings) => void> = {
  name: (value, settings) => (settings.hostName = value),
  region: (value, settings) => (settings.radio.country = value),
  owner: (value, settings) => settings.users.push({ name: value, keys: [], hash: null }),
  'owner-secret': (value, { users }) => {
    if (users[0] && value.startsWith('$')) users[0].hash = value;
  },
  identity: (value, settings) => (settings.hostKey = Buffer.from(value, 'base64').toString('utf8')),
  'remote-login': (value, settings) => (settings.loginService = value === 'on'),
  'secret-login': (value, settings) => (settings.passwordLogin = value === 'on'),
};

function networksOf(text: string, settings: BoardSettings): void {
  for (const [at, line] of text.split('\n').entries()) {
    if (line === '' || line.startsWith('#')) continue;
    const [name = '', key, kind, ...more] = line.split(';');
    try {
      if (key === undefined || !['open', 'wpa', 'sae'].includes(kind ?? '') || more.length > 0)
        throw new Error('not a name, a key and a kind');
      settings.radio.networks.push({
        ssid: decodeURIComponent(name),
        password: kind === 'open' ? null : decodeURIComponent(key),
        priority: -at,
        hidden: false,
      });
    } catch (error) {
      settings.ignored.push(
        `${NETWORKS}, line ${String(at + 1)}: ${error instanceof Error ? error.message : ''}`,
      );
    }
  }
}

/** Reads the settings of such an image. @param text its file of settings */
export async function readBoardFile(volume: CardFiles, text: string): Promise<BoardSettings> {
  const settings = { ...blank(), loginService: false };
  for (const [at, line] of text.split('\n').entries()) {
    if (line.trim() === '' || line.startsWith('#')) continue;
    const [, key = '', value = ''] = /^([a-z0-9-]+)=(.*)$/.exec(line) ?? [];
    const take = Object.hasOwn(keys, key) ? keys[key] : undefined;
    if (take) take(value, settings);
    else if (/^owner-key-\d+$/.test(key) && settings.users[0]) settings.users[0].keys.push(value);
    else settings.ignored.push(`${SETTINGS}, line ${String(at + 1)}: not a setting that is known`);
  }
  networksOf((await readText(volume, NETWORKS)) ?? '', settings);
  return settings;
}
