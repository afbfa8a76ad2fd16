import jestConfig from './jest.config.mjs';

/** The server alone, and of its tests those that `scripts/mutate.mjs` names. */
const server = jestConfig.projects.find((project) => project.displayName === 'server');
const specs = (process.env.DEWPOST_MUTATE_SPECS ?? '').split(',').filter(Boolean);
export default {
  ...server,
  testMatch: ['<rootDir>/server/src/**/*.spec.ts', ...specs.map((name) => `<rootDir>/server/test/${name}.spec.ts`)],
};
