export * from './backing.ts'
export * from './glow.ts'
export * from './matte.ts'
export * from './timing.ts'
