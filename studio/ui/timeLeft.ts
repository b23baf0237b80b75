/** Seconds as a person says them; empty while they are not known. */
export const timeLeftText = (seconds: number | null | undefined): string => {
  if (seconds === null || seconds === undefined) return ''
  const whole = Math.max(1, Math.round(seconds))
  const [hours, minutes] = [Math.floor(whole / 3600), Math.floor((whole % 3600) / 60)]
  return `${hours > 0 ? `${hours}:${String(minutes).padStart(2, '0')}` : minutes}:${String(whole % 60).padStart(2, '0')} left`
}
