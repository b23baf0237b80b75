;(globalThis as any).SCALES = []
await import('./labF.ts')
const S = (globalThis as any).SCALES as number[][]
const half = S.slice(S.length >> 1)
const q = (v: number[]) => { v = [...v].sort((a, b) => a - b); return [0.02, .1, .5, .9, .98].map((p) => v[Math.floor(p * v.length)]!.toFixed(4)).join(' ') }
console.log('fuel found/wanted', q(half.map((r) => r[1]! / r[0]!)), ' theta found/wanted', q(half.map((r) => r[3]! / r[2]!)))
