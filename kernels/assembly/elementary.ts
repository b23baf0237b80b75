// Elementary functions with the same bits in every engine (a port of FreeBSD msun inside AssemblyScript's NativeMath).
export function exp(x: f64): f64 { return NativeMath.exp(x) }
export function log(x: f64): f64 { return NativeMath.log(x) }
export function log10(x: f64): f64 { return NativeMath.log10(x) }
export function pow(x: f64, y: f64): f64 { return NativeMath.pow(x, y) }
export function sin(x: f64): f64 { return NativeMath.sin(x) }
export function cos(x: f64): f64 { return NativeMath.cos(x) }
export function tan(x: f64): f64 { return NativeMath.tan(x) }
export function atan(x: f64): f64 { return NativeMath.atan(x) }
export function atan2(y: f64, x: f64): f64 { return NativeMath.atan2(y, x) }
export function asin(x: f64): f64 { return NativeMath.asin(x) }
export function acos(x: f64): f64 { return NativeMath.acos(x) }
export function tanh(x: f64): f64 { return NativeMath.tanh(x) }
export function cbrt(x: f64): f64 { return NativeMath.cbrt(x) }
