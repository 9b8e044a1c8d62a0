import type { ExtVolume } from '../disk/ext/volume';
import type { BootView } from './boot-view';
import type { CheckedSettings, CheckFinding } from '../formats/finding';
import type { FirstBootMethodId } from '../plan/model';
import type { BootFiles } from './boot-files';
import type { Carried } from './carried';
import type { SystemFacts } from '../system/facts';
import type { Lack } from './lacks';
import type { BaseFiles, CardFile, FirstBootSettings } from './settings';
import type { Adopted } from './take-over/adopted';

/** What a detection may look at. */
export interface DetectView {
  boot: BootView;
  /** The root file system, or null when it is none that can be read here. */
  root: ExtVolume | null;
  /** What the image can do. */
  system: SystemFacts;
}

/** One way in which images take their settings: a folder for each, registered in `methods.ts`. */
export interface FirstBootMethod {
  id: FirstBootMethodId;
  title: string;
  /** What of a plan this method can tell a board. */
  carries: ReadonlySet<Carried>;
  /** Names in the root of the boot partition that only this method reads, in small letters. */
  ownFiles: readonly string[];
  /** Why an image is taken to use this method, or null when it does not. */
  detect(view: DetectView): Promise<string | null>;
  /** What is looked for on an image, and was not found where it is not this method's. */
  looksFor: string;
  /** Why nothing on a system would read its files, or null when something does, or when that is not known. */
  inert(system: SystemFacts): string | null;
  /** What of a plan does not come true on a system although the files carry it. */
  lacks(system: SystemFacts): Lack[];
  /**
   * Its files that a board which has started before takes in once more at a later start; null where it is not known to.
   */
  again: readonly string[] | null;
  /** The method's own files; `card-files.ts` adds what all methods have in common. */
  files(settings: FirstBootSettings, base: BaseFiles): CardFile[];
  /** Why the files of a card are this method's, or null when they are not. */
  acts(boot: BootFiles): string | null;
  /** Reads its files back: adds to the settings what the board will make of them. @returns what is wrong with them */
  readBack(boot: BootFiles, settings: CheckedSettings): CheckFinding[];
  /** What a plan takes over from its files, secrets and all. */
  takeOver(boot: BootFiles): Adopted;
}
