export * from './blackBody.ts'
export * from './emitters.ts'
export * from './observer.ts'
