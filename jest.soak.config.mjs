import config from './jest.config.mjs';

/** Long harnesses that need a whole machine: run by `npm run soak` only. */
const standIn = config.projects.find(({ displayName }) => displayName === 'stand-in');
export default { ...standIn, testTimeout: 600_000, testMatch: ['<rootDir>/soak/**/*.spec.ts'] };
