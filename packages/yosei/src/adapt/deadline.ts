/** Time limits of which most are never reached: one timer looks after all, so that one costs next to nothing. */

export interface Deadline {
  off(): void
}
interface Waiting extends Deadline {
  readonly at: number
  readonly reached: () => void
}

const waiting = new Set<Waiting>()
let timer: ReturnType<typeof setInterval> | undefined
/** How late a limit may be noticed, in milliseconds. */
const grain = 50

/** Calls `reached` when so many milliseconds have gone, unless it is off by then. */
export function startDeadline(milliseconds: number, reached: () => void): Deadline {
  const one: Waiting = { at: Date.now() + milliseconds, reached, off: () => void waiting.delete(one) }
  waiting.add(one)
  timer ??= setInterval(look, grain)
  return one
}

function look(): void {
  const now = Date.now()
  for (const one of waiting)
    if (one.at <= now) {
      waiting.delete(one)
      one.reached()
    }
  if (waiting.size > 0) return
  clearInterval(timer)
  timer = undefined
}
