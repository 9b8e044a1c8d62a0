import type { Knex } from 'knex';
import type { Platform } from '../platform/platform';
import type { Runs } from '../platform/runs/runs';
import type { Methods } from '../methods';
import type { Settings } from '../settings';
import type { ImageRepository } from './repository';
import type { UploadRepository } from './upload-repository';

/** The shelf of OS images, and how they arrive on it. */
export interface Images extends Platform {
  repository: ImageRepository;
  uploads: UploadRepository;
  runs: Runs;
  settings: Settings;
  methods: Methods;
  /** Data folder of this station: the shelf and the uploads lie in it. */
  folder: string;
  /** Whether an image is being written to cards. */
  inUse: (imageId: string, db: Knex) => Promise<boolean>;
}
