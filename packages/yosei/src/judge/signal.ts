import { startDeadline } from '../read/deadline.js'
import { late } from '../terms/late.js'

/**
 * A signal that is made when code listens: most handlers never do, and making one costs as much as a small
 * judgement.
 */
export class LateSignal<S = unknown> {
  readonly #listen: Listen<S> | undefined
  readonly #source: S | undefined
  #controller: AbortController | undefined
  #gone: { readonly reason: unknown } | undefined

  /** @param listen Finds out of `source`, from the time when code listens here, whether the client has gone. */
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
/** Gives what the outside world is asked with its signal, which is made when it is looked at. */
export const withSignal = late('signal', (own: LateSignal) => own.signal)
type Listen<S> = (abort: (reason: unknown) => void, source: S) => void

/**
 * Asks the outside world. It has so many milliseconds; its signal fires when they are over, and when the client goes.
 * Neither signal is made before code looks at it.
 *
 * @throws what it threw, or that it took too long.
 */
export function askWithin<T>(
  [name, milliseconds]: readonly [what: string, milliseconds: number],
  outer: LateSignal,
  ask: (signal: LateSignal) => T | Promise<T>,
): Promise<T> {
  return new Promise((resolve, refuse) => {
    let stop: (() => void) | undefined
    const own = new LateSignal<undefined>((abort) => {
      stop = followed(outer.signal, abort)
    })
    const deadline = startDeadline(milliseconds, () => {
      const error = new Error(`${name} had no answer within ${milliseconds} ms`)
      refuse(error)
      own.abort(error)
    })
    const done = () => {
      deadline.off()
      stop?.()
    }
    const fail = (cause: unknown) => {
      done()
      refuse(cause)
    }
    try {
      const asked = ask(own as LateSignal)
      if (isPromise(asked))
        asked.then((value) => {
          done()
          resolve(value)
        }, fail)
      else {
        done()
        resolve(asked)
      }
    } catch (cause) {
      fail(cause)
    }
  })
}

const isPromise = <T>(value: T | Promise<T>): value is Promise<T> =>
  typeof value === 'object' && value !== null && typeof (value as { then?: unknown }).then === 'function'

/** Goes on where another signal fires; gives what ends that. */
function followed(outer: AbortSignal, abort: (reason: unknown) => void): (() => void) | undefined {
  if (outer.aborted) {
    abort(outer.reason)
    return undefined
  }
  const gone = () => abort(outer.reason)
  outer.addEventListener('abort', gone, { once: true })
  return () => outer.removeEventListener('abort', gone)
}

/** Follows another signal. */
export const following = (outer: AbortSignal | undefined): LateSignal =>
  (outer ? new LateSignal(follow, outer) : new LateSignal()) as LateSignal

function follow(abort: (reason: unknown) => void, outer: AbortSignal): void {
  followed(outer, abort)
}
