import {
  ApplicationRef,
  ChangeDetectionStrategy,
  Component,
  HostListener,
  inject,
  signal,
} from '@angular/core';
import { RouterOutlet } from '@angular/router';
import { Store } from '@ngrx/store';
import { Attention } from './shell/attention';
import { CommandLine } from './shell/command-line';
import { KeysHelp } from './shell/keys-help';
import { TopBar } from './shell/top-bar';
import { BatchActions } from './state/batch.actions';
import { noticeFeature, NoticeActions } from './state/notice';

const typing = 'input, textarea, select, [contenteditable], [role="grid"], [role="combobox"]';

@Component({
  selector: 'nm-root',
  imports: [CommandLine, KeysHelp, RouterOutlet, TopBar],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <nm-top-bar (find)="finding.set(true)" (keys)="keys.set(true)" />
    <div class="notice-place" aria-live="polite">
      @if (notice(); as notice) {
        <div class="notice row" [class.hand]="notice.kind === 'failed'" [class.done]="notice.kind === 'done'">
          <span class="grow">{{ notice.text }}</span>
          <button type="button" (click)="dismiss()">Close</button>
        </div>
      }
    </div>
    <router-outlet />
    @if (finding()) {
      <nm-command-line (closed)="finding.set(false)" />
    }
    @if (keys()) {
      @defer {
        <nm-keys-help (closed)="keys.set(false)" />
      }
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      height: 100vh;
    }
    .notice-place .notice {
      margin: 0;
      border-radius: 0;
      border-bottom: 1px solid var(--line);
    }
    .notice button {
      min-height: 40px;
      padding: 0 1rem;
      background: var(--sheet);
      color: var(--ink);
      border: 1px solid var(--line-strong);
      border-radius: 4px;
      cursor: pointer;
    }
  `,
})
export class App {
  private readonly store = inject(Store);
  private readonly application = inject(ApplicationRef);
  protected readonly notice = this.store.selectSignal(noticeFeature.selectNotice);
  protected readonly finding = signal(false);
  protected readonly keys = signal(false);

  constructor() {
    // It only has to be there.
    inject(Attention);
  }

  protected dismiss(): void {
    this.store.dispatch(NoticeActions.dismissed());
  }

  @HostListener('document:keydown', ['$event'])
  protected onKey(event: KeyboardEvent): void {
    const command = event.ctrlKey || event.metaKey;
    const inField = event.target instanceof Element && event.target.closest(typing) !== null;
    if (command && event.key.toLowerCase() === 'k') {
      this.finding.set(true);
      // Drawn before the next key comes: on a busy machine the first letters went to the page instead.
      this.application.tick();
    } else if (
      event.key === '?' &&
      !(event.target instanceof Element && event.target.closest('input, textarea'))
    )
      this.keys.set(true);
    else if (command && event.key.toLowerCase() === 'z' && !inField)
      this.store.dispatch(event.shiftKey ? BatchActions.redone() : BatchActions.undone());
    else return;
    event.preventDefault();
  }
}
