import { useEffect } from 'react'
import { nudgeHand } from '../match/manualTracks.ts'
import { useShot } from '../shot/shotStore.ts'
import { STATIONS } from '../shot/stations.ts'

export const SHORTCUTS: readonly [string, string][] = [
  ['1 – 9', 'the stations, in order'],
  ['Space', 'play, stop'],
  ['J  K  L', 'backward, stop, forward'],
  ['← →', 'one frame; with Shift ten'],
  ['Home  End', 'first, last frame'],
  ['[  ]', 'begin and end the loop here'],
  ['Ctrl Z', 'undo'],
  ['Ctrl Shift Z', 'redo'],
  ['B', 'beside the bare plate by a wipe'],
  ['D', 'difference to the bare plate'],
  ['T', 'triptych'],
  ['O', 'outside'],
  ['F', 'the picture in the whole window'],
  ['Alt ← ↑ → ↓', 'nudge the chosen track a tenth of a pixel'],
  ['Alt Shift ← ↑ → ↓', 'nudge it by one'],
  ['H', 'hide or show the chosen thing'],
  ['Delete', 'remove the chosen thing'],
  ['Esc', 'put a tool away; choose nothing'],
  ['?', 'this sheet'],
]

const NUDGES: Readonly<Record<string, readonly [number, number]>> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
}

/** The keyboard of the shot. Keys typed into fields stay there. */
export function useKeys(): void {
  useEffect(() => {
    const press = (event: KeyboardEvent): void => {
      const target = event.target as HTMLElement
      if (/^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName)) return
      const state = useShot.getState()
      const { shot, frame, loop, set, moveTo, history, edit, chosen, view, compare } = state
      if (!shot) return
      const { first, last } = shot.document.plate
      const item = shot.document.items[chosen]
      const [kind, id = ''] = chosen.split('.')
      const removal =
        kind === 'keepout'
          ? { match: { keepOuts: { [id]: null } } }
          : kind === 'hand'
            ? { match: { hands: { [id]: null } } }
            : kind === 'thing'
              ? { match: { things: { [id]: null } } }
              : kind === 'reading'
                ? { readings: { [id]: null } }
                : kind === 'proof'
                  ? { match: { proofs: { [id]: null } } }
                  : item && !item.locked
                    ? { items: { [chosen]: null } }
                    : undefined
      const step = event.shiftKey ? 10 : 1
      const done = (work: () => void): void => {
        event.preventDefault()
        work()
      }
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z')
        return done(() => history(event.shiftKey ? 'redo' : 'undo'))
      const nudge = event.altKey && kind === 'hand' ? NUDGES[event.key] : undefined
      if (nudge)
        return done(() => nudgeHand(id, nudge[0] * (event.shiftKey ? 1 : 0.1), nudge[1] * (event.shiftKey ? 1 : 0.1)))
      if (event.ctrlKey || event.metaKey || event.altKey) return
      const number = Number(event.key)
      const station = number >= 1 ? STATIONS[number - 1] : undefined
      if (station) return done(() => state.go(station))
      const onButton = target.tagName === 'BUTTON' && (event.key === ' ' || event.key === 'Enter')
      if (onButton) return
      const table: Record<string, () => void> = {
        ' ': () => set({ playing: state.playing ? 0 : 1 }),
        l: () => set({ playing: state.playing > 0 ? Math.min(4, state.playing * 2) : 1 }),
        j: () => set({ playing: state.playing < 0 ? Math.max(-4, state.playing * 2) : -1 }),
        k: () => set({ playing: 0 }),
        ArrowLeft: () => (set({ playing: 0 }), moveTo(frame - step)),
        ArrowRight: () => (set({ playing: 0 }), moveTo(frame + step)),
        Home: () => moveTo(first),
        End: () => moveTo(last),
        '[': () => set({ loop: [Math.min(frame, loop[1]), loop[1]] }),
        ']': () => set({ loop: [loop[0], Math.max(frame, loop[0])] }),
        b: () => set({ compare: compare === 'wipe' ? 'none' : 'wipe' }),
        d: () => set({ compare: compare === 'difference' ? 'none' : 'difference' }),
        t: () => set({ view: view === 'triptych' ? 'camera' : 'triptych' }),
        o: () => set({ view: view === 'outside' ? 'camera' : 'outside' }),
        f: () => set({ whole: !state.whole }),
        h: () => item && edit({ items: { [chosen]: { shown: !item.shown } } }),
        Delete: () => removal && (edit(removal), set({ chosen: '' })),
        Escape: () =>
          set(
            state.whole
              ? { whole: false }
              : state.sheet || state.tool !== 'choose'
                ? { tool: 'choose', sheet: false }
                : { chosen: '' },
          ),
        '?': () => set({ sheet: !state.sheet }),
      }
      const work = table[event.key] ?? table[event.key.toLowerCase()]
      if (work) done(work)
    }
    window.addEventListener('keydown', press)
    return () => window.removeEventListener('keydown', press)
  }, [])
}
