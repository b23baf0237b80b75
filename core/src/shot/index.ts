export * from './create.ts'
export * from './patch.ts'
export * from './schema.ts'
export * from './settings.ts'
