export { copy, fill, fillGhosts, fillSolid } from './grid'
export { advectForward, advectCorrect } from './advect'
export { smooth, smoothFirst, residual, restrict, prolong, applyDot, dot, stepSolution, stepDirection, countNeighbours, coarsenFlags, transferNorm, divergence, shiftSystem, project } from './pressure'
export { buoyancy, curl, confine, addCentred, thinAndTotal, react, fastest, extent } from './combust'
