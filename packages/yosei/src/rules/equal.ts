/** Both the same. Blames the second. */
import type { Address } from '../terms/address.js'
import { type Alike, type Comparing, comparing } from './compare.js'
import type { Blame, Rule } from './rule.js'

declare module './rule.js' {
  interface Rules {
    equal: Comparing<'equal'>
  }
}
export interface EqualMaker<T> {
  /** Both the same. Blames the second. */
  equal<A extends Address<T>, B extends Address<T>>(first: A, second: Alike<T, A, B>, options?: Blame): Rule
}

export const equal = comparing('equal', 'unequal', (found) => found === 0, false)
