import jestConfig from './jest.config.mjs';

/** The core alone, without the others: what a mutation of its sources is judged by. */
const core = jestConfig.projects.find((project) => project.displayName === 'core');
export default {
  ...core,
  testMatch: ['<rootDir>/core/src/**/*.spec.ts'],
  setupFiles: ['<rootDir>/core/checks/mutation-setup.ts'],
};
