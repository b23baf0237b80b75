export * from './blackBody.ts'
export * from './burning.ts'
export * from './emitters.ts'
export * from './observer.ts'
