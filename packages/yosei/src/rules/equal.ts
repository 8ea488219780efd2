/** Both the same. Blames the second. */
import { equalWords } from '../catalogue/english.js'
import type { Address } from '../terms/address.js'
import { type Compared, type Comparing, comparing, comparingInService } from './compare.js'
import type { Blame, Rule } from './rule.js'

declare module './rule.js' {
  interface Rules {
    equal: Comparing<'equal'>
  }
}
export interface EqualMaker<T> {
  /** Both the same. Blames the second. */
  equal<const A extends Address<T>, const B extends Address<T>>(
    first: A,
    second: Compared<T, A, B>,
    options?: Blame<T>,
  ): Rule
}

/** The rule `equal`, for `use`. */
export const equal = comparing('equal', 'unequal', (found) => found === 0, false, equalWords)
export const equalInService = comparingInService('equal', 'unequal', { strict: '===', orEqual: '===' }, false)
