export * from './simulate.ts'
