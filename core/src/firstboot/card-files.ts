import { MARK_ON_CARD } from '../batch/mark-file';
import type { FirstBootMethodId } from '../batch/model';
import { utf8 } from '../bytes';
import { bootConfigPath, mergeBootLines } from './boot-config';
import { markText } from './mark-text';
import type { BaseFiles, CardFile, FirstBootSettings } from './method';
import { firstBootMethod } from './methods';

/**
 * Every file that one device's card gets over its image: those of the method, the lines of the boot configuration, the
 * extra files for the card, and the file that names the device. With `none` only the last three.
 */
export function cardFilesOf(id: FirstBootMethodId, settings: FirstBootSettings, base: BaseFiles): CardFile[] {
  const own = firstBootMethod(id)?.files(settings, base) ?? [];
  const files = new Map(own.map((file) => [file.path.toLowerCase(), file]));
  const set = (path: string, text: string): void => {
    files.set(path.toLowerCase(), { path, content: utf8(text) });
  };
  const config = bootConfigPath(base);
  if (config !== null && settings.bootLines.trim() !== '')
    set(config, mergeBootLines(base.texts.get(config) ?? '', settings.bootLines));
  for (const { place, path, content } of settings.files)
    if (place === 'card') set(path.replace(/^\/+/, ''), content);
  set(MARK_ON_CARD, markText(settings));
  return [...files.values()];
}
