const swc = {
  '^.+\\.(ts|mts|js|mjs)$': [
    '@swc/jest',
    {
      jsc: { parser: { syntax: 'typescript', decorators: true }, target: 'es2022' },
      module: { type: 'commonjs', ignoreDynamic: false },
      sourceMaps: 'inline',
    },
  ],
};
const shared = {
  '^@dewpost/core/(.*)$': '<rootDir>/core/src/$1/index.ts',
  '^@dewpost/contract$': '<rootDir>/contract/src/index.ts',
};
const esmOnly = ['aedes', 'aedes-[a-z-]+', 'mqemitter', 'hyperid', 'uuid', '@noble/hashes'].join('|');
const common = {
  testEnvironment: 'node',
  moduleFileExtensions: ['ts', 'mts', 'js', 'mjs', 'cjs', 'json', 'node'],
  moduleNameMapper: { ...shared, '^(\\.{1,2}/.*)\\.js$': '$1' },
  transform: swc,
  transformIgnorePatterns: [`/node_modules/(?!(${esmOnly})/)`],
  rootDir: '.',
  // Copies of the project that a mutation run works on.
  modulePathIgnorePatterns: ['<rootDir>/\\.cache/'],
};

/** Projects: `core` needs nothing, `server` a PostgreSQL cluster, `e2e` a built stack and Chromium: scripts/test.mjs provides them. */
export default {
  projects: [
    {
      ...common,
      displayName: 'core',
      setupFiles: ['<rootDir>/core/checks/property-seed.ts'],
      setupFilesAfterEnv: ['<rootDir>/core/checks/patience.ts'],
      testMatch: ['<rootDir>/core/src/**/*.spec.ts', '<rootDir>/contract/src/**/*.spec.ts', '<rootDir>/standins/src/**/*.spec.ts'],
    },
    {
      ...common,
      displayName: 'server',
      setupFiles: ['<rootDir>/core/checks/property-seed.ts'],
      testMatch: ['<rootDir>/server/src/**/*.spec.ts', '<rootDir>/server/test/**/*.spec.ts'],
      setupFilesAfterEnv: ['<rootDir>/core/checks/patience.ts'],
    },
    { ...common, displayName: 'e2e', testMatch: ['<rootDir>/e2e/**/*.spec.ts'] },
    {
      displayName: 'web',
      rootDir: '.',
      preset: 'jest-preset-angular',
      modulePathIgnorePatterns: ['<rootDir>/\\.cache/'],
      testEnvironment: 'jest-preset-angular/environments/jest-jsdom-env',
      setupFilesAfterEnv: ['<rootDir>/web/setup-jest.ts', '<rootDir>/core/checks/patience.ts'],
      testMatch: ['<rootDir>/web/src/**/*.spec.ts'],
      moduleNameMapper: { ...shared, '^(\\.{1,2}/.*)\\.js$': '$1' },
      transform: {
        '^.+\\.(ts|js|mjs|html|svg)$': [
          'jest-preset-angular',
          { tsconfig: '<rootDir>/web/tsconfig.spec.json', stringifyContentPathRegex: '\\.(html|svg)$' },
        ],
      },
      transformIgnorePatterns: ['/node_modules/(?!(.*\\.mjs$|d3-.*/|qr/|@noble/hashes/))'],
    },
  ],
};
