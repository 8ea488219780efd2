/** A signal that is made when somebody listens: most handlers never do, and making one costs as much as a small judgement. */
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

/** Follows another signal. */
export const following = (outer: AbortSignal | undefined): LateSignal =>
  (outer ? new LateSignal(follow, outer) : new LateSignal()) as LateSignal

function follow(abort: (reason: unknown) => void, outer: AbortSignal): void {
  if (outer.aborted) abort(outer.reason)
  else outer.addEventListener('abort', () => abort(outer.reason), { once: true })
}
