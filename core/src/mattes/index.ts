export * from './draw.ts'
export * from './inside.ts'
export * from './outline.ts'
export * from './schema.ts'
