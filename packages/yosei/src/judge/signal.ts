/**
 * A signal that is made when somebody listens: most handlers never do, and making one costs as much as a small
 * judgement.
 */
export class LateSignal<S = unknown> {
  readonly #listen: Listen<S> | undefined
  readonly #source: S | undefined
  #controller: AbortController | undefined
  #gone: { readonly reason: unknown } | undefined

  /** @param listen Finds out of `source`, from the time when somebody listens here, whether the client has gone. */
  constructor(listen?: Listen<S>, source?: S) {
    this.#listen = listen
    this.#source = source
  }

  get signal(): AbortSignal {
    if (!this.#controller) {
      this.#controller = new AbortController()
      if (this.#gone) this.#controller.abort(this.#gone.reason)
      this.#listen?.((reason) => this.abort(reason), this.#source as S)
    }
    return this.#controller.signal
  }

  abort(reason: unknown): void {
    this.#gone ??= { reason }
    this.#controller?.abort(reason)
  }
}
type Listen<S> = (abort: (reason: unknown) => void, source: S) => void

/** Timers that are to run longer fire at once. */
export const longestTimer = 2 ** 31 - 1

/**
 * Asks the outside world. It has so many milliseconds; its signal fires when they are over, and when the client goes.
 *
 * @throws what it threw, or that it took too long.
 */
export async function askWithin<T>(
  [name, milliseconds]: readonly [what: string, milliseconds: number],
  outer: AbortSignal,
  ask: (signal: AbortSignal) => T | Promise<T>,
): Promise<T> {
  const controller = new AbortController()
  const gone = () => controller.abort(outer.reason)
  if (outer.aborted) gone()
  else outer.addEventListener('abort', gone, { once: true })
  let timer: ReturnType<typeof setTimeout> | undefined
  const late = new Promise<never>((_, refuse) => {
    timer = setTimeout(
      () => {
        const error = new Error(`${name} had no answer within ${milliseconds} ms`)
        refuse(error)
        controller.abort(error)
      },
      Math.min(milliseconds, longestTimer),
    )
  })
  try {
    return await Promise.race([(async () => ask(controller.signal))(), late])
  } finally {
    clearTimeout(timer)
    outer.removeEventListener('abort', gone)
  }
}

/** Follows another signal. */
export const following = (outer: AbortSignal | undefined): LateSignal =>
  (outer ? new LateSignal(follow, outer) : new LateSignal()) as LateSignal

function follow(abort: (reason: unknown) => void, outer: AbortSignal): void {
  if (outer.aborted) abort(outer.reason)
  else outer.addEventListener('abort', () => abort(outer.reason), { once: true })
}
