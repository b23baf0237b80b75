import { type Axes, type Camera, type MatchScene, OWN_AXES, placeAt, placeOut, turnOut } from '../../data/index.ts'
import { rotate, type Vec3 } from '../../math/index.ts'

// USD as ASCII text: a camera with samples a frame, its lens's bend as attributes of ours, points, test objects, and tracks as arrays of places.

/** Width of the film gate that the lens is stated on, tenths of a unit as USD has it (so: mm where the unit is a cm); only its ratio to the focal length is meant. */
const GATE = 36

const five = (value: number): string => String(Number(value.toPrecision(9)))
const tuple = (values: readonly number[]): string => `(${values.map(five).join(', ')})`
/** A name as USD allows it; the real one goes beside it. */
const word = (name: string): string => name.replace(/[^A-Za-z0-9_]/g, '_').replace(/^(?=\d|$)/, '_')
const quoted = (text: string): string => JSON.stringify(text)

/** Rows of USD's matrices, which multiply from the left: the camera's axes, then its place. */
function matrixOf(axes: Axes, { position, rotation }: Camera): string {
  const q = turnOut(axes, rotation)
  const rows = (
    [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
    ] as const
  ).map((axis) => [...rotate(q, axis), 0])
  return `( ${[...rows, [...placeOut(axes, position), 1]].map(tuple).join(', ')} )`
}

function cameraText(scene: MatchScene, axes: Axes, shift: number): string {
  const samples = (value: (camera: Camera) => string): string =>
    scene.cameras.map(({ frame, camera }) => `        ${frame + shift}: ${value(camera)},`).join('\n')
  const lens = scene.cameras[0]?.camera
  if (!lens) return ''
  return `  def Camera "camera"
  {
    float horizontalAperture = ${GATE}
    float verticalAperture = ${five((GATE * lens.height) / lens.width)}
    float focalLength.timeSamples = {
${samples(({ focalPx, width }) => five((GATE * focalPx) / width))}
    }
    float horizontalApertureOffset.timeSamples = {
${samples(({ centre, width }) => five(GATE * (0.5 - centre[0] / width)))}
    }
    float verticalApertureOffset.timeSamples = {
${samples(({ centre, width, height }) => five((GATE * (centre[1] - height / 2)) / width))}
    }
    custom float lens:k1 = ${five(lens.k1)}
    custom float lens:k2 = ${five(lens.k2)}
    custom int2 lens:size = (${lens.width}, ${lens.height})
    matrix4d xformOp:transform.timeSamples = {
${samples((camera) => matrixOf(axes, camera))}
    }
    uniform token[] xformOpOrder = ["xformOp:transform"]
  }
`
}

function pointsText({ points }: MatchScene, axes: Axes): string {
  if (points.length === 0) return ''
  return `  def Points "points"
  {
    point3f[] points = [${points.map(({ at }) => tuple(placeOut(axes, at))).join(', ')}]
    int64[] ids = [${points.map(({ track }) => track).join(', ')}]
    float[] widths = [${points.map(() => five(0.02 / axes.metres)).join(', ')}]
    custom float[] error_px = [${points.map(({ px }) => five(px)).join(', ')}]
  }
`
}

function objectText({ name, positions, triangles }: MatchScene['objects'][number], n: number, axes: Axes): string {
  return `  def Mesh "object_${n}_${word(name)}" (
    displayName = ${quoted(name)}
  )
  {
    uniform token subdivisionScheme = "none"
    point3f[] points = [${positions.map((p: Vec3) => tuple(placeOut(axes, p))).join(', ')}]
    int[] faceVertexCounts = [${triangles.map(() => 3).join(', ')}]
    int[] faceVertexIndices = [${triangles.flat().join(', ')}]
  }
`
}

function tracksText({ tracks, first }: MatchScene, shift: number): string {
  if (tracks.length === 0) return ''
  const one = ({ track, name }: MatchScene['tracks'][number]): string => {
    const seen = Array.from({ length: track.places.length / 2 }, (_, n) => track.first + n).flatMap((n) => {
      const place = placeAt(track, n)
      return place ? [`        ${first + n + shift}: (${place[0].toFixed(3)}, ${place[1].toFixed(3)}),`] : []
    })
    return `    def Scope "track_${word(name)}"
    {
      custom double2 px.timeSamples = {
${seen.join('\n')}
      }
    }
`
  }
  return `  def Scope "tracks"
  {
${tracks.map(one).join('')}  }
`
}

/** A match as USD ASCII. shift: added to the plate's frame numbers. */
export function writeMatchUsd(scene: MatchScene, axes: Axes = OWN_AXES, shift = 0): string {
  const [start, end] = [
    scene.cameras[0]?.frame ?? scene.first,
    scene.cameras[scene.cameras.length - 1]?.frame ?? scene.first,
  ]
  return `#usda 1.0
(
  defaultPrim = "match"
  doc = ${quoted(`${scene.name}; distorted = straight (1 + lens:k1 r^2 + lens:k2 r^4), r of the straight place over the focal length`)}
  metersPerUnit = ${five(axes.metres)}
  upAxis = "${axes.up.toUpperCase()}"
  startTimeCode = ${start + shift}
  endTimeCode = ${end + shift}
  timeCodesPerSecond = ${five(scene.rate)}
)

def Xform "match" (
  displayName = ${quoted(scene.name)}
)
{
${cameraText(scene, axes, shift)}${pointsText(scene, axes)}${scene.objects.map((object, n) => objectText(object, n, axes)).join('')}${tracksText(scene, shift)}}
`
}
