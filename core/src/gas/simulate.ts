import { type Crew, LanternError, type Progress, silent, stopIfCancelled } from '../base/index.ts'
import type { CellBox, GasFrame } from '../data/index.ts'
import { workedTiles } from './activeTiles.ts'
import { cellsOf, fittedBox, roundSources, sourceBox } from './box.ts'
import { encodeFrame } from './encodeFrame.ts'
import { settleOutside, stopAtWalls } from './faces.ts'
import { allocateFields, type GasFields, KEPT_FIELDS, moveFields, moveWalls, takeFields, workIn } from './fields.ts'
import { flameFigures, type GasFigures, heldCells, noFigures } from './figures.ts'
import { pacesOf, stepsFor } from './paces.ts'
import { WORK_TILE } from './rowTables.ts'
import { sceneInputsAt, sceneInputsBetween, solidsMoved } from './sceneInputs.ts'
import type { GasSettings, SceneInputs } from './settings.ts'
import { type SourceCells, sourceCells } from './sources.ts'
import { emptyBudget, type GasBudget, recount, stepGas } from './step.ts'
import { fastestSpeed } from './velocity.ts'

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
    const figures = noFigures()
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
    Object.assign(figures, flameFigures({ crew, fields: this.#fields, settings, now: next }))
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
    const { box } = this.#fields
    const held = heldCells(crew, this.#fields, settings)
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
