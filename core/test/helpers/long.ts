import { withLong } from './soak';

/**
 * A test that takes long and of whose kind of check a shorter one is there too: it runs by `npm test -- --rest`, which
 * knows it by the end of its name, and in `npm run soak`. It must not need what another test of its file leaves.
 */
export const long = (name: string, test: jest.ProvidesCallback): void =>
  (withLong ? it : it.skip)(`${name} (long)`, test);
