// The import rules, over every workspace. Fails too when the checker saw too few modules to have checked anything.
import { cruise } from 'dependency-cruiser'
import extractConfig from 'dependency-cruiser/config-utl/extract-depcruise-config'

const LEAST_MODULES = 120
const config = await extractConfig('./.dependency-cruiser.mjs')
const { output } = await cruise(
  [
    'core/src',
    'kernels/src',
    'store/src',
    'farm/src',
    'studio/app',
    'studio/features',
    'studio/ui',
    'studio/server',
    'studio/workers',
    'demo/src',
    'scripts',
  ],
  { ...config.options, ruleSet: { forbidden: config.forbidden }, validate: true },
)
const own = output.modules.filter(({ source }) => /^(core|kernels|store|farm|studio|demo|scripts)\//.test(source))
const across = output.modules.flatMap(({ source, dependencies }) =>
  dependencies.filter(({ resolved }) => source.startsWith('farm/') && resolved.startsWith('core/')),
)
for (const { rule, from, to } of output.summary.violations) console.error(`${rule.name}: ${from} -> ${to}`)
if (own.length < LEAST_MODULES || across.length === 0) {
  console.error(
    `imports: only ${own.length} modules seen (${across.length} from farm to core); the check checked nothing`,
  )
  process.exit(1)
}
if (output.summary.error > 0) process.exit(1)
console.log(`imports: ${own.length} modules, no rule broken`)
