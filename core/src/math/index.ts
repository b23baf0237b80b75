export * from './elementary.ts'
export * from './noise.ts'
export * from './quaternion.ts'
export * from './vector.ts'
