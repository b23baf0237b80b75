import { elementaryFunctions } from '@lantern/kernels'

// The one place where core takes its exp, log, powers and angles from: Math's own differ in the last bit between engines.
export const { exp, log, log10, pow, sin, cos, tan, atan, atan2, asin, acos, tanh, cbrt } = elementaryFunctions()

export const degrees = (radians: number): number => (radians * 180) / Math.PI
export const radians = (degrees: number): number => (degrees * Math.PI) / 180
