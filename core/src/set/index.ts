export * from './kinds.ts'
export * from './pieces.ts'
export * from './schema.ts'
