import { setImmediate } from 'node:timers/promises'
import type { GasFrame } from '@lantern/core/data'
import { writeGasFrame } from '@lantern/core/formats'
import { type GasFigures, GasSimulation, type GasState } from '@lantern/core/gas'
import { gatherEmitters, glowTable } from '@lantern/core/light'
import { gasSettings, roughSettings, runOf, textKey } from '@lantern/core/pipeline'
import {
  dropLease,
  findShotById,
  gasWorld,
  holdLease,
  type JobPayload,
  keepFrame,
  putBlob,
  queueJob,
  resultRows,
  resultState,
  setResultState,
  type Store,
  takeLease,
  tellShare,
  worldOf,
} from '@lantern/store'
import { nodeDeflate } from '../io/deflate.ts'
import { failureOf, type JobContext, TURN } from './context.ts'
import { loadRestart, saveRestart } from './restart.ts'

const RESTART_EVERY_SECONDS = 25
/** Within a frame that follows a longer one than this it is looked whether to stop, so often. */
const LONG_FRAME_SECONDS = 8
const LOOK_UP_SECONDS = 2
/** Keeping states takes no more than such a part of the time. */
const RESTART_SHARE = 1 / 20
const HOLD_EVERY_MS = 5000
/** So many frames tell how long the rest takes. */
const LATELY = 8
/** Glow in cd/m^2: white at pi lux. */
const LUMINANCE = glowTable(Math.PI, 1)
const FLAME_ALBEDO = 0.3

/** What the run needs, from the document as it was when asked, and the same with larger cells; undefined when the shot has moved on to another recipe. rate: frames a second. */
export async function gasPlan(store: Store, payload: JobPayload<'gas'>) {
  const shot = await findShotById(store, payload.shot)
  const item = shot?.document.items[payload.item]
  if (!shot || item?.kind !== 'gas') return undefined
  const world = await worldOf(store, shot.document)
  const plan = world.gases.find((one) => one.item === payload.item)
  if (plan?.key !== payload.key) return undefined
  const run = runOf(shot.document, item)
  const [over, under] = shot.document.plate.rate
  return {
    settings: gasSettings(shot.document, payload.item, 'full', gasWorld(world)),
    rough: roughSettings(shot.document, payload.item, gasWorld(world)),
    rate: over / under,
    ...run,
    runUp: item.runUp,
    total: item.runUp + run.last - run.first + 1,
    chains: plan.run,
    states: stateKeys(item.runUp, run.first, plan.run),
  }
}

/** By frames done, run-up counted, the key of all that decided a run so far. */
export function stateKeys(runUp: number, first: number, chains: ReadonlyMap<number, string>): Map<number, string> {
  const begins = chains.get(first) ?? ''
  const before = Array.from({ length: runUp }, (_, n): [number, string] => [
    n + 1,
    textKey(`${begins}:run-up ${n + 1}`),
  ])
  return new Map([
    ...before,
    ...[...chains].map(([frame, chain]): [number, string] => [runUp + frame - first + 1, chain]),
  ])
}

/** Luminous intensity of a fire to all sides, cd, as its soot shines: what lights that follow it are driven by. */
function lightOf(frame: GasFrame): number {
  return gatherEmitters(frame, LUMINANCE, FLAME_ALBEDO, 64).reduce(
    (sum, { intensity }) => sum + 0.2126 * intensity[0] + 0.7152 * intensity[1] + 0.0722 * intensity[2],
    0,
  )
}

/** The next frame, or undefined when it was broken off within it: the gas can't go on then. */
async function nextFrame(
  simulation: GasSimulation,
  stop: () => Promise<boolean>,
  lookUpSeconds: number,
): Promise<GasFigures | undefined> {
  const steps = simulation.steps()
  let looked = performance.now()
  for (;;) {
    const step = steps.next()
    if (step.done) return step.value
    if ((performance.now() - looked) / 1000 < lookUpSeconds) continue
    // Signals come in and are heard only between turns.
    await setImmediate()
    if (await stop()) return undefined
    looked = performance.now()
  }
}

/**
 * Computes frames of a gas until it is done, stopped, superseded, or the job's time is over (then its successor is queued).
 * until: a frame after which it is stopped; longFrame: seconds from which on frames are long, so that stopping doesn't wait for them. turn: how long it works at once. Returns true when the whole run is kept.
 */
export async function gasJob(
  context: JobContext,
  payload: JobPayload<'gas'>,
  until?: number,
  longFrame = { seconds: LONG_FRAME_SECONDS, lookUp: LOOK_UP_SECONDS },
  turn: { seconds: number; finish: number } = TURN,
): Promise<boolean> {
  const { store, crew, machine, log } = context
  const { key } = payload
  const before = await resultState(store, key)
  if (before === 'done') return true
  if (before === 'stopped') return false
  const fence = await takeLease(store, key, machine)
  if (fence === undefined) {
    // Another machine has it; look again when its lease would have run out.
    if (!context.progress)
      await queueJob(store, 'gas', payload, { jobKey: `gas-later:${key}`, runAt: new Date(Date.now() + 20_000) })
    return false
  }
  const mark = crew.heap.mark()
  try {
    const plan = await gasPlan(store, payload)
    if (!plan) {
      await setResultState(store, key, 'stopped')
      return false
    }
    await setResultState(store, key, 'running')
    const { total } = plan
    const simulation = new GasSimulation(crew, plan.settings, plan.rate, await loadRestart(context, key, plan.states))
    // What is known of the run-up so far; a run that went on from another one's state doesn't know them all.
    const known = (await resultRows(store, [key])).get(key)?.runUp ?? []
    const runUp = known.length >= Math.min(simulation.done, plan.runUp) ? known.slice(0, simulation.done) : undefined
    const started = performance.now()
    let savedAt = started
    let pause = RESTART_EVERY_SECONDS
    let saved = simulation.done
    const save = async (state: GasState): Promise<void> => {
      const chain = plan.states.get(state.done)
      if (!chain || state.done <= saved) return
      const begun = performance.now()
      // A large state takes longer to write than a lease lasts.
      const holding = setInterval(() => void holdLease(store, key, fence).catch(() => false), HOLD_EVERY_MS)
      try {
        await saveRestart(context, key, fence, chain, state)
      } finally {
        clearInterval(holding)
      }
      saved = state.done
      savedAt = performance.now()
      pause = Math.max(RESTART_EVERY_SECONDS, (savedAt - begun) / 1000 / RESTART_SHARE)
    }
    // Whether a frame is to be broken off; it keeps the lease the while. A database that is away is met at the frame's end.
    const mustStop = async (): Promise<boolean> => {
      if (context.ending()) return true
      try {
        return !(await holdLease(store, key, fence)) || (await resultState(store, key)) === 'stopped'
      } catch {
        return false
      }
    }
    let took = Infinity
    let lately: number[] = []
    let counted = performance.now()
    // Seconds since the frame before was told of: what keeping it took is in them.
    const count = (): number => {
      const now = performance.now()
      const seconds = (now - counted) / 1000
      counted = now
      return seconds
    }
    while (simulation.done < total) {
      const begun = performance.now()
      const long = took >= longFrame.seconds
      const before = long && simulation.done > saved ? simulation.state() : undefined
      const figures = await nextFrame(simulation, mustStop, long ? longFrame.lookUp : Infinity)
      if (!figures) {
        if (before) await save(before)
        return false
      }
      const frame = plan.first + simulation.done - 1 - plan.runUp
      if (frame >= plan.first) {
        const kept = simulation.keep()
        const blob = await putBlob(store, writeGasFrame(kept, nodeDeflate), 'application/x-lantern-gas')
        const light = lightOf(kept)
        const seconds = count()
        if (
          !(await keepFrame(
            store,
            { key, frame, blob, figures: { ...figures, light, seconds }, chain: plan.chains.get(frame) },
            fence,
            seconds,
          ))
        )
          return false
      } else {
        runUp?.push([count(), figures.cells * figures.steps])
        if (
          !(await tellShare(
            store,
            key,
            fence,
            simulation.done / total,
            `run-up ${simulation.done} of ${plan.runUp}`,
            runUp ?? [],
          ))
        )
          return false
      }
      context.progress?.report(simulation.done / total, frame >= plan.first ? `frame ${frame}` : 'run-up')
      log.debug({ key: key.slice(0, 12), frame, seconds: (performance.now() - begun) / 1000 }, 'gas frame')
      const now = performance.now()
      took = (now - begun) / 1000
      const asked = await resultState(store, key)
      lately = [...lately.slice(1 - LATELY), took]
      const rest = ((total - simulation.done) * lately.reduce((sum, one) => sum + one, 0)) / lately.length
      const over = !context.progress && (now - started) / 1000 > turn.seconds && rest > turn.finish
      if (
        asked === 'stopped' ||
        over ||
        context.ending() ||
        simulation.done === total ||
        (now - savedAt) / 1000 > pause
      )
        await save(simulation.state())
      if (until !== undefined && frame >= until && simulation.done < total) {
        await save(simulation.state())
        await setResultState(store, key, 'stopped')
        return false
      }
      if (asked === 'stopped' || context.ending()) return false
      if (over && simulation.done < total) {
        await dropLease(store, key, fence)
        await queueJob(store, 'gas', payload, { jobKey: `gas:${key}:${simulation.done}` })
        return false
      }
    }
    await setResultState(store, key, 'done')
    return true
  } catch (error) {
    const failure = failureOf(error, log)
    log.warn({ key: key.slice(0, 12), error: failure.message }, 'gas failed')
    await setResultState(store, key, 'failed', failure.toJSON())
    if (context.progress) throw failure
    return false
  } finally {
    crew.heap.release(mark)
    const held = await dropLease(store, key, fence)
    // A machine that leaves puts its work back, for another one or for its own next start; a command that is ended has stopped it.
    if (held && context.ending() && (await resultState(store, key)) === 'running') {
      if (context.progress) await setResultState(store, key, 'stopped')
      else await queueJob(store, 'gas', payload, { jobKey: `gas:${key}:back` })
    }
  }
}
