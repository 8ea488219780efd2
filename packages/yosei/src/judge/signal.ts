/** A signal that is made when somebody listens: most handlers never do, and making one costs as much as a small judgement. */
export interface LateSignal {
  readonly signal: AbortSignal
  readonly aborted: boolean
  abort(reason: unknown): void
}

export function lateSignal(outer?: AbortSignal): LateSignal {
  let controller: AbortController | undefined
  let gone: { readonly reason: unknown } | undefined
  return {
    get signal() {
      if (!controller) {
        controller = new AbortController()
        if (gone) controller.abort(gone.reason)
      }
      return outer ? AbortSignal.any([controller.signal, outer]) : controller.signal
    },
    get aborted() {
      return gone !== undefined || outer?.aborted === true
    },
    abort(reason) {
      gone ??= { reason }
      controller?.abort(reason)
    },
  }
}
