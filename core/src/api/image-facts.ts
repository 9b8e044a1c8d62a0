import type { Image } from './images';
import type { ImageFacts } from '../plan/model';
import { bootConfigName } from '../firstboot/boot-config';

/** An image as the rules want it; nothing while it is not ready. */
export const imageFacts = ({
  id,
  title,
  state,
  rawSize,
  method,
  own,
  about,
  bootFiles,
  system,
}: Image): ImageFacts[] =>
  state === 'ready' && rawSize !== null
    ? [
        {
          id,
          title,
          method,
          own,
          rawSize,
          system,
          bootConfig: bootConfigName(bootFiles.map(({ name }) => name)),
          ...about,
        },
      ]
    : [];
