export * from './bricks.ts'
export * from './cells.ts'
export * from './structure.ts'
