/** All of them were sent, or none. Blames their nearest common parent, like the other rules on groups. */
import { type Counted, counting } from './counted.js'
import type { Reads, Rule } from './rule.js'

declare module './rule.js' {
  interface Rules {
    together: Counted<'together'>
  }
}
export interface TogetherMaker<T> {
  /** All of them were sent, or none. Blames their nearest common parent, like the other rules on groups. */
  together(...addresses: Reads<T>): Rule
}

export const together = counting('together', 'not_together', (count, all) =>
  count === 0 || count === all ? undefined : 'not_together',
)
