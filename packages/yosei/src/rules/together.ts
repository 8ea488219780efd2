/** All of them were sent, or none. Blames their nearest common parent, like the other rules on groups. */
import { type Counted, type Counting, counting } from './counted.js'

declare module './rule.js' {
  interface Rules {
    together: Counted<'together'>
  }
}
export interface TogetherMaker<T> {
  /** All of them were sent, or none. Blames their nearest common parent, like the other rules on groups. */
  together: Counting<T>
}

export const together = counting('together', 'not_together', (count, all) =>
  count === 0 || count === all ? undefined : 'not_together',
)
