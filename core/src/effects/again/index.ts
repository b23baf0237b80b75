export * from './frames.ts'
export * from './schema.ts'
