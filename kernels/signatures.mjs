// Reads the exported functions of assembly/index.ts and writes their parameters as types, so that a call names its arguments and the compiler misses none.
import { readFileSync } from 'node:fs'
import { join } from 'node:path'

/** Every exported kernel with its parameters, without the range [from, to) that a crew adds. */
export function signatures(folder) {
  const index = readFileSync(join(folder, 'index.ts'), 'utf8')
  const found = {}
  for (const [, names, file] of index.matchAll(/export \{([^}]+)\} from '\.\/([\w/.]+)'/g)) {
    const text = readFileSync(join(folder, `${file}.ts`), 'utf8')
    for (const name of names.split(',').map((one) => one.trim())) {
      if (name === 'takeSeat') continue
      const head = text.match(new RegExp(`export function ${name}\\(([^)]*)\\)`))
      if (!head) throw new Error(`kernels: ${file}.ts exports no function ${name}`)
      const parameters = head[1]
        .split(',')
        .map((one) => one.trim().split(':')[0].trim())
        .filter((one) => one !== '')
      const last = parameters.splice(-2)
      if (last[0] !== 'from' || last[1] !== 'to')
        throw new Error(`kernels: ${name} does not end with its range from, to`)
      found[name] = parameters
    }
  }
  return found
}

/** The same as TypeScript: a type of each kernel's arguments, and their order. */
export function signatureModule(found) {
  const names = Object.keys(found).sort()
  const types = names.map((name) => `  ${name}: { ${found[name].map((one) => `${one}: number`).join('; ')} }\n`)
  const orders = names.map((name) => `  ${name}: [${found[name].map((one) => `'${one}'`).join(', ')}],\n`)
  return (
    `/** Arguments of each kernel by name: pointers in bytes, sizes, factors. */\nexport interface KernelArguments {\n${types.join('')}}\n` +
    `/** Their order. */\nexport const KERNEL_PARAMETERS: { readonly [K in keyof KernelArguments]: readonly string[] } = {\n${orders.join('')}}\n`
  )
}
