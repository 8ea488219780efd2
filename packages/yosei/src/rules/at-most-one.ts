/** One of them was sent, or none. */
import { oneOfWords } from '../catalogue/english.js'
import { type Counted, type Counting, counting, countingInService } from './counted.js'

declare module './rule.js' {
  interface Rules {
    atMostOne: Counted<'atMostOne'>
  }
}
export interface AtMostOneMaker<T> {
  /** One of them was sent, or none. */
  atMostOne: Counting<T>
}

export const atMostOneCode = (count: number) => (count > 1 ? 'more_than_one' : undefined)

/** The rule `atMostOne`, for `use`. */
export const atMostOne = counting('atMostOne', 'more_than_one', atMostOneCode, oneOfWords)
export const atMostOneInService = countingInService<'atMostOne'>(atMostOneCode, { code: 'more_than_one' })
