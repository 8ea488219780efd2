/** Moments as texts: RFC 3339 has the years from 0000 to 9999. */
import { isInCalendar, writeInstant } from '../grammar/times.js'
import { Unmakeable } from './pick.js'

/** @throws Unmakeable if no text says it. */
export function momentText(time: number): string {
  if (!isInCalendar(time)) throw new Unmakeable('no date lies beyond it')
  return writeInstant(new Date(time))
}
export const dayText = (time: number): string => momentText(time).slice(0, 'YYYY-MM-DD'.length)
