import { effect, Injectable, signal } from '@angular/core';

const storageKey = 'nest-mark-theme';

/** Light by day, dark for the bench at night; the choice stays with the browser. */
@Injectable({ providedIn: 'root' })
export class Theme {
  readonly dark = signal(localStorage.getItem(storageKey) === 'dark');

  constructor() {
    effect(() => {
      document.documentElement.classList.toggle('dark', this.dark());
      localStorage.setItem(storageKey, this.dark() ? 'dark' : 'light');
    });
  }

  toggle(): void {
    this.dark.update((dark) => !dark);
  }
}
