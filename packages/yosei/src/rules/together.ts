/** All of them were sent, or none. Blames their nearest common parent, like the other rules on groups. */
import { togetherWords } from '../catalogue/english.js'
import { type Counted, type Counting, counting, countingInService } from './counted.js'

declare module './rule.js' {
  interface Rules {
    together: Counted<'together'>
  }
}
export interface TogetherMaker<T> {
  /** All of them were sent, or none. Blames their nearest common parent, like the other rules on groups. */
  together: Counting<T>
}

export const togetherCode = (count: number, all: number) => (count === 0 || count === all ? undefined : 'not_together')

/** The rule `together`, for `use`. */
export const together = counting('together', 'not_together', togetherCode, togetherWords)
export const togetherInService = countingInService<'together'>(togetherCode, { code: 'not_together' })
