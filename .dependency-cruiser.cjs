/** Imports go one way: core <- contract <- server, web, devices, cli. */
module.exports = {
  forbidden: [
    { name: 'core-stands-alone', severity: 'error', from: { path: '^core/src', pathNot: '\\.test\\.ts$' }, to: { path: '^(contract|server|web|devices|cli|e2e|bench)/' } },
    { name: 'core-is-pure', comment: 'no React, Express, Sequelize or Node in the computation', severity: 'error', from: { path: '^core/src', pathNot: '\\.test\\.ts$' }, to: { dependencyTypes: ['core'] } },
    { name: 'core-packages', severity: 'error', from: { path: '^core/src', pathNot: '\\.test\\.ts$' }, to: { path: 'node_modules', pathNot: 'node_modules/(papaparse|@types/papaparse)' } },
    { name: 'contract-knows-core-only', severity: 'error', from: { path: '^contract/src' }, to: { path: '^(server|web|devices|cli|e2e|bench)/' } },
    { name: 'web-and-server-meet-in-contract', severity: 'error', from: { path: '^web/' }, to: { path: '^(server|devices|cli|e2e|bench)/' } },
    { name: 'server-knows-no-page', comment: 'tests may ask the circuit simulator that the browser tests ask', severity: 'error', from: { path: '^(server|devices|cli)/', pathNot: '^devices/src/.*\\.test\\.ts$' }, to: { path: '^(web|e2e|bench)/' } },
    { name: 'services-know-no-http', comment: 'what a request, a status or a header is stays in routes and http', severity: 'error', from: { path: '^server/src/', pathNot: '(^server/src/(http/|server\\.ts|main\\.ts)|/routes\\.ts$|\\.test\\.ts$)' }, to: { path: '(^server/src/http/|node_modules/(@types/)?express)' } },
    { name: 'no-sql-in-routes', comment: 'routes ask services', severity: 'error', from: { path: '/routes\\.ts$' }, to: { path: '(^server/src/db/|node_modules/(sequelize|pg)/)', dependencyTypesNot: ['type-only'] } },
    { name: 'no-circles', severity: 'error', from: {}, to: { circular: true } },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsConfig: { fileName: 'tsconfig.json' },
    tsPreCompilationDeps: true,
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['import', 'default'], extensions: ['.ts', '.tsx', '.mjs', '.js', '.json'] },
  },
};
