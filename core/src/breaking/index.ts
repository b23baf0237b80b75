export * from './bricks.ts'
export * from './cells.ts'
