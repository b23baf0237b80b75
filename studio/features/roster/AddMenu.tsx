'use client'
import { chakra } from '@chakra-ui/react'
import { useRef } from 'react'
import { FileInput } from '@/ui/FileInput.tsx'
import { takeVolumes } from '../effects/gas/volumes.ts'
import { takeParticles } from '../effects/particles/takeIn.ts'
import { PRESETS, placeAtOnce, placingKinds, presetOf } from '../effects/placing.ts'
import { newSignal } from '../effects/signals.ts'
import { BALLS, FORMS, formOf } from '../set/forms.ts'
import { type Tool, useShotParts } from '../shot/shotStore.ts'

const HOW: Readonly<Record<string, string>> = {
  place: 'Click where it stands.',
  line: 'Click along the line on the ground; Enter ends it.',
  piece: 'Click the piece of the set.',
  area: 'Click round the area on the plate; Enter or the first corner ends it.',
}
const Add = chakra('select', {
  base: {
    background: 'transparent',
    borderWidth: '1px',
    borderColor: 'line',
    fontSize: '12px',
    color: 'soft',
    paddingInline: '4px',
    paddingBlock: '2px',
    maxWidth: '112px',
  },
})

/** What can be added besides what has a button of its own: presets, further kinds, gas from elsewhere, a signal. */
export function AddMenu({ effects, forms, light }: { effects: boolean; forms: boolean; light: boolean }) {
  const { shot, frame, set, edit, say } = useShotParts('shot', 'frame', 'set', 'edit', 'say')
  const files = useRef<HTMLInputElement>(null)
  const particleFiles = useRef<HTMLInputElement>(null)
  if (!shot) return null
  const add = (what: string): void => {
    if (what === 'signal') {
      const made = newSignal(shot.document, 'Signal', frame)
      edit({ signals: { [made.id]: made.signal } })
      set({ chosen: `signal.${made.id}` })
    } else if (formOf(what as Tool))
      set({ tool: what as Tool, message: { text: formOf(what as Tool)?.how ?? '', good: true } })
    else if (presetOf(what as Tool)?.tool === 'at once') {
      const preset = presetOf(what as Tool)
      if (preset) placeAtOnce(preset)
    } else if (what === 'elsewhere') files.current?.click()
    else if (what === 'particles-elsewhere') particleFiles.current?.click()
    else
      set({
        tool: what as Tool,
        message: {
          text:
            presetOf(what as Tool)?.tool === 'piece'
              ? (presetOf(what as Tool)?.hint ?? '')
              : (HOW[presetOf(what as Tool)?.tool ?? 'place'] ?? ''),
          good: true,
        },
      })
  }
  return (
    <>
      <Add aria-label="Add" value="" onChange={(event) => add(event.target.value)}>
        <option value="" disabled>
          {effects || forms ? 'Other kinds' : 'Add'}
        </option>
        {effects && (
          <>
            {PRESETS.filter(({ effect }) => effect !== 'relight').map(({ effect, label, presets }) => (
              <optgroup key={effect} label={label}>
                {presets.map((preset) => (
                  <option key={preset.id} value={`preset-${preset.id}`} title={preset.hint}>
                    {preset.name}
                  </option>
                ))}
                {effect === 'gas' && <option value="elsewhere">From elsewhere (OpenVDB)</option>}
                {effect === 'particles' && <option value="particles-elsewhere">From elsewhere (CSV, PLY)</option>}
              </optgroup>
            ))}
            <optgroup label="For a gas">
              {placingKinds.map(({ tool, label }) => (
                <option key={tool} value={tool}>
                  {label}
                </option>
              ))}
            </optgroup>
          </>
        )}
        {light && (
          <optgroup label="Light on what was filmed">
            {PRESETS.filter(({ effect }) => effect === 'relight').flatMap(({ presets }) =>
              presets.map(({ id, name, hint }) => (
                <option key={id} value={`preset-${id}`} title={hint}>
                  {name}
                </option>
              )),
            )}
          </optgroup>
        )}
        <optgroup label="To judge the light by">
          {BALLS.map(({ id, label }) => (
            <option key={id} value={`form-${id}`}>
              {label}
            </option>
          ))}
        </optgroup>
        {forms && (
          <optgroup label="Forms">
            {FORMS.map(({ shape, label, how }) => (
              <option key={shape} value={`form-${shape}`} title={how}>
                {label}
              </option>
            ))}
          </optgroup>
        )}
        <optgroup label="Signals">
          <option value="signal">Signal</option>
        </optgroup>
      </Add>
      <FileInput
        ref={files}
        label="OpenVDB files"
        accept=".vdb"
        onFiles={(chosen) => void takeVolumes(chosen).catch(say)}
      />
      <FileInput
        ref={particleFiles}
        label="Particle files"
        accept=".csv,.ply"
        onFiles={(chosen) => void takeParticles(chosen).catch(say)}
      />
    </>
  )
}
