/** Not both the same. Blames the second. */
import { differWords } from '../catalogue/english.js'
import type { Address } from '../terms/address.js'
import { type Compared, type Comparing, comparing, comparingInService } from './compare.js'
import type { Blame, Rule } from './rule.js'

declare module './rule.js' {
  interface Rules {
    differ: Comparing<'differ'>
  }
}
export interface DifferMaker<T> {
  /** Not both the same. Blames the second. */
  differ<const A extends Address<T>, const B extends Address<T>>(
    first: A,
    second: Compared<T, A, B>,
    options?: Blame<T>,
  ): Rule
}

/** The rule `differ`, for `use`. */
export const differ = comparing('differ', 'equal_not_allowed', (found) => found !== 0, false, differWords)
export const differInService = comparingInService(
  'differ',
  'equal_not_allowed',
  { strict: '!==', orEqual: '!==' },
  false,
)
