import { getTestBed } from '@angular/core/testing';
import { setupZonelessTestEnv } from 'jest-preset-angular/setup-env/zoneless';

// The process may have set it up for a file before.
getTestBed().resetTestEnvironment();
setupZonelessTestEnv();
// Angular does so by itself in the file that loaded it.
afterEach(() => getTestBed().resetTestingModule());

/** jsdom has neither; PrimeNG asks for both. */
Object.defineProperty(globalThis, 'matchMedia', {
  configurable: true,
  value: () => ({ matches: false, addEventListener: () => undefined, removeEventListener: () => undefined }),
});
/** jsdom has no layout to scroll. */
Element.prototype.scrollIntoView = () => undefined;
Object.defineProperty(globalThis, 'ResizeObserver', {
  configurable: true,
  value: class {
    observe(): void {}
    unobserve(): void {}
    disconnect(): void {}
  },
});
