export { castOne } from './tree'
export { lightChart, halveChart, lightVertices, takeVertices } from './bake'
export { drawRows } from './frame'
