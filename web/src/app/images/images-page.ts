import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import {
  fatPartitions,
  bothSizes,
  decimalSize,
  firstBootMethods,
  methodTitle,
  ownMethodId,
  systemLines,
  updateMinutes,
  type Image,
  type ImageAbout,
  type ImageClue,
  type NewerImage,
  type ShelvedMethod,
  clock,
} from '@nest-mark/core';
import { Button } from 'primeng/button';
import { Select } from 'primeng/select';
import { firstValueFrom } from 'rxjs';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { ImagesActions, imagesFeature } from '../state/images.reducer';
import { methodsFeature } from '../state/methods.reducer';
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

/** How far the taking in of an image is. */
function farWords({ fetched, unpacked }: Image): string {
  if (!fetched)
    return `being read and checked… ${unpacked === null ? '' : `${decimalSize(unpacked)} so far`}`;
  const { received, total, rate } = fetched;
  const left = total === null || rate === 0 ? '' : `, ${clock((total - received) / rate)} left`;
  return `being fetched… ${decimalSize(received)}${total === null ? '' : ` of ${decimalSize(total)}`}${left}`;
}

const newerWords: Record<NewerImage['newer'], string> = {
  same: 'No, it is still the same file.',
  newer: 'Yes, there is another file at this address now. Add it anew to take it.',
  unknown: 'Its server does not tell.',
};

/** Partitions that first-boot files could go onto; the one that was found first. */
const bootChoicesOf = ({ partitions, boot, about }: Image): { id: number | null; label: string }[] => [
  {
    id: null,
    label:
      about.bootPartition === null && boot ? `As found: partition ${String(boot.partition)}` : 'As found',
  },
  ...fatPartitions(partitions).map(({ number, fileSystem, label, size }) => ({
    id: number,
    label: `Partition ${String(number)}: ${fileSystem}${label ? ` “${label}”` : ''}, ${decimalSize(size)}`,
  })),
];

/** Ways in which an image can take its settings, the detected one first. */
const methodsOf = (
  { detected }: Image,
  described: readonly ShelvedMethod[],
): { id: Image['method'] | null; label: string }[] => [
  { id: null, label: `As detected: ${methodTitle(detected)}` },
  ...firstBootMethods.map(({ id, title }) => ({ id, label: title })),
  ...described.map(({ id, description }) => ({
    id: ownMethodId(id),
    label: `${description.title} (described here)`,
  })),
  { id: 'none', label: methodTitle('none') },
];

/** The shelf: images that were read from end to end and can be written. */
@Component({
  selector: 'nm-images-page',
  imports: [AddImage, Button, FormsModule, RouterLink, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './images-page.html',
  styleUrl: './images-page.css',
})
export class ImagesPage {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
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

  private readonly described = this.store.selectSignal(methodsFeature.selectList);
  /** What the servers of images answered, by image. */
  private readonly answers = signal<Readonly<Record<string, string>>>({});

  protected readonly images = computed(() => {
    const newer = this.answers();
    const described = this.described();
    return this.list()?.map((image) => {
      const total = image.rawSize ?? 1;
      const can = image.system ? systemLines(image.system) : [];
      return {
        ...image,
        added: new Date(image.addedAt).toLocaleDateString('en-GB', {
          day: 'numeric',
          month: 'short',
          year: 'numeric',
        }),
        methods: methodsOf(image, described),
        methodReason:
          image.about.chosenMethod === null
            ? image.methodReason
            : `Chosen by hand; detected was: ${methodTitle(image.detected)}. ${image.methodReason}`,
        smallest: image.rawSize === null ? '' : bothSizes(image.rawSize),
        packed: image.packedSize === null ? '' : `${decimalSize(image.packedSize)} ${image.packing ?? ''}`,
        far: farWords(image),
        newer: newer[image.id] ?? '',
        kept: image.keptSize === null ? '' : keptWords(image.keptSize, image.rawSize ?? 0),
        can,
        missing: can.filter(({ amiss }) => amiss).length,
        unread: image.system === null ? 'Nobody has looked yet.' : image.system.unread,
        clues: image.seen.map((clue) => clueOf(clue, Date.now())),
        bootChoices: bootChoicesOf(image),
        bootWords:
          fatPartitions(image.partitions).length > 0
            ? `Boot partition, ${String(image.bootFiles.length)} files and folders in its root`
            : `/boot of its root, which stands for a boot partition: ${String(image.bootFiles.length)} files and folders`,
        bootFiles: image.bootFiles.map((file) => ({ ...file, text: decimalSize(file.size) })),
        parts: image.partitions.map((part) => ({
          ...part,
          share: `${String(Math.max(8, (part.size / total) * 100))}%`,
          text: `${part.fileSystem}${part.label ? ` “${part.label}”` : ''}, ${decimalSize(part.size)}`,
        })),
      };
    });
  });

  /** What a person says of an image; its octets do not tell for sure. */
  protected describe(image: Image, change: Partial<ImageAbout>): void {
    const { id, title, about } = image;
    this.store.dispatch(ImagesActions.described({ id, title, about: { ...about, ...change } }));
  }

  protected stop(id: string): void {
    this.store.dispatch(ImagesActions.stopWanted({ id }));
  }

  protected async askForNewer(id: string): Promise<void> {
    const say = (text: string): void => this.answers.update((answers) => ({ ...answers, [id]: text }));
    say('Asking…');
    try {
      say(newerWords[(await firstValueFrom(this.api.newerImage(id))).newer]);
    } catch (error) {
      say(asProblem(error).detail);
    }
  }

  protected remove(id: string): void {
    this.store.dispatch(ImagesActions.removalWanted({ id }));
  }
}
