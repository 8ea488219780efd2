/** A signal that is made when somebody listens: most handlers never do, and making one costs as much as a small judgement. */
export class LateSignal {
  readonly #listen: ((abort: (reason: unknown) => void) => void) | undefined
  #controller: AbortController | undefined
  #gone: { readonly reason: unknown } | undefined

  /** @param listen Finds out, from the time when somebody listens here, whether the client has gone. */
  constructor(listen?: (abort: (reason: unknown) => void) => void) {
    this.#listen = listen
  }

  get signal(): AbortSignal {
    if (!this.#controller) {
      this.#controller = new AbortController()
      if (this.#gone) this.#controller.abort(this.#gone.reason)
      this.#listen?.((reason) => this.abort(reason))
    }
    return this.#controller.signal
  }

  abort(reason: unknown): void {
    this.#gone ??= { reason }
    this.#controller?.abort(reason)
  }
}

/** Follows another signal. */
export const following = (outer: AbortSignal | undefined): LateSignal =>
  new LateSignal(
    outer &&
      ((abort) => {
        if (outer.aborted) abort(outer.reason)
        else outer.addEventListener('abort', () => abort(outer.reason), { once: true })
      }),
  )
