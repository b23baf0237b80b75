export * from './display.ts'
export * from './grain.ts'
export * from './stack.ts'
