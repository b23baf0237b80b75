export * from './crew.ts'
export * from './errors.ts'
export * from './random.ts'
export * from './recipe.ts'
