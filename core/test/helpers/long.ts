import { withLong } from './soak';

/**
 * A test that takes long and of whose kind of check a shorter one is there too: it runs by `npm test -- --long`, and in
 * `npm run soak`.
 */
export const long: jest.It = withLong ? it : it.skip;
