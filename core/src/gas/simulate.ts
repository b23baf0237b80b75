import { type Crew, LanternError, type Progress, silent, stopIfCancelled } from '../base/index.ts'
import type { CellBox, GasFrame } from '../data/index.ts'
import { workedTiles } from './activeTiles.ts'
import { cellsOf, fittedBox, roundSources, sourceBox } from './box.ts'
import { encodeFrame, KEEP_FUEL, KEEP_HEAT, KEEP_SOOT } from './encodeFrame.ts'
import { settleOutside, stopAtWalls } from './faces.ts'
import { allocateFields, type GasFields, KEPT_FIELDS, moveFields, moveWalls, takeFields, workIn } from './fields.ts'
import { pacesOf, stepsFor } from './paces.ts'
import { layersPerChunk, maxPartials, sumPartials } from './pressure.ts'
import { WORK_TILE } from './rowTables.ts'
import { sceneInputsAt, sceneInputsBetween, solidsMoved } from './sceneInputs.ts'
import { FLAME_HEAT, type GasSettings, type SceneInputs } from './settings.ts'
import { type SourceCells, sourceBounds, sourceCells } from './sources.ts'
import { baseOf, elementOf, rowOf, startOf, stopOf } from './sparseRows.ts'
import { emptyBudget, type GasBudget, recount, stepGas } from './step.ts'
import { fastestSpeed } from './velocity.ts'

/** What one frame of gas did, for the strip and for signals. */
export interface GasFigures {
  /** Mean over the frame, kW. */
  heatKw: number
  radiatedKw: number
  /** How much gas is flame (FLAME_HEAT over the air or more) at the frame's end, m^3, and how high its top stands over the lowest source, m; 0 without. */
  flame: number
  height: number
  /** How much of the first source's fire is flame along its axis, m, counted upright: the axis goes through the middle of what is hot in each layer. Its mean over time is the height at which flame stands half of the time. */
  axialFlameLength: number
  /** Hot gas on its way up close over the first source (a quarter of its breadth): its rise over the air's temperature, as a share of that, summed over the level, m^2. It pulses as the fire's rings leave it. */
  baseBuoyancy: number
  /** Centre of the burning, metres, or of the first source while nothing burns. */
  centre: [number, number, number]
  cells: number
  steps: number
  /** Pressure iterations over all steps, and the worst divergence x step. */
  iterations: number
  divergence: number
  fastest: number
}

/** Everything a run needs to go on as if it had not stopped. */
export interface GasState {
  /** Frames of gas computed so far, the run-up included. */
  done: number
  box: CellBox
  closed: number
  budget: GasBudget
  /** The tiles that are worked on, where that is not all of the box. */
  active?: Uint8Array
  /** KEPT_FIELDS in order, then the expansion; padded, or, with `active`, as its tiles' rows are stored (sparseRows.ts). */
  fields: Float32Array[]
}

const FASTEST_SANE = 400

/** A gas that is advanced frame by frame. Owns the crew's heap from `mark` on. */
export class GasSimulation {
  readonly #crew: Crew
  readonly #settings: GasSettings
  readonly #rate: number
  readonly #mark: number
  #fields: GasFields
  #feeds: SourceCells[]
  #budget: GasBudget
  #done = 0

  /**
   * rate: frames per second. Throws LanternError 'gas-source' when no source reaches a free cell, 'gas-size' when the smallest box is over settings.mostCells.
   */
  constructor(crew: Crew, settings: GasSettings, rate: number, state?: GasState) {
    this.#crew = crew
    this.#settings = settings
    this.#rate = rate
    this.#mark = crew.heap.mark()
    if (state) {
      this.#fields = allocateFields(
        crew,
        this.#mark,
        state.box,
        settings,
        sceneInputsAt(settings, state.done - 1),
        state.closed,
        state.active,
      )
      ;[...KEPT_FIELDS.map((name) => this.#fields.pointers[name]), this.#fields.expansion].forEach((pointer, n) => {
        const kept = state.fields[n]
        if (kept?.length !== this.#fields.store.cells) throw new TypeError('a state holds as much as its tiles do')
        crew.heap.f32(pointer, kept.length).set(kept)
      })
      this.#budget = { ...state.budget }
      this.#done = state.done
    } else {
      this.#fields = allocateFields(
        crew,
        this.#mark,
        sourceBox(settings, sceneInputsAt(settings, 0)),
        settings,
        sceneInputsAt(settings, 0),
      )
      this.#budget = emptyBudget()
    }
    const now = sceneInputsAt(settings, this.#done - 1)
    this.#findWork(now)
    this.#feeds = this.#findSources(now, now)
    if (
      !state &&
      settings.sceneInputs.length === 1 &&
      settings.sources.length > 0 &&
      this.#feeds.every((feed) => feed.volume === 0)
    )
      throw new LanternError(
        'gas-source',
        'The source lies inside a set piece or outside the box, so nothing can come out of it.',
        'Move the source into free air, or take the role "stops gas" from the piece.',
        { field: 'position' },
      )
  }

  get done(): number {
    return this.#done
  }
  get budget(): Readonly<GasBudget> {
    return this.#budget
  }
  get box(): CellBox {
    return this.#fields.box
  }
  get fields(): GasFields {
    return this.#fields
  }

  /** Computes one frame of 1 / rate seconds. Throws LanternError 'gas-unstable' when it blows up, Cancelled when asked to stop. */
  advance(progress: Progress = silent): GasFigures {
    const steps = this.steps(progress)
    for (;;) {
      const step = steps.next()
      if (step.done) return step.value
    }
  }

  /** The same a step at a time, for one who looks up in between: yields how much of the frame is done. One that isn't gone through to its end leaves the gas within a frame; it can't go on then. */
  *steps(progress: Progress = silent): Generator<number, GasFigures> {
    const crew = this.#crew
    const settings = this.#settings
    const { cell } = settings
    const span = 1 / this.#rate
    const start = this.#done / this.#rate
    const figures: GasFigures = {
      heatKw: 0,
      radiatedKw: 0,
      flame: 0,
      height: 0,
      axialFlameLength: 0,
      baseBuoyancy: 0,
      centre: [0, 0, 0],
      cells: 0,
      steps: 0,
      iterations: 0,
      divergence: 0,
      fastest: 0,
    }
    const weighted = [0, 0, 0]
    let weight = 0
    const [last, next] = [sceneInputsAt(settings, this.#done - 1), sceneInputsAt(settings, this.#done)]
    const moving = last !== next
    const drift = moving && solidsMoved(last, next)
    const paces = pacesOf(last, next, span)
    for (let at = 0; at < span - 1e-9; ) {
      stopIfCancelled(progress)
      const fastest = fastestSpeed(crew, this.#fields)
      if (!(fastest < FASTEST_SANE))
        throw new LanternError(
          'gas-unstable',
          `The gas ran away: a speed of ${fastest.toPrecision(3)} m/s at frame ${this.#done + 1} of the run, ${this.#cause(fastest)}.`,
          'Lower that, or choose a smaller cell. Frames kept before it stay.',
          { frame: this.#done },
        )
      figures.fastest = Math.max(figures.fastest, fastest)
      // The step is the frame's rest in equal parts, so that frames end exactly on time.
      const dt = (span - at) / stepsFor(settings, span - at, fastest, paces)
      const stage = {
        before: sceneInputsBetween(last, next, at / span),
        now: sceneInputsBetween(last, next, (at + dt) / span),
      }
      if (drift) moveWalls(crew, this.#fields, stage.before, stage.now, dt)
      if (moving) this.#feeds = this.#findSources(stage.before, stage.now)
      const report = stepGas(crew, this.#fields, settings, stage, this.#feeds, this.#budget, dt, start + at + dt)
      at += dt
      figures.steps++
      figures.iterations += report.solve.iterations
      figures.divergence = Math.max(figures.divergence, report.divergence)
      figures.heatKw += report.burned / span / 1000
      figures.radiatedKw += report.radiated / span / 1000
      weight += report.burntSum
      report.burntAt.forEach((sum, axis) => {
        weighted[axis] =
          (weighted[axis] ?? 0) + sum - 0.5 * report.burntSum + (this.#fields.box.origin[axis] ?? 0) * report.burntSum
      })
      yield Math.min(1, at / span)
    }
    this.#done++
    this.#fields.moving = undefined
    settleOutside(crew, this.#fields, next.wind)
    const first = next.sources[0]?.centre ?? [0, 0, 0]
    figures.centre =
      weight > 0
        ? (weighted.map((sum) => (sum / weight) * cell) as [number, number, number])
        : [first[0], first[1], first[2]]
    Object.assign(figures, this.#flame(next))
    figures.cells = this.#fields.active
      ? this.#fields.active.reduce((sum, one) => sum + one, 0) * WORK_TILE ** 3
      : cellsOf(this.#fields.box)
    const before = this.#fields
    this.#fitBox(figures.fastest * span, next)
    const elsewhere = this.#findWork(next)
    if (before === this.#fields && !elsewhere) return figures
    if (before !== this.#fields) stopAtWalls(crew, this.#fields)
    settleOutside(crew, this.#fields, next.wind)
    this.#feeds = this.#findSources(next, next)
    recount(crew, this.#fields, settings, this.#budget)
    return figures
  }

  /** How much of the gas is flame now, and how high it stands. */
  #flame(now: SceneInputs): Pick<GasFigures, 'flame' | 'height' | 'axialFlameLength' | 'baseBuoyancy'> {
    const { box, pointers, flags, partial, spans } = this.#fields
    const { ambient, cell } = this.#settings
    const [nx, ny, nz] = box.size
    this.#crew.run(
      'flame',
      [pointers.density, flags, ambient / (ambient + FLAME_HEAT), partial, spans.cells, nx, ny, nz],
      nz,
      layersPerChunk(box.size, this.#crew.threads),
    )
    const top = maxPartials(this.#crew, partial, nz, 2, 1)
    const foot = now.sources.reduce((least, _, n) => Math.min(least, this.#footOf(now, n)), Infinity)
    return {
      flame: sumPartials(this.#crew, partial, nz, 2, 0) * cell ** 3,
      height: top > 0 ? Math.max(0, (box.origin[1] + top) * cell - foot) : 0,
      axialFlameLength: this.#axialFlameLength(now),
      baseBuoyancy: this.#baseBuoyancy(now),
    }
  }

  #axialFlameLength(now: SceneInputs): number {
    const { box, pointers, store } = this.#fields
    const { ambient, cell } = this.#settings
    const [nx, ny, nz] = box.size
    const density = this.#crew.heap.f32(pointers.density, store.cells)
    const own = this.#ownColumns(now)
    const rise = (a: number, j: number, c: number): number =>
      ambient / (density[elementOf(store, a, j, c)] ?? 1) - ambient
    const warm = ambient / (ambient + 0.5 * FLAME_HEAT)
    // Wind bends the axis, and what stirs a fire sways it: it goes through the middle of what is hot in each layer.
    const middle = (j: number): readonly [number, number] => {
      let [sum, sx, sz] = [0, 0, 0]
      for (let c = 0; c < nz; c++) {
        const row = rowOf(store, j, c)
        const first = baseOf(store, row) + 1
        for (let a = Math.max(0, startOf(store, row) - 1), stop = Math.min(nx, stopOf(store, row) - 1); a < stop; a++) {
          // Most of a box is not hot: no more than a comparison for that.
          const there = density[first + a] ?? 1
          if (there >= warm || !own(a, c)) continue
          const weight = ambient / there - ambient - 0.5 * FLAME_HEAT
          sum += weight
          sx += weight * a
          sz += weight * c
        }
      }
      return sum > 0 ? [sx / sum, sz / sum] : [-1, -1]
    }
    let layers = 0
    for (let j = 0; j < ny; j++) {
      const [x, z] = middle(j)
      const [i, k] = [Math.floor(x), Math.floor(z)]
      if (i < 0 || k < 0 || i + 1 >= nx || k + 1 >= nz) continue
      // Between the four columns round it: how much hotter than the air.
      const [front, back] = [k, k + 1].map((c) => rise(i, j, c) + (x - i) * (rise(i + 1, j, c) - rise(i, j, c))) as [
        number,
        number,
      ]
      if (front + (z - k) * (back - front) >= FLAME_HEAT) layers++
    }
    return layers * cell
  }

  /** Whether a column (array coordinates) is nearer to the first source than to any other. */
  #ownColumns(now: SceneInputs): (i: number, k: number) => boolean {
    const { cell, origin } = this.#fields.box
    const [own, ...others] = now.sources.map(({ centre }): readonly [number, number] => [
      centre[0] / cell - origin[0] - 0.5,
      centre[2] / cell - origin[2] - 0.5,
    ])
    if (!own) return () => false
    const far = ([x, z]: readonly [number, number], i: number, k: number): number =>
      (x - i) * (x - i) + (z - k) * (z - k)
    return (i, k) => others.every((other) => far(other, i, k) >= far(own, i, k))
  }

  #baseBuoyancy(now: SceneInputs): number {
    const { box, pointers, store } = this.#fields
    const own = this.#ownColumns(now)
    const [nx, ny, nz] = box.size
    const density = this.#crew.heap.f32(pointers.density, store.cells)
    const level = this.#neckLevel(now) / box.cell - box.origin[1] - 0.5
    if (!Number.isFinite(level)) return 0
    const below = Math.floor(level)
    let sum = 0
    for (const [j, share] of [
      [below, 1 - (level - below)],
      [below + 1, level - below],
    ] as const) {
      if (j < 0 || j >= ny) continue
      for (let k = 0; k < nz; k++) {
        const row = rowOf(store, j, k)
        const first = baseOf(store, row) + 1
        for (let i = Math.max(0, startOf(store, row) - 1), stop = Math.min(nx, stopOf(store, row) - 1); i < stop; i++)
          if (own(i, k)) sum += share * Math.max(0, 1 / (density[first + i] ?? 1) - 1)
      }
    }
    return sum * box.cell * box.cell
  }

  /** A quarter of the first source's breadth over its top, m; of what burns all over, over its foot. */
  #neckLevel(now: SceneInputs): number {
    const shape = this.#settings.sources[0]?.shape
    const y = now.sources[0]?.centre[1] ?? 0
    switch (shape?.kind) {
      case 'disc':
        return y + 0.5 * shape.radius
      case 'ball':
        return y + 1.5 * shape.radius
      case 'box':
        return y + shape.half[1] + 0.5 * Math.min(shape.half[0], shape.half[2])
      case 'line':
        return y + Math.min(...shape.points.map((p) => p[1])) + 0.5 * shape.radius
      default: {
        const bounds = sourceBounds(this.#settings, now, 0)
        return bounds
          ? bounds.low[1] + 0.25 * Math.min(bounds.high[0] - bounds.low[0], bounds.high[2] - bounds.low[2])
          : Number.NaN
      }
    }
  }

  /** The present frame, as it is kept. */
  keep(): GasFrame {
    return encodeFrame(this.#crew, this.#fields, this.#settings)
  }

  state(): GasState {
    const { box, closed, active } = this.#fields
    return {
      done: this.#done,
      box,
      closed,
      budget: { ...this.#budget },
      ...(active ? { active: active.slice() } : {}),
      fields: takeFields(this.#crew, this.#fields),
    }
  }

  /** The level that a flame's height is counted from, m. */
  #footOf(now: SceneInputs, index: number): number {
    const shape = this.#settings.sources[index]?.shape
    const centre = now.sources[index]?.centre ?? [0, 0, 0]
    if (shape?.kind === 'disc' || shape?.kind === 'box' || shape?.kind === 'ball') return centre[1]
    if (shape?.kind === 'line') return centre[1] + Math.min(...shape.points.map((p) => p[1]))
    return sourceBounds(this.#settings, now, index)?.low[1] ?? centre[1]
  }

  /** What of the settings may have made it run away. */
  #cause(speed: number): string {
    const now = sceneInputsAt(this.#settings, this.#done)
    const wind = Math.sqrt(now.wind.reduce((sum, v) => sum + v * v, 0))
    const outlet = Math.max(0, ...now.sources.map((source) => source.speed))
    const force = Math.max(0, ...now.forces.map(({ strength }) => Math.abs(strength)))
    if (wind > speed / 8) return `with a wind of ${wind.toPrecision(3)} m/s`
    if (outlet > speed / 8) return `with a source that sends out at ${outlet.toPrecision(3)} m/s`
    if (force > 20) return `with a force of ${force.toPrecision(3)} m/s²`
    return 'from the heat'
  }

  #findSources(from: SceneInputs, to: SceneInputs): SourceCells[] {
    return this.#settings.sources.map((_, index) =>
      sourceCells(this.#crew, this.#fields, this.#settings, index, from, to),
    )
  }

  /** Widens or cuts the box to what it holds and what may reach in the next frame (`travel`, metres). */
  #fitBox(travel: number, now: SceneInputs): void {
    const crew = this.#crew
    const settings = this.#settings
    const { box, pointers, partial, spans } = this.#fields
    const [nx, ny, nz] = box.size
    crew.run(
      'extent',
      [
        pointers.density,
        pointers.fuel,
        pointers.soot,
        settings.ambient / (settings.ambient + KEEP_HEAT),
        KEEP_FUEL,
        KEEP_SOOT,
        partial,
        spans.cells,
        nx,
        ny,
        nz,
      ],
      nz,
      layersPerChunk(box.size, crew.threads),
    )
    const ranges = crew.heap.i32(partial, nz * 4)
    const low = [nx, ny, nz]
    const high = [-1, -1, -1]
    for (let k = 0; k < nz; k++) {
      if ((ranges[4 * k + 1] ?? -1) < 0) continue
      low[0] = Math.min(low[0] ?? 0, ranges[4 * k] ?? 0)
      high[0] = Math.max(high[0] ?? 0, ranges[4 * k + 1] ?? 0)
      low[1] = Math.min(low[1] ?? 0, ranges[4 * k + 2] ?? 0)
      high[1] = Math.max(high[1] ?? 0, ranges[4 * k + 3] ?? 0)
      low[2] = Math.min(low[2] ?? 0, k)
      high[2] = Math.max(high[2] ?? 0, k)
    }
    const held = {
      low: low.map((v, axis) => v + (box.origin[axis] ?? 0)),
      high: high.map((v, axis) => v + 1 + (box.origin[axis] ?? 0)),
    }
    const wanted = fittedBox(settings, now, box, held, travel)
    if (!wanted) return
    this.#fields = moveFields(crew, this.#mark, this.#fields, wanted, settings, now)
  }

  /** Finds where in the box there is work until the next frame; true where that is elsewhere than before. */
  #findWork(now: SceneInputs): boolean {
    const fields = this.#fields
    const active = workedTiles(this.#crew, fields, this.#settings, roundSources(this.#settings, now), 1 / this.#rate)
    const before = fields.active
    if (
      active === before ||
      (active && before && active.length === before.length && active.every((one, n) => one === before[n]))
    )
      return false
    workIn(this.#crew, fields, this.#settings, now, active)
    return true
  }
}
