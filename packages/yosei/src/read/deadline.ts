/** Time limits of which most are never reached: one timer looks after all, so that one costs next to nothing. */

/** A limit of time. */
export interface Deadline {
  /** Nothing happens any more. */
  off(): void
}

class Waiting implements Deadline {
  constructor(
    readonly at: number,
    public reached: (() => void) | undefined,
  ) {}

  /**
   * What would have happened is let go at once: it may hold a whole request, and the list is only cleared now and then.
   */
  off(): void {
    this.reached = undefined
    // Most are over before another begins, so the list stays short between two looks.
    while (waiting.length > 0 && waiting.at(-1)?.reached === undefined) waiting.pop()
    // A process whose work is done need not wait for the next look.
    if (waiting.length === 0) timer?.unref?.()
  }
}

let waiting: Waiting[] = []
let timer: ReturnType<typeof setInterval> | undefined
/** When it last fired. */
let looked = 0
/** How late a limit may be noticed, in milliseconds. */
const grain = 50

let isShared = true
/** For platforms that end a timer with the request that started it: each limit has a timer of its own. */
export function keepTimersApart(): void {
  isShared = false
}

/** Calls `reached` when so many milliseconds have gone, unless it is off by then. */
export function startDeadline(milliseconds: number, reached: () => void): Deadline {
  if (!isShared) return startTimer(milliseconds, reached)
  const now = Date.now()
  const one = new Waiting(now + milliseconds, reached)
  waiting.push(one)
  // A timer that was started while a test had stopped the clocks never fires.
  if (timer === undefined || now - looked > 20 * grain) {
    clearInterval(timer)
    timer = setInterval(look, grain)
    looked = now
  } else if (waiting.length === 1) timer.ref?.()
  return one
}

/** As `startDeadline`, with a timer of its own: for what must be noticed at once. */
export function startTimer(milliseconds: number, reached: () => void): Deadline {
  const timer = setTimeout(reached, milliseconds)
  return { off: () => clearTimeout(timer) }
}

function look(): void {
  const now = Date.now()
  looked = now
  const due = waiting.filter(({ at, reached }) => reached && at <= now)
  waiting = waiting.filter(({ at, reached }) => reached && at > now)
  // In the order in which they were due, also when nothing of the process could run for long.
  if (due.length > 1) due.sort((one, other) => one.at - other.at)
  for (const { reached } of due) reached?.()
  if (waiting.length > 0) return
  clearInterval(timer)
  timer = undefined
}
