/** One of them was sent, or more. */
import { type Counted, counting } from './counted.js'
import type { Reads, Rule } from './rule.js'

declare module './rule.js' {
  interface Rules {
    atLeastOne: Counted<'atLeastOne'>
  }
}
export interface AtLeastOneMaker<T> {
  /** One of them was sent, or more. */
  atLeastOne(...addresses: Reads<T>): Rule
}

export const atLeastOne = counting('atLeastOne', 'none_present', (count) => (count === 0 ? 'none_present' : undefined))
