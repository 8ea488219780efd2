/** Not both the same. Blames the second. */
import type { Address } from '../terms/address.js'
import { type AlikeTo, type Comparing, comparing } from './compare.js'
import type { Blame, Rule } from './rule.js'

declare module './rule.js' {
  interface Rules {
    different: Comparing<'different'>
  }
}
export interface DifferentMaker<T> {
  /** Not both the same. Blames the second. */
  different<const A extends Address<T>>(first: A, second: AlikeTo<T, A>, options?: Blame<T>): Rule
}

export const different = comparing(
  'different',
  'equal_not_allowed',
  { strict: '!==', orEqual: '!==' },
  (found) => found !== 0,
  false,
)
