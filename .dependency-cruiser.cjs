/** The arrows of the house run one way: core ← contract ← server, web; standins import core only. */
const STAGES = 'plan|provision|calibrate|watch|respond|upkeep';
/** @type {import('dependency-cruiser').IConfiguration} */
module.exports = {
  forbidden: [
    { name: 'no-circular', severity: 'error', from: {}, to: { circular: true } },
    {
      name: 'no-circular-folders',
      comment: 'Rooms with doors: two folders that import each other are one room, whatever they are called.',
      severity: 'error',
      scope: 'folder',
      from: {},
      to: { circular: true },
    },
    {
      name: 'web-stages-not-each-other',
      comment: 'A stage of the page imports the middle (data, parts, shell), never another stage.',
      severity: 'error',
      from: { path: `^web/src/(${STAGES})/`, pathNot: '\\.spec\\.ts$' },
      to: { path: `^web/src/(${STAGES})/`, pathNot: '^web/src/$1/' },
    },
    {
      name: 'core-is-a-leaf',
      severity: 'error',
      from: { path: '^core/src' },
      to: { path: '^(contract|server|web|standins|e2e|scripts)/' },
    },
    {
      name: 'core-no-node',
      severity: 'error',
      from: { path: '^core/src', pathNot: '\\.(spec|testing)\\.ts$' },
      to: { dependencyTypes: ['core'] },
    },
    { name: 'contract-knows-core-only', severity: 'error', from: { path: '^contract/src' }, to: { path: '^(server|web|standins)/' } },
    { name: 'web-not-server', severity: 'error', from: { path: '^web/src' }, to: { path: '^(server|standins)/' } },
    { name: 'standins-know-core-only', severity: 'error', from: { path: '^standins/src' }, to: { path: '^(contract|server|web)/' } },
    { name: 'server-not-web', severity: 'error', from: { path: '^server/src' }, to: { path: '^(web|standins)/' } },
    {
      name: 'stages-not-each-other',
      comment: 'A stage of the server imports what is shared, never another stage.',
      severity: 'error',
      from: { path: `^server/src/(${STAGES})/` },
      to: { path: `^server/src/(${STAGES})/`, pathNot: '^server/src/$1/' },
    },
    { name: 'not-unresolvable', severity: 'error', from: {}, to: { couldNotResolve: true } },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    // Tests reach wherever they must: they are no rooms.
    exclude: { path: '\\.spec\\.ts$|\\.testing\\.ts$|^web/src/testing/' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.test.json' },
    enhancedResolveOptions: {
      exportsFields: ['exports'],
      conditionNames: ['import', 'require', 'node', 'default', 'types'],
      mainFields: ['module', 'main', 'types'],
    },
  },
};
