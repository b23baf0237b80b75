export * from './gasBlock.ts'
export * from './passes.ts'
export * from './render.ts'
export * from './scene.ts'
