/** One of them was sent, or none. */
import { type Counted, counting } from './counted.js'
import type { Reads, Rule } from './rule.js'

declare module './rule.js' {
  interface Rules {
    atMostOne: Counted<'atMostOne'>
  }
}
export interface AtMostOneMaker<T> {
  /** One of them was sent, or none. */
  atMostOne(...addresses: Reads<T>): Rule
}

export const atMostOne = counting('atMostOne', 'more_than_one', (count) => (count > 1 ? 'more_than_one' : undefined))
