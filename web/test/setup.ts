import { setupZonelessTestEnv } from 'jest-preset-angular/setup-env/zoneless';

setupZonelessTestEnv();

/** jsdom has neither; PrimeNG asks for both. */
Object.defineProperty(globalThis, 'matchMedia', {
  value: () => ({ matches: false, addEventListener: () => undefined, removeEventListener: () => undefined }),
});
/** jsdom has no layout to scroll. */
Element.prototype.scrollIntoView = () => undefined;
Object.defineProperty(globalThis, 'ResizeObserver', {
  value: class {
    observe(): void {}
    unobserve(): void {}
    disconnect(): void {}
  },
});
