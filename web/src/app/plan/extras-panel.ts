import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import {
  refreshTitles,
  sudoTitles,
  usualBootLines,
  type ExtraFile,
  type Extras,
  type Place,
  type Refresh,
  type SudoPolicy,
} from '@nest-mark/core';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { catchError, of } from 'rxjs';
import { Textarea } from 'primeng/textarea';
import { Api } from '../api/api';
import { selectImageFacts } from '../state/selectors';
import { Field } from '../ui/field';
import { FileError, textOfFile } from '../ui/files';
import { PlanEditor } from './plan-editor';

const MOST = 64_000;

/** What the cards say beyond name, login and networks. */
@Component({
  selector: 'nm-extras-panel',
  imports: [Field, FormsModule, InputText, Select, Textarea],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './extras-panel.html',
  styleUrl: './panel.css',
  styles: `
    .columns {
      display: grid;
      grid-template-columns: repeat(2, minmax(0, 1fr));
      gap: 0.875rem 1.25rem;
      align-items: start;
    }
    .whole {
      grid-column: 1 / -1;
    }
    .path {
      flex: 1 1 14rem;
    }
    .mode {
      width: 6rem;
    }
    .place {
      width: 15.5rem;
    }
  `,
})
export class ExtrasPanel {
  protected readonly editor = inject(PlanEditor);
  private readonly store = inject(Store);
  private readonly images = this.store.selectSignal(selectImageFacts);
  protected readonly extras = computed(() => this.editor.plan().extras);
  protected readonly problem = signal('');
  protected readonly usual = [...usualBootLines];
  protected readonly sudo = (Object.keys(sudoTitles) as SudoPolicy[]).map((id) => ({
    id,
    label: sudoTitles[id],
  }));
  protected readonly refresh = (Object.keys(refreshTitles) as Refresh[]).map((id) => ({
    id,
    label: refreshTitles[id],
  }));
  protected readonly ways = [
    { id: 'dhcp', label: 'from an address server' },
    { id: 'fixed', label: 'fixed, one for each device' },
  ];
  protected readonly places = [
    { id: 'card', label: 'on the boot partition' },
    { id: 'board', label: 'on the running system' },
    { id: 'root', label: 'into the image’s root' },
  ];
  protected readonly placeHints: Record<ExtraFile['place'], string> = {
    card: 'From the root of the boot partition.',
    board: 'From /, as /etc/app/settings.conf. The first boot puts it there.',
    root: 'From /. It lies there before the first boot, whatever the method is, and belongs to root; the image’s root has to be ext2, 3 or 4.',
  };
  /** The file that the lines go into, by the image of the batch. */
  protected readonly bootHint = computed(() => {
    const image = this.images().find(({ id }) => id === this.editor.plan().imageId);
    if (!image) return 'Choose an image; it brings the file that the lines are merged into.';
    return image.bootConfig === null
      ? 'This image brings no file for them that is known here.'
      : `Merged into the image’s ${image.bootConfig}, by section and key; nothing else in it is changed.`;
  });
  /** This computer's own addresses, to choose from. */
  protected readonly ownPlaces = toSignal(
    inject(Api)
      .places()
      .pipe(catchError(() => of<Place[]>([]))),
    {
      initialValue: [],
    },
  );

  protected set(change: Partial<Extras>, field: string): void {
    this.editor.edit((plan) => ({ ...plan, extras: { ...plan.extras, ...change } }), `extras.${field}`);
  }

  protected wire(change: Partial<Extras['wired']>, field: string): void {
    this.set({ wired: { ...this.extras().wired, ...change } }, `wired.${field}`);
  }

  protected call(change: { address?: string; port?: number | null }, field: string): void {
    const port = change.port ?? this.extras().callIn.port;
    // A number that is none while it is typed is not put into the plan.
    if (!Number.isInteger(port) || port < 1 || port > 65_535) return;
    this.set({ callIn: { ...this.extras().callIn, ...change, port } }, `callIn.${field}`);
  }

  protected addLine(line: string | null): void {
    if (line === null) return;
    const lines = this.extras().bootLines.replace(/\n*$/, '');
    this.set({ bootLines: `${lines === '' ? '' : `${lines}\n`}${line}\n` }, '');
  }

  protected addFile(file: ExtraFile = { place: 'card', path: '', content: '', mode: '0644' }): void {
    this.set({ files: [...this.extras().files, file] }, '');
  }

  protected changeFile(at: number, change: Partial<ExtraFile>, field: string): void {
    const files = this.extras().files.map((file, index) => (index === at ? { ...file, ...change } : file));
    this.set({ files }, `files.${String(at)}.${field}`);
  }

  protected removeFile(at: number): void {
    this.set({ files: this.extras().files.filter((_file, index) => index !== at) }, '');
  }

  protected async take(input: HTMLInputElement): Promise<void> {
    const files = [...(input.files ?? [])];
    input.value = '';
    try {
      for (const file of files) {
        const content = await textOfFile(file);
        if (content.length > MOST)
          throw new FileError(`"${file.name}" is larger than 64 kB. Put it into the image instead.`);
        this.addFile({ place: 'card', path: file.name, content, mode: '0644' });
      }
      this.problem.set('');
    } catch (error) {
      if (!(error instanceof FileError)) throw error;
      this.problem.set(error.message);
    }
  }
}
