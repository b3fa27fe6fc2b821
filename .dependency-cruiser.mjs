/** Imports run one way: core ← service, api ← {service, cli, console}; standins and pocket stand alone. docs/architecture.md says why. */
const pkg = (name) => `^packages/${name}/`;
const only = (name, to) => ({
  name: `${name}-imports`,
  severity: 'error',
  from: { path: pkg(name) },
  to: { path: '^packages/', pathNot: [pkg(name), ...to] },
});

export default {
  forbidden: [
    {
      name: 'no-circles',
      severity: 'error',
      from: {},
      to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } },
    },
    { name: 'nothing-unresolved', severity: 'error', from: {}, to: { couldNotResolve: true } },
    only('core', []),
    only('api', [
      '^packages/core/(src|dist)/(vocabulary|people/fields|methods/kinds/|connections/kinds/|invitations/template)',
    ]),
    only('service', [pkg('core'), pkg('api')]),
    only('cli', [pkg('api')]),
    only('console', [pkg('api')]),
    only('standins', []),
    only('pocket', []),
    {
      name: 'core-is-computation-alone',
      severity: 'error',
      from: {
        path: '^packages/core/src/',
        pathNot: ['\\.test\\.ts$', '^packages/core/src/crypto/', '^packages/core/src/tables/phone'],
      },
      to: { dependencyTypes: ['core', 'npm'], dependencyTypesNot: ['type-only'] },
    },
    {
      name: 'vocabulary-and-fields-import-nothing',
      severity: 'error',
      from: { path: '^packages/core/src/(vocabulary|people/fields)' },
      to: { pathNot: '^packages/core/src/vocabulary-' },
    },
    {
      name: 'kinds-are-described-by-words-alone',
      severity: 'error',
      from: { path: '^packages/core/src/(methods|connections)/kinds/', pathNot: '\\.test\\.ts$' },
      to: { pathNot: '^packages/core/src/(vocabulary|$1/kinds/)' },
    },
    {
      name: 'api-runs-in-browsers',
      severity: 'error',
      from: { path: '^packages/api/src/' },
      to: { dependencyTypes: ['core'] },
    },
    ...['platform', 'areas', 'connections', 'host']
      .map((storey, i, all) => ({
        name: `service-${storey}-is-below`,
        comment: 'The service stands in storeys: what is above is not known below.',
        severity: 'error',
        from: { path: `^packages/service/src/${storey}/`, pathNot: '\\.test\\.ts$' },
        to: { path: all.slice(i + 1).map((above) => `^packages/service/src/${above}/`) },
      }))
      .slice(0, -1),
    {
      name: 'areas-are-listed-by-the-host',
      comment:
        'What an area brings in is for the list of the host alone; other areas take what they need from its files.',
      severity: 'error',
      from: { pathNot: '^packages/service/src/host/areas\\.ts$' },
      to: { path: '^packages/service/src/(areas|connections)/[^/]+/area\\.ts$' },
    },
    {
      name: 'connections-stand-apart',
      severity: 'error',
      from: { path: '^packages/service/src/connections/([^/]+)/' },
      to: { path: '^packages/service/src/connections/', pathNot: '^packages/service/src/connections/$1/' },
    },
    {
      name: 'areas-keep-their-stores',
      severity: 'error',
      from: { path: '^packages/service/src/areas/([^/]+)/', pathNot: '\\.test\\.ts$' },
      to: { path: '^packages/service/src/areas/[^/]+/store\\.ts$', pathNot: '^packages/service/src/areas/$1/' },
    },
    {
      name: 'tests-are-not-imported',
      severity: 'error',
      from: { pathNot: '(\\.test\\.ts$|^e2e/|^bench/)' },
      to: { path: '\\.test\\.ts$' },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '(/dist/|node_modules/(?!@nimble-latch))' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.base.json' },
    enhancedResolveOptions: {
      exportsFields: ['exports'],
      conditionNames: ['nimble-latch-source', 'import', 'default'],
      extensions: ['.ts', '.tsx', '.js', '.mjs', '.json'],
    },
  },
};
