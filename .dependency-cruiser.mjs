// Imports go one way: kernels, base <- math <- data <- settings <- domains, formats <- effects <- shot <- pipeline <- store <- farm, studio; demo uses core, nothing uses demo.
const DOMAINS = [
  'air',
  'match',
  'set',
  'mattes',
  'gas',
  'particles',
  'breaking',
  'cards',
  'ground',
  'light',
  'picture',
  'rigid',
  'motion',
  'sit',
]
const tests = '\\.(test|bench)\\.ts$|/testing/|/e2e/'
const layer = (name, from, to) => ({ name, severity: 'error', from: { path: from, pathNot: tests }, to: { path: to } })

export default {
  forbidden: [
    {
      name: 'no-circles',
      severity: 'error',
      from: {},
      to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } },
    },
    layer('kernels-below-all', '^kernels/', '^(core|store|farm|studio|demo)/'),
    layer('base-is-lowest', '^core/src/base/', '^core/src/(?!base/)'),
    layer('math-over-base', '^core/src/math/', '^core/src/(?!base/|math/)'),
    layer('data-over-math', '^core/src/data/', '^core/src/(?!base/|math/|data/)'),
    layer('settings-over-data', '^core/src/settings/', '^core/src/(?!base/|math/|data/|settings/)'),
    ...DOMAINS.map((name) =>
      layer(`${name}-stays-alone`, `^core/src/${name}/`, `^core/src/(?!base/|math/|data/|settings/|${name}/)`),
    ),
    layer('formats-over-data', '^core/src/formats/', '^core/src/(?!base/|math/|data/|formats/)'),
    layer('effects-below-shot', '^core/src/effects/', '^core/src/(shot|pipeline)/'),
    {
      name: 'effects-never-one-another',
      severity: 'error',
      from: { path: '^core/src/effects/([^/]+)/', pathNot: tests },
      to: {
        path: '^core/src/effects/',
        pathNot: '^core/src/effects/($1/|(effect|again|againSchema|keptMattes)\\.ts$)',
      },
    },
    layer(
      'shot-over-effects',
      '^core/src/shot/',
      '^core/src/(?!base/|math/|data/|settings/|set/|mattes/|effects/|shot/)',
    ),
    layer('core-below-store', '^core/', '^(store|farm|studio|demo|scripts)/'),
    layer('store-below-farm', '^store/', '^(farm|studio|demo|scripts)/'),
    layer('farm-beside-studio', '^farm/', '^(studio|demo|scripts)/'),
    layer('studio-beside-farm', '^studio/', '^(farm|demo|scripts)/'),
    layer('demo-uses-core-only', '^demo/', '^(store|farm|studio|scripts)/'),
    { name: 'nothing-uses-demo', severity: 'error', from: { pathNot: '^demo/' }, to: { path: '^demo/' } },
    {
      name: 'core-knows-no-engine',
      severity: 'error',
      from: { path: '^core/src/', pathNot: tests },
      to: { dependencyTypes: ['core'] },
    },
    {
      name: 'core-knows-no-interface',
      severity: 'error',
      from: { path: '^core/' },
      to: { path: 'node_modules/(react|next|@chakra-ui|kysely|pg)/' },
    },
    {
      name: 'only-store-knows-sql',
      severity: 'error',
      from: { path: '^(core|farm|studio|demo)/', pathNot: tests },
      to: { path: 'node_modules/(kysely|pg)/' },
    },
    {
      name: 'resolvable',
      severity: 'error',
      from: { pathNot: '^kernels/assembly' },
      to: { couldNotResolve: true, pathNot: '\\.generated|^@/|\\.woff2$|^assemblyscript' },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '(^|/)(dist|\\.next|kernels/build|kernels/assembly)(/|$)|\\.generated' },
    tsPreCompilationDeps: true,
    enhancedResolveOptions: {
      exportsFields: ['exports'],
      conditionNames: ['import', 'require', 'node', 'default'],
      extensions: ['.ts', '.tsx', '.mjs', '.js', '.json'],
    },
  },
}
