export * from './forces.ts'
export * from './wind.ts'
