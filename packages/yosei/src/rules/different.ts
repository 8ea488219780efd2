/** Not both the same. Blames the second. */
import type { Address } from '../terms/address.js'
import { type Alike, type Comparing, comparing } from './compare.js'
import type { Blame, Rule } from './rule.js'

declare module './rule.js' {
  interface Rules {
    different: Comparing<'different'>
  }
}
export interface DifferentMaker<T> {
  /** Not both the same. Blames the second. */
  different<A extends Address<T>, B extends Address<T>>(first: A, second: Alike<T, A, B>, options?: Blame): Rule
}

export const different = comparing('different', 'equal_not_allowed', (found) => found !== 0, false)
