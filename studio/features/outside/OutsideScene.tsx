'use client'
import type { Camera } from '@lantern/core/data'
import { rotate } from '@lantern/core/math'
import { kelvinColour } from '@lantern/core/pipeline'
import {
  isLamp,
  isPiece,
  isThing,
  type LampItem,
  meshKeyOf,
  meshOf,
  type PieceItem,
  type ThingItem,
  thingPose,
  turnOf,
} from '@lantern/core/set'
import { itemsInOrder } from '@lantern/core/settings'
import { itemAt, type ShotItem } from '@lantern/core/shot'
import { Canvas, useFrame, useThree } from '@react-three/fiber'
import { Suspense, use, useMemo } from 'react'
import {
  BufferAttribute,
  BufferGeometry,
  Color,
  DoubleSide,
  type Group,
  PerspectiveCamera,
  SRGBColorSpace,
  type Texture,
  TextureLoader,
} from 'three'
import { GLTFLoader } from 'three/examples/jsm/loaders/GLTFLoader.js'
import { shotPath } from '../api.ts'
import { useShot } from '../shot/shotStore.ts'
import { inputsNow } from '../shot/world.ts'

// The set as solid bodies, seen from elsewhere: pieces in grey, things with their own surfaces, lamps, and the plate at the end of the camera's view.

/** How far from the shot's camera its plate stands, m. */
const PLATE_AT = 0.9

/** Puts the shown camera where ours is: a lens without bend, of the pane's own shape. */
function Eye({ camera }: { camera: Camera }) {
  const { camera: eye } = useThree()
  useFrame(() => {
    if (!(eye instanceof PerspectiveCamera)) return
    eye.position.set(...camera.position)
    eye.quaternion.set(...camera.rotation)
    eye.near = 0.05
    eye.far = 400
    const [w, h, f] = [camera.width / 2, camera.height / 2, camera.focalPx]
    eye.projectionMatrix.makePerspective(
      (-w / f) * eye.near,
      (w / f) * eye.near,
      (h / f) * eye.near,
      (-h / f) * eye.near,
      eye.near,
      eye.far,
    )
    eye.projectionMatrixInverse.copy(eye.projectionMatrix).invert()
  }, 1)
  useFrame(({ gl, scene, camera: seen }) => gl.render(scene, seen), 2)
  return null
}

function Piece({ item, chosen }: { item: PieceItem; chosen: boolean }) {
  const key = JSON.stringify(meshKeyOf(item))
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key is all that the mesh is made of
  const geometry = useMemo(() => {
    const { positions, indices } = meshOf(item)
    const made = new BufferGeometry()
    made.setAttribute('position', new BufferAttribute(positions, 3))
    made.setIndex(new BufferAttribute(indices, 1))
    const flat = made.toNonIndexed()
    flat.computeVertexNormals()
    return flat
  }, [key])
  return (
    <mesh geometry={geometry} position={[...item.position]} quaternion={[...turnOf(item)]}>
      <meshLambertMaterial
        color={chosen ? '#8d8a83' : '#5d5c59'}
        side={DoubleSide}
        polygonOffset
        polygonOffsetFactor={1}
        polygonOffsetUnits={1}
      />
    </mesh>
  )
}

const meshes = new Map<string, Promise<Group>>()
/** A thing's mesh as it was taken in; the same one each time. */
function meshThere(path: string): Promise<Group> {
  const known = meshes.get(path) ?? new GLTFLoader().loadAsync(path).then(({ scene }) => scene)
  meshes.set(path, known)
  return known
}

function Thing({ item, shot }: { item: ThingItem; shot: string }) {
  const scene = use(meshThere(`${shotPath(shot)}/meshes?blob=${item.mesh.standIn}`))
  // One mesh may stand in several places.
  const own = useMemo(() => scene.clone(), [scene])
  const { rotation, place, scale } = thingPose(item)
  return <primitive object={own} position={[...place]} quaternion={[...rotation]} scale={scale} />
}

function LampBody({ item }: { item: LampItem }) {
  const [r, g, b] = kelvinColour(item.kelvin)
  const most = Math.max(r, g, b)
  return (
    <mesh position={[...item.position]}>
      <sphereGeometry args={[Math.max(0.06, item.shape === 'area' ? 0.06 : item.size / 2), 20, 12]} />
      <meshBasicMaterial color={new Color(r / most, g / most, b / most)} />
    </mesh>
  )
}

const pictures = new Map<string, Promise<Texture>>()
function pictureThere(path: string): Promise<Texture> {
  const known =
    pictures.get(path) ??
    new TextureLoader().loadAsync(path).then((texture) => {
      texture.colorSpace = SRGBColorSpace
      return texture
    })
  pictures.set(path, known)
  if (pictures.size > 12) {
    const [oldest] = pictures.keys()
    if (oldest) {
      void pictures.get(oldest)?.then((texture) => texture.dispose())
      pictures.delete(oldest)
    }
  }
  return known
}

/** The plate's frame at the end of the camera's view. */
function Plate({ camera, path }: { camera: Camera; path: string }) {
  const texture = use(pictureThere(path))
  const [width, height] = [(camera.width / camera.focalPx) * PLATE_AT, (camera.height / camera.focalPx) * PLATE_AT]
  const at = rotate(camera.rotation, [0, 0, -PLATE_AT])
  return (
    <mesh
      position={[camera.position[0] + at[0], camera.position[1] + at[1], camera.position[2] + at[2]]}
      quaternion={[...camera.rotation]}
    >
      <planeGeometry args={[width, height]} />
      <meshBasicMaterial map={texture} side={DoubleSide} toneMapped={false} />
    </mesh>
  )
}

function Item({ id, item, shot, chosen }: { id: string; item: ShotItem; shot: string; chosen: string }) {
  if (isPiece(item)) return <Piece item={item} chosen={id === chosen} />
  if (isThing(item))
    return (
      <Suspense fallback={null}>
        <Thing item={item} shot={shot} />
      </Suspense>
    )
  return isLamp(item) ? <LampBody item={item} /> : null
}

/** All that stands in the shot at its frame, through a camera elsewhere; here: the shot's own camera. */
export function OutsideScene({ camera, here }: { camera: Camera; here?: Camera }) {
  const state = useShot()
  const { shot, frame, chosen } = state
  if (!shot) return null
  const { document } = shot
  const inputs = inputsNow(state)
  const { asset, encoding } = document.plate
  return (
    <Canvas
      flat
      frameloop="demand"
      gl={{ antialias: true, preserveDrawingBuffer: true }}
      style={{ position: 'absolute', inset: 0 }}
      data-outside-scene
    >
      <Eye camera={camera} />
      <Redraw of={[camera, document, frame, chosen]} />
      <hemisphereLight args={['#dfe3ea', '#4a4642', 1.6]} />
      <directionalLight position={[4, 9, 6]} intensity={1.4} />
      {itemsInOrder(document)
        .filter(([, item]) => item.shown)
        .map(([id, item]) => (
          <Item key={id} id={id} item={itemAt(document, item, frame, inputs)} shot={shot.name} chosen={chosen} />
        ))}
      {here && encoding !== 'linear' && (
        <Suspense fallback={null}>
          <Plate camera={here} path={`/api/assets/${asset}/${frame}?size=half`} />
        </Suspense>
      )}
    </Canvas>
  )
}

/** Draws anew when what is shown has changed. */
function Redraw({ of }: { of: readonly unknown[] }) {
  const { invalidate } = useThree()
  // biome-ignore lint/correctness/useExhaustiveDependencies: whatever it is made of
  useMemo(() => invalidate(), of)
  return null
}
