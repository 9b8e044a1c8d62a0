/** Transpiles only; types are checked by tsc. */
const tsJest = [
  'ts-jest',
  {
    transpilation: true,
    diagnostics: false,
    tsconfig: {
      target: 'ES2022',
      module: 'CommonJS',
      moduleResolution: 'node10',
      esModuleInterop: true,
      allowJs: true,
      isolatedModules: true,
    },
  },
];

const node = (name) => ({
  displayName: name,
  rootDir: name,
  testEnvironment: 'node',
  testMatch: ['<rootDir>/test/**/*.spec.ts'],
  transform: { '^.+\\.[jt]s$': tsJest },
  // These packages ship ES modules only.
  transformIgnorePatterns: [
    '/node_modules/(?!(iso-3166|cdigit|@noble|jose|@sindresorhus/transliterate|escape-string-regexp|p-limit|p-map|yocto-queue)/)',
  ],
});

export default {
  // Against hanging only: on two busy cores, writing cards in a set-up takes half a minute.
  testTimeout: 120_000,
  projects: [
    node('core'),
    node('station'),
    node('stand-in'),
    node('server'),
    '<rootDir>/web/jest.config.mjs',
  ],
};
