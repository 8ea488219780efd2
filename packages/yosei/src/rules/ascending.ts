/** low < high, or ≤ with `orEqual`. Blames `high`. */
import type { Address, At } from '../terms/address.js'
import { type Comparing, comparing, type Paired } from './compare.js'
import type { Blame, Rule } from './rule.js'

declare module './rule.js' {
  interface Rules {
    ascending: Comparing<'ascending'>
  }
}
export interface AscendingMaker<T> {
  /** low < high (or ≤ with `orEqual`). Blames `high`. */
  ascending<A extends Address<T>, B extends Address<T>>(
    low: A,
    high: Paired<A, B> extends false ? never : NonNullable<At<T, B>> extends NonNullable<At<T, A>> ? B : never,
    options?: Blame & { orEqual?: boolean },
  ): Rule
}

export const ascending = comparing(
  'ascending',
  'out_of_order',
  (found, orEqual) => (orEqual ? found <= 0 : found < 0),
  true,
)
