import { MARK_ON_CARD } from '../plan/mark-file';
import type { FirstBootMethodId } from '../plan/model';
import type { OwnMethod } from '../plan/own-method';
import { textOrNull, utf8 } from '../bytes';
import { bootConfigPath, mergeBootLines } from './boot-config';
import { markText } from './mark-text';
import type { BaseFiles, CardFile, FirstBootSettings } from './settings';
import { firstBootMethod } from './methods';
import { OwnMethodError } from './own/template';
import { withVpn } from './vpn';

/**
 * Every file that one device's card gets over its image: those of the method, the lines of the boot configuration, the
 * extra files for the card, and the file that names the device. With `none` only the last three.
 * @param own the description, where the method is an own one
 * @throws OwnMethodError when an own method cannot say a value of the settings
 */
export function cardFilesOf(
  id: FirstBootMethodId,
  settings: FirstBootSettings,
  base: BaseFiles,
  own: OwnMethod | null = null,
): CardFile[] {
  const method = firstBootMethod(id, own);
  if (!method && id !== 'none')
    throw new OwnMethodError('The description of the first-boot method is not here any more.');
  const told = withVpn(settings);
  const files = new Map((method?.files(told, base) ?? []).map((file) => [file.path.toLowerCase(), file]));
  const set = (path: string, text: string): void => {
    files.set(path.toLowerCase(), { path, content: utf8(text) });
  };
  const config = bootConfigPath(base);
  if (config !== null && settings.bootLines.trim() !== '')
    set(
      config,
      mergeBootLines(
        // A method may have set something in the same file.
        textOrNull(files.get(config.toLowerCase())?.content ?? new Uint8Array()) ||
          (base.texts.get(config) ?? ''),
        settings.bootLines,
      ),
    );
  for (const { place, path, content } of settings.files)
    if (place === 'card') set(path.replace(/^\/+/, ''), content);
  set(MARK_ON_CARD, markText(settings));
  return [...files.values()];
}

/** A file for the root file system of an image; its owner is root, since nobody else is there yet. */
export interface RootFile extends CardFile {
  /** Permission bits. */
  mode: number;
}

/** Files that go straight into the root of an image, whatever its first-boot method is. */
export const rootFilesOf = ({ files }: Pick<FirstBootSettings, 'files'>): RootFile[] =>
  files
    .filter(({ place }) => place === 'root')
    .map(({ path, content, mode }) => ({ path, content: utf8(content), mode: parseInt(mode, 8) }));
