/** One of them was sent, and no other. */
import { type Counted, counting } from './counted.js'
import type { Reads, Rule } from './rule.js'

declare module './rule.js' {
  interface Rules {
    exactlyOne: Counted<'exactlyOne'>
  }
}
export interface ExactlyOneMaker<T> {
  /** One of them was sent, and no other. */
  exactlyOne(...addresses: Reads<T>): Rule
}

export const exactlyOne = counting('exactlyOne', 'more_than_one', (count) =>
  count === 0 ? 'none_present' : count > 1 ? 'more_than_one' : undefined,
)
