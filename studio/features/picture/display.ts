import {
  DataTexture,
  LinearFilter,
  Mesh,
  NearestFilter,
  OrthographicCamera,
  PlaneGeometry,
  RGBAFormat,
  Scene,
  ShaderMaterial,
  UnsignedByteType,
  WebGLRenderer,
} from 'three'
import type { Compare } from '../shot/shotStore.ts'

// Shows two ready pictures of bytes: the laid frame and the bare plate, whole or compared. Decides no delivered pixel.
const WAYS: Record<Compare, number> = { none: 0, wipe: 1, difference: 2, beside: 3 }
const VERTEX =
  'varying vec2 at; void main() { at = vec2(uv.x, 1.0 - uv.y); gl_Position = vec4(position.xy, 0.0, 1.0); }'
const FRAGMENT = `
varying vec2 at; uniform sampler2D added; uniform sampler2D bare; uniform int way; uniform float wipe;
void main() {
  vec4 a = texture2D(added, at); vec4 b = texture2D(bare, at);
  if (way == 1) gl_FragColor = abs(at.x - wipe) < 0.0008 ? vec4(0.92) : at.x < wipe ? b : a;
  else if (way == 2) gl_FragColor = vec4(abs(a.rgb - b.rgb) * 2.0, 1.0);
  else if (way == 3) gl_FragColor = at.x < 0.5 ? texture2D(bare, vec2(at.x + 0.25, at.y)) : texture2D(added, vec2(at.x - 0.25, at.y));
  else gl_FragColor = a;
}`

export interface Shown {
  /** How bright its flame is before any exposure, times white. */
  flame?: number
  /** Layers that hold no numbers and were left out. */
  spoiled?: string
  width: number
  height: number
  added: Uint8Array
  bare: Uint8Array
  /** What it was laid from. */
  mark: string
}

const texture = (bytes: Uint8Array, width: number, height: number): DataTexture => {
  const made = new DataTexture(new Uint8Array(bytes), width, height, RGBAFormat, UnsignedByteType)
  made.magFilter = LinearFilter
  made.minFilter = LinearFilter
  made.needsUpdate = true
  return made
}

/** The picture's canvas. show() sets what is seen; draw() again after size or compare changes. */
export class PictureDisplay {
  readonly #renderer: WebGLRenderer
  readonly #material: ShaderMaterial
  readonly #scene = new Scene()
  readonly #camera = new OrthographicCamera(-1, 1, 1, -1, 0, 1)
  #shown?: Shown
  /** What of it has not been taken to the screen's memory yet. */
  #due: readonly ('added' | 'bare')[] = []
  #drawn = ''

  constructor(canvas: HTMLCanvasElement) {
    this.#renderer = new WebGLRenderer({ canvas, antialias: false, alpha: false, preserveDrawingBuffer: true })
    this.#renderer.outputColorSpace = 'srgb-linear'
    const empty = texture(new Uint8Array([48, 48, 48, 255]), 1, 1)
    this.#material = new ShaderMaterial({
      vertexShader: VERTEX,
      fragmentShader: FRAGMENT,
      uniforms: { added: { value: empty }, bare: { value: empty }, way: { value: 0 }, wipe: { value: 0.5 } },
      depthTest: false,
    })
    this.#scene.add(new Mesh(new PlaneGeometry(2, 2), this.#material))
  }

  show(shown: Shown): void {
    const before = this.#shown
    if (shown === before) return
    this.#shown = shown
    this.#due = (['added', 'bare'] as const).filter(
      (name) => shown[name] !== before?.[name] || this.#due.includes(name),
    )
    this.#drawn = ''
  }

  /** Takes one of the two pictures to the screen's memory. */
  #take(name: 'added' | 'bare'): void {
    const slot = this.#material.uniforms[name]
    if (!slot || !this.#shown) return
    const { width, height, [name]: bytes } = this.#shown
    const old = slot.value as DataTexture
    if (old.image.width === width && old.image.height === height && old.image.data) {
      ;(old.image.data as Uint8Array).set(bytes)
      old.needsUpdate = true
    } else {
      old.dispose()
      slot.value = texture(bytes, width, height)
    }
  }

  /** Draws where anything has changed. */
  draw(width: number, height: number, compare: Compare, wipe: number, sharp: boolean): void {
    const drawn = `${width} ${height} ${compare} ${wipe} ${sharp}`
    if (drawn === this.#drawn) return
    this.#drawn = drawn
    const { uniforms } = this.#material
    const canvas = this.#renderer.domElement
    if (canvas.width !== width || canvas.height !== height) this.#renderer.setSize(width, height, false)
    if (uniforms.way) uniforms.way.value = WAYS[compare]
    if (uniforms.wipe) uniforms.wipe.value = wipe
    // The bare plate is taken only where it is seen, so that play moves half as much.
    const seen: readonly string[] = compare === 'none' ? ['added'] : ['added', 'bare']
    for (const name of this.#due.filter((one) => seen.includes(one))) this.#take(name)
    this.#due = this.#due.filter((one) => !seen.includes(one))
    for (const name of ['added', 'bare'] as const) {
      const made = uniforms[name]?.value as DataTexture | undefined
      const filter = sharp ? NearestFilter : LinearFilter
      if (made && made.magFilter !== filter) {
        made.magFilter = filter
        made.needsUpdate = true
      }
    }
    this.#renderer.render(this.#scene, this.#camera)
  }

  end(): void {
    this.#renderer.dispose()
  }
}
