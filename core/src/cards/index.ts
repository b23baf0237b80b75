export * from './matte.ts'
export * from './timing.ts'
