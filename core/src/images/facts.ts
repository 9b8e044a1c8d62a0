import type { Image } from '../api/work';
import type { ImageFacts } from '../batch/model';
import { bootConfigName } from '../firstboot/boot-config';

/** An image as the rules want it; nothing while it is not ready. */
export const imageFacts = ({ id, title, state, rawSize, method, about, bootFiles }: Image): ImageFacts[] =>
  state === 'ready' && rawSize !== null
    ? [
        {
          id,
          title,
          method,
          rawSize,
          bootConfig: bootConfigName(bootFiles.map(({ name }) => name)),
          ...about,
        },
      ]
    : [];
