export * from './epipolar.ts'
export * from './solve.ts'
export * from './structure.ts'
