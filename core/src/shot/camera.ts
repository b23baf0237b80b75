import { z } from 'zod'
import { corner, id, itemOf, number, type SettingMeta, vec3 } from '../settings/index.ts'

export const lensSchema = z
  .object({ k1: z.number().min(-1).max(1).default(0), k2: z.number().min(-1).max(1).default(0) })
  .strict()

const quaternion = z.tuple([z.number(), z.number(), z.number(), z.number()])
/** A result's or a blob's key. */
export const keySchema = z.string().regex(/^[0-9a-f]{64}$/)

const worldAxis = z.enum(['x', 'y', 'z'])

/** Typed for a locked-off plate, a path taken in from a file (an asset of the shot), solved from the plate, or lined up by the plate's edges. */
export const cameraSchema = z
  .object({
    kind: z.enum(['none', 'typed', 'path', 'solved', 'lined']).default('none'),
    /** px over the full frame's width. */
    focal: number(0.1, 20, 0.85, {
      label: 'Focal length',
      unit: '× width',
      span: [0.3, 4],
      step: 0.005,
      hint: 'In picture widths: 0.85 is a wide lens, 2 a long one.',
      group: 'Camera',
      touches: 'picture',
    }),
    height: number(-100, 1000, 1.6, {
      label: 'Height',
      unit: 'm',
      span: [0.1, 5],
      step: 0.01,
      hint: 'Of the lens above the ground.',
      group: 'Camera',
      touches: 'picture',
    }),
    tilt: number(-90, 90, 0, {
      label: 'Tilt',
      unit: '°',
      span: [-30, 30],
      step: 0.05,
      hint: 'Up is positive.',
      group: 'Camera',
      touches: 'picture',
    }),
    /** The flat track whose motion a typed or lined-up camera takes as a move in the picture, and the frame at which the camera was set. */
    shake: z
      .object({
        hand: id,
        frame: z.number().int(),
        model: z.enum(['place', 'turn']).default('turn'),
      })
      .strict()
      .optional(),
    roll: number(-180, 180, 0, {
      label: 'Roll',
      unit: '°',
      span: [-10, 10],
      step: 0.05,
      hint: 'About the view axis.',
      group: 'Camera',
      touches: 'picture',
    }),
    shutter: number(0, 360, 180, {
      label: 'Shutter',
      unit: '°',
      span: [0, 360],
      step: 5,
      hint: 'How long it stays open, 360 a whole frame: what is added moves while it does.',
      group: 'Camera',
      touches: 'picture',
    }),
    /** Camera notes: 0 is not known. */
    fNumber: number(0, 64, 0, {
      label: 'f-number',
      unit: '',
      span: [0, 22],
      step: 0.1,
      hint: 'With focus and sensor it says how far things are out of focus; 0: not known, all is sharp.',
      group: 'Notes',
      touches: 'picture',
    }),
    focus: number(0, 10000, 0, {
      label: 'Focus',
      unit: 'm',
      span: [0, 50],
      step: 0.01,
      hint: 'Distance that is sharp; 0: not known.',
      group: 'Notes',
      touches: 'picture',
    }),
    focusOn: itemOf(['thing', 'box', 'form', 'lamp', 'gas'], {
      label: 'Focus on',
      hint: 'The distance that is sharp goes along with it; none: as typed.',
      group: 'Notes',
      touches: 'picture',
    }),
    sensor: number(0, 200, 0, {
      label: 'Sensor',
      unit: 'mm',
      span: [0, 60],
      step: 0.1,
      hint: 'Width of the part of the sensor that the plate shows; 0: not known.',
      group: 'Notes',
      touches: 'picture',
    }),
    blades: number(0, 16, 0, {
      label: 'Blades',
      unit: '',
      span: [0, 11],
      step: 1,
      hint: 'Of the iris: corners of what is out of focus; 0: round.',
      group: 'Notes',
      touches: 'picture',
    }),
    squeeze: number(1, 2, 1, {
      label: 'Squeeze',
      unit: '×',
      span: [1, 2],
      step: 0.01,
      hint: 'How many times taller than wide a blur disc is.',
      group: 'Notes',
      touches: 'picture',
    }),
    /** A picture of the blur disc, in place of the blades: 48 x 48 bytes as base64. */
    disc: z
      .object({
        file: z.string().max(200),
        values: z.string().regex(/^[A-Za-z0-9+/]{3072}$/),
      })
      .strict()
      .optional(),
    k1: number(-1, 1, 0, {
      label: 'Lens k1',
      unit: '',
      span: [-0.3, 0.3],
      step: 0.001,
      hint: 'Barrel is negative.',
      group: 'Camera',
      touches: 'picture',
    }),
    k2: number(-1, 1, 0, {
      label: 'Lens k2',
      unit: '',
      span: [-0.1, 0.1],
      step: 0.001,
      hint: 'Second term, for the corners.',
      group: 'Camera',
      touches: 'picture',
    }),
    /** The store's blob of the path, and what it was called. */
    path: z
      .object({
        blob: keySchema,
        file: z.string(),
        scale: number(0.001, 1000, 1, {
          label: 'Scale',
          unit: '×',
          span: [0.01, 100],
          step: 0.01,
          hint: 'Times the file’s own size: 0.01 where it was written in centimetres without saying so.',
          group: 'Taken in',
          touches: 'picture',
        }),
        offset: z
          .number()
          .int()
          .min(-1_000_000)
          .max(1_000_000)
          .default(0)
          .meta({
            label: 'Frames later',
            unit: 'fr',
            span: [-100, 100],
            step: 1,
            hint: 'Added to the file’s frame numbers.',
            group: 'Taken in',
            touches: 'picture',
          } satisfies SettingMeta),
        up: z
          .enum(['y', 'z'])
          .default('y')
          .meta({
            label: 'Up in the file',
            hint: 'Choose z where the file is Z up without saying so and the camera lies on its back.',
            group: 'Taken in',
            touches: 'picture',
          } satisfies SettingMeta),
      })
      .strict()
      .optional(),
    /** Lines drawn along edges that run right (x), up (y) or towards the camera (z), the world's origin, and a length from it along an axis; px of the full frame. focal: in picture widths, where it is known. */
    lineUp: z
      .object({
        lines: z
          .array(
            z.object({ axis: worldAxis, ends: z.tuple([z.number(), z.number(), z.number(), z.number()]) }).strict(),
          )
          .max(60)
          .default([]),
        origin: corner.optional(),
        length: z
          .object({ axis: worldAxis, to: corner, metres: z.number().positive().max(100000) })
          .strict()
          .optional(),
        focal: z.number().min(0.1).max(20).optional(),
      })
      .strict()
      .optional(),
    /** The kept solve (a result's key), that of its tracks, and what takes its world to the shot's: level, placed, in metres. */
    solve: z
      .object({
        key: keySchema,
        tracks: keySchema,
        medianPx: z.number(),
        by: z.object({ scale: z.number().positive(), rotation: quaternion, shift: vec3 }).strict(),
        /** Root mean square distance of the ground's points from it, m, and how many were left out as wrong; none until a ground is given. */
        ground: z.object({ rms: z.number(), left: z.number().int() }).strict().optional(),
      })
      .strict()
      .optional(),
  })
  .strict()

export type CameraSettings = z.infer<typeof cameraSchema>
export type LineUpLines = NonNullable<CameraSettings['lineUp']>
