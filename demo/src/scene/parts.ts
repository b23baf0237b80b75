import { newMesh, type Parts } from './builder.ts'
import { chimney, farThings } from './far.ts'
import { groundCharts, type Weather } from './ground.ts'
import { ironDoor, ironThings } from './iron.ts'
import { kilnCharts } from './kiln.ts'
import { looseThings } from './loose.ts'
import { crateCharts } from './wood.ts'

/** Everything that stands still in the yard. detail: 1 for the plates; less for tests. */
export function yardParts(weather: Weather, detail: number): Parts {
  const mesh = newMesh()
  ironThings(mesh)
  looseThings(mesh, detail)
  const far = farThings(mesh, detail)
  return {
    charts: [
      ...groundCharts(weather, detail),
      ...kilnCharts(detail),
      ironDoor(detail),
      ...crateCharts(detail),
      ...chimney(mesh, detail),
      ...far,
    ],
    mesh,
  }
}
