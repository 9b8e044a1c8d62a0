import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import {
  bothSizes,
  decimalSize,
  firstBootMethods,
  methodTitle,
  updateMinutes,
  type Image,
  type ImageAbout,
  type ImageClue,
} from '@nest-mark/core';
import { Button } from 'primeng/button';
import { Select } from 'primeng/select';
import { ImagesActions, imagesFeature } from '../state/images.reducer';
import { AddImage } from './add-image';

const clueWords: Record<ImageClue['kind'], string> = {
  system: 'Says of itself',
  width: 'Word width',
  built: 'Built',
};
const DAY = 86_400_000;

function clueOf(clue: ImageClue, now: number): { kind: string; text: string; reason: string } {
  const kind = clueWords[clue.kind];
  if (clue.at === null) return { kind, text: clue.text, reason: clue.reason };
  const days = Math.max(0, Math.floor((now - clue.at) / DAY));
  const { low, high } = updateMinutes(days);
  const built = new Date(clue.at).toLocaleDateString('en-GB', {
    day: 'numeric',
    month: 'short',
    year: 'numeric',
  });
  return {
    kind,
    text: `${built}, ${String(days)} days ago: a fresh board will take about ${String(low)} to ${String(high)} min to bring up to date`,
    reason: `${clue.reason}; the minutes are common practice by age`,
  };
}

/** What the unpacked copy costs, against the image's full size. */
const keptWords = (kept: number, full: number): string =>
  `unpacked, ${decimalSize(kept)} on this disk${kept < full * 0.95 ? ` (${decimalSize(full - kept)} of it are holes)` : ''}; so cards are written as fast as the readers allow`;

/** Ways in which an image can take its settings, the detected one first. */
const methodsOf = ({ detected }: Image): { id: Image['method'] | null; label: string }[] => [
  { id: null, label: `As detected: ${methodTitle(detected)}` },
  ...firstBootMethods.map(({ id, title }) => ({ id, label: title })),
  { id: 'none', label: methodTitle('none') },
];

/** The shelf: images that were read from end to end and can be written. */
@Component({
  selector: 'nm-images-page',
  imports: [AddImage, Button, FormsModule, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './images-page.html',
  styleUrl: './images-page.css',
})
export class ImagesPage {
  private readonly store = inject(Store);
  private readonly list = this.store.selectSignal(imagesFeature.selectList);
  protected readonly widths = [
    { id: null, label: 'not said' },
    { id: 32, label: '32 bit' },
    { id: 64, label: '64 bit' },
  ];
  protected readonly flavours = [
    { id: null, label: 'not said' },
    { id: 'minimal', label: 'minimal' },
    { id: 'desktop', label: 'with a desktop' },
    { id: 'application', label: 'for one application' },
  ];

  protected readonly images = computed(() =>
    this.list()?.map((image) => {
      const total = image.rawSize ?? 1;
      return {
        ...image,
        added: new Date(image.addedAt).toLocaleDateString('en-GB', {
          day: 'numeric',
          month: 'short',
          year: 'numeric',
        }),
        methods: methodsOf(image),
        methodReason:
          image.about.chosenMethod === null
            ? image.methodReason
            : `Chosen by hand; detected was: ${methodTitle(image.detected)}. ${image.methodReason}`,
        smallest: image.rawSize === null ? '' : bothSizes(image.rawSize),
        packed: image.packedSize === null ? '' : `${decimalSize(image.packedSize)} ${image.packing ?? ''}`,
        far: image.unpacked === null ? '' : `${decimalSize(image.unpacked)} so far`,
        kept: image.keptSize === null ? '' : keptWords(image.keptSize, image.rawSize ?? 0),
        clues: image.seen.map((clue) => clueOf(clue, Date.now())),
        bootFiles: image.bootFiles.map((file) => ({ ...file, text: decimalSize(file.size) })),
        parts: image.partitions.map((part) => ({
          ...part,
          share: `${String(Math.max(8, (part.size / total) * 100))}%`,
          text: `${part.fileSystem}${part.label ? ` “${part.label}”` : ''}, ${decimalSize(part.size)}`,
        })),
      };
    }),
  );
  /** What a person says of an image; its octets do not tell for sure. */
  protected describe(image: Image, change: Partial<ImageAbout>): void {
    const { id, title, about } = image;
    this.store.dispatch(ImagesActions.described({ id, title, about: { ...about, ...change } }));
  }

  protected remove(id: string): void {
    this.store.dispatch(ImagesActions.removalWanted({ id }));
  }
}
