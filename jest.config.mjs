const esbuild = (options = {}) => ['<rootDir>/../scripts/lib/jest-esbuild.mjs', options];

const node = (name, transformer, more = {}) => ({
  displayName: name,
  rootDir: name,
  testEnvironment: '<rootDir>/../scripts/lib/jest-environment.cjs',
  runtime: '<rootDir>/../scripts/lib/jest-runtime.cjs',
  testMatch: ['<rootDir>/test/**/*.spec.ts'],
  transform: { '^.+\\.[jt]s$': transformer },
  // These packages ship ES modules only.
  transformIgnorePatterns: [
    '/node_modules/(?!(iso-3166|cdigit|@noble|@scure|culori|age-encryption|jose|@sindresorhus/transliterate|escape-string-regexp|p-limit|p-map|yocto-queue|@tus)/)',
  ],
  ...more,
});

/** What builds on the core takes it as one module, whichever of its doors it comes through. */
const onCore = (name) =>
  node(name, esbuild({ whole: ['/core/src/index.ts', '/core/src/find.ts', '/core/src/bring-up.ts'] }), {
    moduleNameMapper: {
      '^@nest-mark/core(/api|/disk)?$': '<rootDir>/../core/src/index.ts',
      '^@nest-mark/core/find$': '<rootDir>/../core/src/find.ts',
      '^@nest-mark/core/bring-up$': '<rootDir>/../core/src/bring-up.ts',
      '^@nest-mark/core/moving$': '<rootDir>/../core/src/moving.ts',
      '^@nest-mark/core/in-field$': '<rootDir>/../core/src/in-field.ts',
      '^@nest-mark/core/in-air$': '<rootDir>/../core/src/in-air.ts',
    },
  });

export default {
  // Against hanging only: on two busy cores, writing cards in a set-up takes half a minute.
  testTimeout: 120_000,
  // Starting a program from a large process takes twenty times as long, and hundreds are started.
  workerIdleMemoryLimit: '300MB',
  projects: [
    node('core', esbuild()),
    onCore('station'),
    onCore('stand-in'),
    onCore('server'),
    '<rootDir>/web/jest.config.mjs',
  ],
};
