import jestConfig from './jest.config.mjs';

/** The server alone: what a mutation of its sources is judged by. Other processes, and what only waits, are left out. */
const server = jestConfig.projects.find((project) => project.displayName === 'server');
export default {
  ...server,
  testPathIgnorePatterns: ['/node_modules/', 'behind-tls', 'migration', 'restart', 'outside'],
};
