/** One of them was sent, and no other. */
import { atLeastOneWords, oneOfWords } from '../catalogue/english.js'
import { merged } from '../terms/option-types.js'
import { type Counted, type Counting, counting, countingInService } from './counted.js'

declare module './rule.js' {
  interface Rules {
    exactlyOne: Counted<'exactlyOne'>
  }
}
export interface ExactlyOneMaker<T> {
  /** One of them was sent, and no other. */
  exactlyOne: Counting<T>
}

export const exactlyOneCode = (count: number) =>
  count === 0 ? 'none_present' : count > 1 ? 'more_than_one' : undefined

const words = /* @__PURE__ */ merged(oneOfWords, atLeastOneWords)
/** The rule `exactlyOne`, for `use`. */
export const exactlyOne = counting('exactlyOne', 'more_than_one', exactlyOneCode, words)
export const exactlyOneInService = countingInService<'exactlyOne'>(exactlyOneCode, {
  code: 'rule',
  variant: 'exactlyOne',
})
