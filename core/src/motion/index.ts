export * from './dense.ts'
