import { blank, BootFailure, readText, type BoardSettings, type CardFiles } from './settings';
import { parseSupplicant } from './supplicant';

/** The image's own file with networks in it, if it brings one. */
export async function templateOf(volume: CardFiles, names: readonly string[]): Promise<string | null> {
  for (const name of names) {
    if (!/network.*\.(txt|conf)$/i.test(name)) continue;
    const text = await readText(volume, name);
    if (text !== null && /network\s*=\s*\{/.test(text)) return text;
  }
  return null;
}

/** A board of an application image: the image's own name and login, and the networks of the template. */
export function readTemplate(text: string): BoardSettings {
  const settings = blank();
  try {
    settings.radio = parseSupplicant(text);
  } catch (error) {
    if (!(error instanceof BootFailure)) throw error;
    settings.ignored.push(`network template: ${error.message}`);
  }
  return settings;
}
