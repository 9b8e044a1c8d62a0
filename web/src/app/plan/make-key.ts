import { ChangeDetectionStrategy, Component, inject, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { firstValueFrom } from 'rxjs';
import type { KeyType, MadeKey, Problem } from '@nest-mark/core';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { download } from '../ui/files';

const types: { id: KeyType; label: string }[] = [
  { id: 'ed25519', label: 'Ed25519 (short and current)' },
  { id: 'ecdsa-256', label: 'ECDSA, 256 bit' },
  { id: 'ecdsa-384', label: 'ECDSA, 384 bit' },
  { id: 'ecdsa-521', label: 'ECDSA, 521 bit' },
  { id: 'rsa-3072', label: 'RSA, 3072 bit' },
  { id: 'rsa-4096', label: 'RSA, 4096 bit' },
];

/** Makes a key pair: the public half goes into the plan, the private half is handed out once. */
@Component({
  selector: 'nm-make-key',
  imports: [Button, FormsModule, InputText, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <form class="notice" (ngSubmit)="make()">
      @if (key(); as key) {
        <p>
          The public key is in the plan: <span class="mono small">{{ key.fingerprint }}</span>
        </p>
        <p class="clay">Save the private key now. It is kept nowhere and cannot be shown again.</p>
        <div class="row">
          <p-button label="Save the private key" (onClick)="save(key)" />
          <button type="button" class="quiet" (click)="again()">Make another one</button>
        </div>
        <p class="small soft">
          Keep it readable by yourself alone (mode 0600). Keys on a security token are made with their token:
          ssh-keygen -t ed25519-sk.
        </p>
      } @else {
        <div class="field">
          <label id="key-type-label" for="key-type">Type</label>
          <p-select
            inputId="key-type"
            ariaLabelledBy="key-type-label"
            [options]="types"
            optionLabel="label"
            optionValue="id"
            name="type"
            [ngModel]="type()"
            (ngModelChange)="type.set($event)"
          />
        </div>
        <div class="field">
          <label for="key-comment">Comment, as name&#64;place</label>
          <input
            pInputText
            id="key-comment"
            name="comment"
            autocomplete="off"
            maxlength="120"
            [ngModel]="comment()"
            (ngModelChange)="comment.set($event)"
          />
        </div>
        <div class="field">
          <label for="key-passphrase">Passphrase for the private key, empty for none</label>
          <input
            pInputText
            id="key-passphrase"
            name="passphrase"
            type="password"
            autocomplete="off"
            maxlength="255"
            [ngModel]="passphrase()"
            (ngModelChange)="passphrase.set($event)"
          />
        </div>
        @if (problem(); as problem) {
          <p class="clay" role="alert">{{ problem.detail }}</p>
        }
        <p-button type="submit" label="Make the key pair" [disabled]="busy()" />
      }
    </form>
  `,
  styles: `
    form {
      display: flex;
      flex-direction: column;
      gap: 0.625rem;
    }
  `,
})
export class MakeKey {
  private readonly api = inject(Api);
  /** The public key's line. */
  readonly made = output<string>();
  protected readonly types = types;
  protected readonly type = signal<KeyType>('ed25519');
  protected readonly comment = signal('');
  protected readonly passphrase = signal('');
  protected readonly key = signal<MadeKey | null>(null);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly busy = signal(false);

  protected async make(): Promise<void> {
    this.busy.set(true);
    this.problem.set(null);
    try {
      const key = await firstValueFrom(
        this.api.makeKey(this.type(), this.comment().trim(), this.passphrase()),
      );
      this.passphrase.set('');
      this.key.set(key);
      this.made.emit(key.publicLine);
    } catch (error) {
      this.problem.set(asProblem(error));
    } finally {
      this.busy.set(false);
    }
  }

  protected save(key: MadeKey): void {
    download(`id_${this.type().replace(/-.*/, '')}`, key.privateText, 'application/octet-stream');
  }

  protected again(): void {
    this.key.set(null);
  }
}
