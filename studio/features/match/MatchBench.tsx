'use client'
import { Flex } from '@chakra-ui/react'
import { Press } from '@/ui/Press.tsx'
import { COLOURS } from '@/ui/theme.ts'
import { MATCH_STEPS, useShotParts } from '../shot/shotStore.ts'
import { GroundStep } from './bench/GroundStep.tsx'
import { HandOut } from './bench/HandOut.tsx'
import { LineUpStep } from './bench/LineUpStep.tsx'
import { MovingObjectsStep } from './bench/MovingObjectsStep.tsx'
import { OtherCameras } from './bench/OtherCameras.tsx'
import { ProofStep } from './bench/ProofStep.tsx'
import { SolveStep } from './bench/SolveStep.tsx'
import { TrackStep } from './bench/TrackStep.tsx'
import { useShownMatch } from './matchData.ts'

/** The Match station's bench: track, solve, ground, proof. */
export function MatchBench() {
  const { matchStep, set, chosen, shot } = useShotParts('matchStep', 'set', 'chosen', 'shot')
  // A typed camera is typed here; it comes first where it is the one in use, or chosen.
  const cameraFirst = chosen === 'camera' || shot?.document.camera.kind === 'typed'
  const shown = useShownMatch()
  return (
    <>
      <Flex
        as="nav"
        aria-label="Steps of the match"
        gap="2px"
        padding="8px 10px"
        borderBottomWidth="1px"
        borderColor="hair"
      >
        {MATCH_STEPS.map((step) => (
          <Press
            key={step}
            plain
            aria-current={step === matchStep ? 'step' : undefined}
            onClick={() => set({ matchStep: step, tool: 'choose' })}
            style={step === matchStep ? { color: COLOURS.text, fontWeight: 650 } : undefined}
          >
            {step === matchStep ? (
              <>
                <span style={{ color: COLOURS.faint }}>[ </span>
                {step}
                <span style={{ color: COLOURS.faint }}> ]</span>
              </>
            ) : (
              step
            )}
          </Press>
        ))}
      </Flex>
      {cameraFirst && <OtherCameras />}
      {matchStep === 'Track' ? (
        <TrackStep shown={shown} />
      ) : matchStep === 'Solve' ? (
        <SolveStep shown={shown} />
      ) : matchStep === 'Ground' ? (
        <GroundStep shown={shown} />
      ) : matchStep === 'Proof' ? (
        <ProofStep shown={shown} />
      ) : matchStep === 'Things' ? (
        <MovingObjectsStep />
      ) : (
        <LineUpStep />
      )}
      {matchStep !== 'Track' && matchStep !== 'Things' && <HandOut shown={shown} />}
      {!cameraFirst && matchStep !== 'Proof' && matchStep !== 'Things' && <OtherCameras />}
    </>
  )
}
