/** Moments as texts: RFC 3339 has the years from 0000 to 9999. */
import { firstDay, lastDay, writeInstant } from '../grammar/times.js'
import { Unmakeable } from './pick.js'

/** In milliseconds. */
export const day = 24 * 3_600_000
const last = lastDay + day - 1

/** @throws Unmakeable if no text says it. */
export function momentText(time: number): string {
  if (!(time >= firstDay && time <= last)) throw new Unmakeable('no date lies beyond it')
  return writeInstant(new Date(time))
}
export const dayText = (time: number): string => momentText(time).slice(0, 'YYYY-MM-DD'.length)

/** The nearest moment that has a text. */
export const intoCalendar = (time: number): number => Math.max(firstDay, Math.min(last, time))
