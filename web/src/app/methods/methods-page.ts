import { ChangeDetectionStrategy, Component, computed, effect, inject, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import {
  emptyDescription,
  fileSlug,
  OwnFileError,
  readOwnDescription,
  type ShelvedMethod,
} from '@nest-mark/core';
import { Button } from 'primeng/button';
import { MethodsActions, methodsFeature } from '../state/methods.reducer';
import { download, FileError, textOfFile } from '../ui/files';
import { focusId } from '../ui/focus-field';
import { MethodForm, type OpenMethod } from './method-form';

/** The shelf of first-boot methods that people described for their images. */
@Component({
  selector: 'nm-methods-page',
  imports: [Button, MethodForm],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './methods-page.html',
  styleUrls: ['../ui/shelf.css', './methods-page.css'],
})
export class MethodsPage {
  private readonly store = inject(Store);
  private readonly shelf = this.store.selectSignal(methodsFeature.selectShelf);
  private readonly list = this.store.selectSignal(methodsFeature.selectList);
  private readonly saves = this.store.selectSignal(methodsFeature.selectSaves);
  protected readonly problem = this.store.selectSignal(methodsFeature.selectProblem);
  protected readonly open = signal<OpenMethod | null>(null);
  protected readonly fileProblem = signal('');
  protected readonly rows = computed(() =>
    this.shelf() === null
      ? null
      : this.list().map((method) => ({
          method,
          title: method.description.title,
          files: method.description.files.map(({ path }) => path).join(', '),
          images: method.images.join(', ') || 'no image yet',
        })),
  );

  constructor() {
    // The form closes once the server has kept the method, not before.
    effect(() => {
      if (this.saves() > 0) this.open.set(null);
    });
    effect(() => {
      if (this.open()) focusId('m-title');
    });
  }

  protected add(): void {
    this.open.set({ id: crypto.randomUUID(), version: 0, description: emptyDescription() });
  }

  protected change({ id, version, description }: ShelvedMethod): void {
    this.open.set({ id, version, description });
  }

  protected copy({ description }: ShelvedMethod): void {
    const title = `${description.title}, copy`.slice(0, 80);
    this.open.set({ id: crypto.randomUUID(), version: 0, description: { ...description, title } });
  }

  protected save(method: OpenMethod): void {
    this.store.dispatch(MethodsActions.saveWanted(method));
  }

  protected remove(id: string): void {
    this.store.dispatch(MethodsActions.removalWanted({ id }));
  }

  protected share({ description }: ShelvedMethod): void {
    download(
      `${fileSlug(description.title)}.method.json`,
      `${JSON.stringify(description, null, 2)}\n`,
      'application/json',
    );
  }

  /** Opens a description from a file; it is kept once a person has looked at it and saved it. */
  protected async bring(event: Event): Promise<void> {
    const input = event.target as HTMLInputElement;
    const file = input.files?.[0];
    input.value = '';
    if (!file) return;
    this.fileProblem.set('');
    try {
      const description = readOwnDescription(await textOfFile(file));
      this.open.set({ id: crypto.randomUUID(), version: 0, description });
    } catch (error) {
      if (!(error instanceof FileError || error instanceof OwnFileError)) throw error;
      this.fileProblem.set(
        error instanceof FileError ? error.message : `"${file.name}" cannot be opened. ${error.message}`,
      );
    }
  }
}
