import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import {
  fingerprint,
  makePassword,
  MADE_PASSWORD_LENGTH,
  parseKeyList,
  passwordBits,
  type Plan,
} from '@nest-mark/core';
import { Checkbox } from 'primeng/checkbox';
import { InputText } from 'primeng/inputtext';
import { Textarea } from 'primeng/textarea';
import { Api } from '../api/api';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';
import { Field } from '../ui/field';
import { FileError, textOfFile } from '../ui/files';
import { random } from '../ui/random';
import { SecretInput } from '../ui/secret-input';
import { MakeKey } from './make-key';
import { PlanEditor } from './plan-editor';

type Others = Plan['access']['others'];

/** Users, their keys, and whether a password is taken as well. */
@Component({
  selector: 'nm-access-panel',
  imports: [Checkbox, Field, FormsModule, InputText, MakeKey, SecretInput, Textarea],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './access-panel.html',
  styleUrl: './panel.css',
})
export class AccessPanel {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly editor = inject(PlanEditor);
  private readonly stored = this.store.selectSignal(batchFeature.selectStored);
  private readonly allTyped = this.store.selectSignal(batchFeature.selectTyped);
  protected readonly batchId = this.store.selectSignal(batchFeature.selectId);
  protected readonly plan = this.editor.plan;
  protected readonly fileProblem = signal('');
  protected readonly making = signal(false);
  protected readonly bits = Math.floor(passwordBits(MADE_PASSWORD_LENGTH));
  protected readonly keys = computed(() =>
    parseKeyList(this.plan().access.keys).flatMap(({ line, key }) =>
      typeof key === 'string'
        ? []
        : [{ line, type: key.type, bits: key.bits, comment: key.comment, print: fingerprint(key.blob) }],
    ),
  );
  /** Fingerprint of the bench's own key; empty while none was made. */
  protected readonly benchPrint = computed(() => {
    const [line] = parseKeyList(this.stored()?.benchKey ?? '');
    return line && typeof line.key !== 'string' ? fingerprint(line.key.blob) : '';
  });
  protected readonly typed = computed(() => this.allTyped().userPassword ?? '');
  protected readonly passwordState = computed(() => {
    const typed = this.allTyped().userPassword;
    if (typed !== undefined) return typed === '' ? ('missing' as const) : ('typed' as const);
    return this.stored()?.password.state ?? ('missing' as const);
  });
  protected readonly reveal = () => this.api.reveal(this.batchId() ?? '', 'userPassword');

  protected access(change: Partial<Plan['access']>, field: string): void {
    this.editor.edit((plan) => ({ ...plan, access: { ...plan.access, ...change } }), field);
  }

  protected setBenchKey(benchKey: boolean): void {
    this.editor.edit((plan) => ({ ...plan, bringUp: { ...plan.bringUp, benchKey } }), '');
  }

  protected typePassword(value: string): void {
    this.store.dispatch(BatchActions.secretTyped({ kind: 'userPassword', value }));
  }

  protected makeOne(): void {
    this.typePassword(makePassword(random));
  }

  protected addKey(line: string): void {
    const keys = this.plan().access.keys.trimEnd();
    this.access({ keys: keys === '' ? line : `${keys}\n${line}` }, '');
  }

  protected async upload(event: Event): Promise<void> {
    const input = event.target as HTMLInputElement;
    this.fileProblem.set('');
    for (const file of input.files ?? [])
      try {
        this.addKey((await textOfFile(file)).trim());
      } catch (error) {
        if (!(error instanceof FileError)) throw error;
        this.fileProblem.set(error.message);
      }
    input.value = '';
  }

  protected addUser(): void {
    this.others([...this.plan().access.others, { name: '', keys: '', sudo: false }], '');
  }

  protected removeUser(index: number): void {
    this.others(
      this.plan().access.others.filter((_, at) => at !== index),
      '',
    );
  }

  protected changeUser(index: number, change: Partial<Others[number]>, field: string): void {
    this.others(
      this.plan().access.others.map((other, at) => (at === index ? { ...other, ...change } : other)),
      `others.${String(index)}.${field}`,
    );
  }

  private others(others: Others, field: string): void {
    this.access({ others }, field);
  }
}
