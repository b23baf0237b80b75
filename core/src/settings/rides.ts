import { z } from 'zod'
import {
  aboutAxis,
  add,
  anglesOf,
  atan2,
  conjugate,
  degrees,
  multiply,
  panTiltRoll,
  type Quaternion,
  radians,
  rotate,
  scale,
  subtract,
  type Vec3,
} from '../math/index.ts'

// Riding: an item is held by another one, or by a matched object, over some frames; afterwards it goes its own way from there, or flies free.

const ride = z
  .object({
    /** An item's id, match.ID of a matched object, or track.ID of a track set by hand. */
    on: z.string().regex(/^(match\.|track\.)?[a-z0-9-]{1,40}$/),
    from: z.number().int(),
    to: z.number().int(),
    ends: z.enum(['own', 'flight']).default('own'),
    /** Of a track: in place alone; turned and as near too; in perspective too. And all of its way, or what it trembles about that. */
    way: z.enum(['place', 'turn', 'perspective']).optional(),
    takes: z.enum(['travel', 'jitter']).optional(),
  })
  .strict()
  .refine(({ from, to }) => to >= from, { message: 'It is let go after it is taken.', path: ['to'] })
export type Ride = z.infer<typeof ride>
export const rides = z
  .array(ride)
  .max(20)
  .refine(
    (all) => all.every((one, n) => n === 0 || one.from > (all[n - 1]?.to ?? 0)),
    'One holds it at a time, in the order of their frames.',
  )
  .optional()

/** Where something is and how it is turned. */
export interface WorldPose {
  position: Vec3
  rotation: Quaternion
}
interface Placed {
  position: Vec3
  turn?: number
  tilt?: number
  roll?: number
}

const GRAVITY = 9.81

export const poseOfPlaced = ({ position, turn = 0, tilt = 0, roll = 0 }: Placed): WorldPose => ({
  position,
  rotation: panTiltRoll(radians(turn), radians(tilt), radians(roll)),
})
/** a after b. */
const after = (a: WorldPose, b: WorldPose): WorldPose => ({
  position: add(a.position, rotate(a.rotation, b.position)),
  rotation: multiply(a.rotation, b.rotation),
})
const back = ({ position, rotation }: WorldPose): WorldPose => {
  const turned = conjugate(rotation)
  return { position: scale(rotate(turned, position), -1), rotation: turned }
}

/** The pose t seconds after it was let go with the speed and the turn that it had: `before` is dt seconds earlier. It lies where it comes down on level ground 0. */
function inFlight(gone: WorldPose, before: WorldPose, dt: number, t: number): WorldPose {
  const speed = scale(subtract(gone.position, before.position), 1 / dt)
  const [y, up] = [Math.max(0, gone.position[1]), speed[1]]
  const landing = (up + Math.sqrt(up * up + 2 * GRAVITY * y)) / GRAVITY
  const time = Math.min(t, landing)
  const turned = multiply(gone.rotation, conjugate(before.rotation))
  const sine = Math.sqrt(turned[0] ** 2 + turned[1] ** 2 + turned[2] ** 2)
  // A half turn and more between two moments is taken the shorter way round.
  const angle = 2 * atan2(sine, Math.abs(turned[3])) * (turned[3] < 0 ? -1 : 1)
  const axis: Vec3 = sine > 1e-9 ? [turned[0] / sine, turned[1] / sine, turned[2] / sine] : [0, 1, 0]
  return {
    position: [
      gone.position[0] + speed[0] * time,
      y + up * time - 0.5 * GRAVITY * time * time,
      gone.position[2] + speed[2] * time,
    ],
    rotation: multiply(aboutAxis(axis, (angle / dt) * time), gone.rotation),
  }
}

/**
 * Where an item is at a frame with what holds it. own: where it is by itself; holder: where what it rides on is, for one that was at `taken` when it was taken; undefined where that is not known (then it is not held); rate: frames per second.
 * It never jumps: it is taken where it is, and goes on from where it is let go.
 */
export function riddenPose(
  all: readonly Ride[],
  frame: number,
  rate: number,
  own: (frame: number) => WorldPose,
  holder: (ride: Ride, frame: number, taken: WorldPose) => WorldPose | undefined,
): WorldPose {
  let free: (at: number) => WorldPose = own
  for (const ride of all) {
    const { from, to, ends } = ride
    if (frame < from) break
    const start = free(from)
    const begun = holder(ride, from, start)
    if (!begun) continue
    const taken = after(back(begun), start)
    const held = (at: number): WorldPose => after(holder(ride, at, start) ?? begun, taken)
    if (frame <= to) return held(frame)
    const gone = held(to)
    if (ends === 'flight') {
      const dt = 0.5 / rate
      const before = held(to - 0.5)
      free = (at) => inFlight(gone, before, dt, (at - to) / rate)
    } else {
      const offset = after(gone, back(own(to)))
      free = (at) => after(offset, own(at))
    }
  }
  return free(frame)
}

/** An item put at a pose: its place and angles, and where it shines, which goes with it. */
export function putAt<T extends Placed>(item: T, pose: WorldPose): T {
  const near = [radians(item.turn ?? 0), radians(item.tilt ?? 0), radians(item.roll ?? 0)] as const
  const [turn, tilt, roll] = anglesOf(pose.rotation, near).map(degrees)
  const moved = after(pose, back(poseOfPlaced(item)))
  const aim = (item as { aim?: Vec3 }).aim
  return {
    ...item,
    position: pose.position,
    turn,
    ...('tilt' in item ? { tilt, roll } : {}),
    ...(aim ? { aim: add(moved.position, rotate(moved.rotation, aim)) } : {}),
  }
}
