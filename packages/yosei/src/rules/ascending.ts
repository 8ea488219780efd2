/** low < high, or ≤ with `orEqual`. Blames `high`. */
import { orderWords } from '../catalogue/english.js'
import type { Address } from '../terms/address.js'
import { type Compared, type Comparing, comparing, comparingInService } from './compare.js'
import type { Blame, Rule } from './rule.js'

declare module './rule.js' {
  interface Rules {
    ascending: Comparing<'ascending'>
  }
}
export interface AscendingMaker<T> {
  /** low < high (or ≤ with `orEqual`). Blames `high`. */
  ascending<const A extends Address<T>, const B extends Address<T>>(
    low: A,
    high: Compared<T, A, B>,
    options?: Blame<T> & { orEqual?: boolean | undefined },
  ): Rule
}

/** The rule `ascending`, for `use`. */
export const ascending = comparing(
  'ascending',
  'out_of_order',
  (found, orEqual) => (orEqual ? found <= 0 : found < 0),
  true,
  orderWords,
)
export const ascendingInService = comparingInService('ascending', 'out_of_order', { strict: '<', orEqual: '<=' }, true)
