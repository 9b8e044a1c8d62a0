import { ChangeDetectionStrategy, Component, computed, effect, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { clock, decimalSize, type Upload } from '@nest-mark/core';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Textarea } from 'primeng/textarea';
import { firstValueFrom } from 'rxjs';
import { CardsApi } from '../api/cards-api';
import { ImagesActions, imagesFeature } from '../state/images.reducer';
import { FileError, textOfFile } from '../ui/files';
import { Uploader } from './uploader';

/** Files in which digests are published. */
const digestFile = /(\.sha-?256(sums?)?(\.txt)?|^sha-?256sums?(\.txt)?)$/i;

/** Takes an image in: dropped or chosen here, or by its path on the machine that serves the page. */
@Component({
  selector: 'nm-add-image',
  imports: [Button, FormsModule, InputText, Textarea],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './add-image.html',
  styleUrl: './add-image.css',
})
export class AddImage {
  private readonly store = inject(Store);
  private readonly api = inject(CardsApi);
  private readonly uploader = inject(Uploader);
  private readonly list = this.store.selectSignal(imagesFeature.selectList);
  protected readonly adding = this.store.selectSignal(imagesFeature.selectAdding);
  protected readonly problem = this.store.selectSignal(imagesFeature.selectProblem);
  protected readonly path = signal('');
  protected readonly title = signal('');
  protected readonly sha256 = signal('');
  /** Whether what was typed is an address of the web. */
  protected readonly web = computed(() => /^https?:\/\//i.test(this.path().trim()));
  /** Whether it was sent off without a path. */
  protected readonly nothing = signal(false);
  protected readonly over = signal(false);
  /** What is wrong with what was dropped. */
  protected readonly refused = signal('');
  /** Files that were broken off and are not being sent now. */
  protected readonly broken = signal<Upload[]>([]);

  protected readonly sending = computed(() => {
    const sending = this.uploader.sending();
    if (!sending) return null;
    const { name, size, sent, rate, state, problem } = sending;
    const left = rate > 0 ? `, ${clock((size - sent) / rate)} left` : '';
    return {
      name,
      percent: Math.floor((sent / size) * 100),
      text:
        state === 'failed'
          ? (problem?.detail ?? '')
          : state === 'waiting'
            ? 'The server does not answer. Sending goes on by itself once it does.'
            : `${decimalSize(sent)} of ${decimalSize(size)}${rate > 0 ? `, ${(rate / 1e6).toFixed(0)} MB/s` : ''}${left}`,
      failed: state === 'failed',
    };
  });
  protected readonly unfinished = computed(() =>
    this.broken()
      .filter(({ name }) => name !== this.sending()?.name)
      .map((upload) => ({
        ...upload,
        text: `${decimalSize(upload.received)} of ${decimalSize(upload.size)} have arrived`,
      })),
  );
  private added = 0;

  constructor() {
    // The form is emptied once the server has taken the image, not before.
    effect(() => {
      const count = this.list()?.length ?? 0;
      if (count > this.added && this.added > 0) this.empty();
      this.added = count;
    });
    effect(() => {
      // What is being sent now is no broken upload; looked at again once it ended.
      const idle = this.uploader.sending() === null;
      void this.look(idle);
    });
  }

  protected add(): void {
    // Asked here and not by locking the button: Enter right after a paste would find it locked still.
    this.nothing.set(this.path().trim() === '');
    if (this.nothing()) return;
    this.store.dispatch(
      ImagesActions.addWanted({
        path: this.path().trim(),
        title: this.title().trim(),
        sha256: this.sha256().trim(),
      }),
    );
  }

  protected drop(event: DragEvent): void {
    event.preventDefault();
    this.over.set(false);
    void this.take([...(event.dataTransfer?.files ?? [])]);
  }

  protected choose(input: HTMLInputElement): void {
    const files = [...(input.files ?? [])];
    input.value = '';
    void this.take(files);
  }

  /** An image, and perhaps the file with its digest beside it. */
  protected async take(files: readonly File[]): Promise<void> {
    this.refused.set('');
    const digests = files.filter(({ name }) => digestFile.test(name));
    const [image, second] = files.filter(({ name }) => !digestFile.test(name));
    if (second) {
      this.refused.set('Drop one image at a time; the file with its digest may lie beside it.');
      return;
    }
    try {
      if (digests[0]) this.sha256.set((await textOfFile(digests[0])).trim());
    } catch (error) {
      if (!(error instanceof FileError)) throw error;
      this.refused.set(error.message);
      return;
    }
    if (!image) return;
    await this.uploader.send(image, this.title().trim(), this.sha256().trim());
    // What was typed for this file is not meant for the next one; after a failure it is tried again.
    if (this.uploader.sending() === null) this.empty();
  }

  protected stop(): void {
    this.uploader.stop();
  }

  protected async forget(id: string): Promise<void> {
    await firstValueFrom(this.api.dropUpload(id)).catch(() => undefined);
    await this.look();
  }

  private async look(idle = true): Promise<void> {
    if (idle) this.broken.set(await firstValueFrom(this.api.uploads()).catch(() => []));
  }

  private empty(): void {
    this.path.set('');
    this.title.set('');
    this.sha256.set('');
  }
}
