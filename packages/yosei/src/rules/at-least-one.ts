/** One of them was sent, or more. */
import { atLeastOneWords } from '../catalogue/english.js'
import { type Counted, type Counting, counting, countingInService } from './counted.js'

declare module './rule.js' {
  interface Rules {
    atLeastOne: Counted<'atLeastOne'>
  }
}
export interface AtLeastOneMaker<T> {
  /** One of them was sent, or more. */
  atLeastOne: Counting<T>
}

export const atLeastOneCode = (count: number) => (count === 0 ? 'none_present' : undefined)

/** The rule `atLeastOne`, for `use`. */
export const atLeastOne = counting('atLeastOne', 'none_present', atLeastOneCode, atLeastOneWords)
export const atLeastOneInService = countingInService<'atLeastOne'>(atLeastOneCode, { code: 'none_present' }, 1)
