/** Days of the week in declarations, and in words. */
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

/** The weekday of a day, in milliseconds since 1970: the first of January 1970 was a Thursday. */
export const weekdayOf = (time: number): Weekday => weekdays[((Math.floor(time / 86_400_000) % 7) + 10) % 7] as Weekday

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
