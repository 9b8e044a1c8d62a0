import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { emptyNetwork, networkOfCode, readWifiCode, toHex, WifiCodeError } from '@nest-mark/core';
import { shownName } from '@nest-mark/core/in-air';
import { InputText } from 'primeng/inputtext';
import { NetworksActions } from '../state/networks.reducer';
import { FileError } from '../ui/files';
import { octetsOfPicture } from './picture-code';

/** A network and its key taken from the code that a phone or a router shows: as text, or as a picture of it. */
@Component({
  selector: 'nm-code-taker',
  imports: [InputText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <details>
      <summary>From the code of a phone or a router</summary>
      <div class="pair">
        <div class="stack">
          <label for="code-text">Text of the code, and Enter</label>
          <input
            #text
            pInputText
            class="mono"
            id="code-text"
            autocomplete="off"
            spellcheck="false"
            placeholder="WIFI:T:WPA;S:…;P:…;;"
            (keydown.enter)="take(text.value) && (text.value = '')"
            (paste)="pasted($event)"
          />
        </div>
        <div class="stack">
          <label for="code-picture">Picture of the code</label>
          <input
            #picture
            id="code-picture"
            type="file"
            accept="image/*"
            (change)="look(picture.files?.[0]); picture.value = ''"
          />
        </div>
      </div>
      <p class="small soft">
        It is read in this browser, and goes onto the shelf with its key. A picture can be pasted too.
      </p>
      @if (fault(); as fault) {
        <p class="notice hand" role="alert">{{ fault }}</p>
      }
      @if (said(); as said) {
        <p class="notice" role="status">{{ said }}</p>
      }
    </details>
  `,
  styleUrl: '../ui/sheets.css',
})
export class CodeTaker {
  private readonly store = inject(Store);
  protected readonly fault = signal('');
  protected readonly said = signal('');

  /** @returns whether it was one */
  protected take(code: string | Uint8Array): boolean {
    this.fault.set('');
    this.said.set('');
    try {
      const read = readWifiCode(code);
      const name = shownName(toHex(read.ssid));
      const network = networkOfCode(emptyNetwork(name.trim().slice(0, 80)), read);
      this.store.dispatch(NetworksActions.addWanted({ network, plan: false, secret: read.secret }));
      this.said.set(
        `“${name}” goes onto the shelf. Its bands stand nowhere in a code: take it from the air, or set them. ${read.doubt}`,
      );
      return true;
    } catch (error) {
      if (!(error instanceof WifiCodeError)) throw error;
      this.fault.set(error.message);
      return false;
    }
  }

  protected look(file: File | undefined): void {
    if (!file) return;
    this.fault.set('');
    this.said.set('');
    octetsOfPicture(file).then(
      (octets) => this.take(octets),
      (error: unknown) =>
        this.fault.set(error instanceof FileError ? error.message : 'The picture could not be read.'),
    );
  }

  protected pasted(event: ClipboardEvent): void {
    const file = [...(event.clipboardData?.files ?? [])].find(({ type }) => type.startsWith('image/'));
    if (!file) return;
    event.preventDefault();
    this.look(file);
  }
}
