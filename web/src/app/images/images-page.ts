import { ChangeDetectionStrategy, Component, computed, effect, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { bothSizes, decimalSize, type Image, type ImageAbout } from '@nest-mark/core';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { Textarea } from 'primeng/textarea';
import { ImagesActions, imagesFeature } from '../state/images.reducer';

const methodNames: Record<Image['method'], string> = {
  'declarative-seed': 'Declarative seed',
  none: 'None that is known here',
};

/** The shelf: images that were read from end to end and can be written. */
@Component({
  selector: 'nm-images-page',
  imports: [Button, FormsModule, InputText, Select, Textarea],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './images-page.html',
  styleUrl: './images-page.css',
})
export class ImagesPage {
  private readonly store = inject(Store);
  private readonly list = this.store.selectSignal(imagesFeature.selectList);
  protected readonly adding = this.store.selectSignal(imagesFeature.selectAdding);
  protected readonly problem = this.store.selectSignal(imagesFeature.selectProblem);
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
  protected readonly path = signal('');
  protected readonly title = signal('');
  protected readonly sha256 = signal('');

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
        methodName: methodNames[image.method],
        smallest: image.rawSize === null ? '' : bothSizes(image.rawSize),
        packed: image.packedSize === null ? '' : `${decimalSize(image.packedSize)} ${image.packing ?? ''}`,
        parts: image.partitions.map((part) => ({
          ...part,
          share: `${String(Math.max(8, (part.size / total) * 100))}%`,
          text: `${part.fileSystem}${part.label ? ` “${part.label}”` : ''}, ${decimalSize(part.size)}`,
        })),
      };
    }),
  );
  private added = 0;

  constructor() {
    // The form is emptied once the server has taken the image, not before.
    effect(() => {
      const count = this.list()?.length ?? 0;
      if (count > this.added && this.added > 0) this.empty();
      this.added = count;
    });
  }

  protected add(): void {
    this.store.dispatch(
      ImagesActions.addWanted({
        path: this.path().trim(),
        title: this.title().trim(),
        sha256: this.sha256().trim(),
      }),
    );
  }

  /** What a person says of an image; its octets do not tell for sure. */
  protected describe(image: Image, change: Partial<ImageAbout>): void {
    const { id, title, about } = image;
    this.store.dispatch(ImagesActions.described({ id, title, about: { ...about, ...change } }));
  }

  protected remove(id: string): void {
    this.store.dispatch(ImagesActions.removalWanted({ id }));
  }

  private empty(): void {
    this.path.set('');
    this.title.set('');
    this.sha256.set('');
  }
}
