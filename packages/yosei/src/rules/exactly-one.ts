/** One of them was sent, and no other. */
import { type Counted, type Counting, counting } from './counted.js'

declare module './rule.js' {
  interface Rules {
    exactlyOne: Counted<'exactlyOne'>
  }
}
export interface ExactlyOneMaker<T> {
  /** One of them was sent, and no other. */
  exactlyOne: Counting<T>
}

export const exactlyOne = counting(
  'exactlyOne',
  'more_than_one',
  (count) => (count === 0 ? 'none_present' : count > 1 ? 'more_than_one' : undefined),
  { code: 'rule', variant: 'exactlyOne' },
)
