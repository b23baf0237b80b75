/** Which thread of its crew runs this instance: 0 is the caller. Kernels with scratch of their own take the part of this number. */
export let seat: i32 = 0

export function takeSeat(number: i32): void {
  seat = number
}
