/**
 * Requests that came in one turn of the event loop go on in a row. One by one, the system would be called between any
 * two of them, to read and to write, and the code that judges would have to come back to the processor's caches each
 * time: a service under load answers by half as many again in a row. One that is idle answers some microseconds later.
 */

// Not the global one: that stands still where a test stops its clocks.
import { setImmediate } from 'node:timers'

let waiting: (() => void)[] = []
/** The most in a row: where handlers return at once, the first is answered when all have been handled. */
const most = 32

/** Does something as soon as what the network has brought so far has been taken in. It must not throw. */
export function soon(work: () => void): void {
  if (waiting.length === 0) setImmediate(goOn)
  waiting.push(work)
}

function goOn(): void {
  const row = waiting.slice(0, most)
  waiting = waiting.slice(most)
  if (waiting.length > 0) setImmediate(goOn)
  for (const work of row) {
    try {
      work()
    } catch (error) {
      // One that breaks must not take the others of its row with it.
      process.nextTick(() => {
        throw error
      })
    }
  }
}
