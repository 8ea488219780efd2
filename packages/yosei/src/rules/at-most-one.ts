/** One of them was sent, or none. */
import { type Counted, type Counting, counting } from './counted.js'

declare module './rule.js' {
  interface Rules {
    atMostOne: Counted<'atMostOne'>
  }
}
export interface AtMostOneMaker<T> {
  /** One of them was sent, or none. */
  atMostOne: Counting<T>
}

export const atMostOne = counting('atMostOne', 'more_than_one', (count) => (count > 1 ? 'more_than_one' : undefined))
