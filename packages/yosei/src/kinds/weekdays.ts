/** Days of the week in declarations, and in words. */
import { dayLength } from '../grammar/times.js'
import { type Weekday, weekdays } from '../terms/weekdays.js'
import { alternatives, Phrase, type Speech } from './phrase.js'

export const weekdayWords = {
  'weekday.mon': 'Monday',
  'weekday.tue': 'Tuesday',
  'weekday.wed': 'Wednesday',
  'weekday.thu': 'Thursday',
  'weekday.fri': 'Friday',
  'weekday.sat': 'Saturday',
  'weekday.sun': 'Sunday',
}

/** A week, in milliseconds. */
export const weekLength = 7 * dayLength
/** How far a moment lies in its week, in milliseconds from Monday on. The first of January 1970 was a Thursday. */
export const inWeek = (time: number): number => (((time + 3 * dayLength) % weekLength) + weekLength) % weekLength
/** The weekday of a moment, in milliseconds since 1970. */
export const weekdayOf = (time: number): Weekday => weekdays[Math.floor(inWeek(time) / dayLength)] as Weekday

/** Some days in words: `Monday or Friday`. */
export class Weekdays extends Phrase {
  constructor(readonly days: readonly Weekday[]) {
    super()
  }
  words(speech: Speech): string {
    return alternatives(
      this.days.map((one) => speech.say(`weekday.${one}`, {})),
      speech,
    )
  }
}
