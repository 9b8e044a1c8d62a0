import presets from 'jest-preset-angular/presets/index.js';

export default {
  ...presets.createCjsPreset({ tsconfig: '<rootDir>/tsconfig.spec.json', transpilation: true }),
  displayName: 'web',
  rootDir: import.meta.dirname ?? '.',
  testEnvironment: '<rootDir>/../scripts/lib/jest-window.cjs',
  runtime: '<rootDir>/../scripts/lib/jest-runtime.cjs',
  testMatch: ['<rootDir>/test/**/*.spec.ts'],
  setupFilesAfterEnv: ['<rootDir>/test/setup.ts'],
  // These packages ship ES modules only.
  transformIgnorePatterns: [
    'node_modules/(?!(.*\\.mjs$|iso-3166/|@noble/|@sindresorhus/|escape-string-regexp/))',
  ],
  moduleNameMapper: {
    '^chart\\.js(/auto)?$': '<rootDir>/test/stubs/chart.cjs',
    // The page's, not the one for Node that the package offers first.
    '^tus-js-client$': '<rootDir>/../node_modules/tus-js-client/lib.es5/browser/index.js',
    // CommonJS cannot read import.meta, by which the real worker is found.
    'forecast\\.factory$': '<rootDir>/test/stubs/forecast-worker.ts',
  },
};
