/** One of them was sent, or more. */
import { type Counted, type Counting, counting } from './counted.js'

declare module './rule.js' {
  interface Rules {
    atLeastOne: Counted<'atLeastOne'>
  }
}
export interface AtLeastOneMaker<T> {
  /** One of them was sent, or more. */
  atLeastOne: Counting<T>
}

export const atLeastOne = counting(
  'atLeastOne',
  'none_present',
  (count) => (count === 0 ? 'none_present' : undefined),
  undefined,
  1,
)
