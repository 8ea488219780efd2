/** What was on the page, step by step. */
import type { Draft } from '../../src/terms.ts'

export interface State {
  readonly endpoint: string
  readonly draft: Draft
  /** The sample that was opened, if it is one's. */
  readonly opened?: string | undefined
}
export interface History {
  readonly now: State
  readonly past: readonly State[]
  readonly future: readonly State[]
  /** What was changed last and when: typing on in one place is one step. */
  readonly mark?: { readonly what: string; readonly at: number } | undefined
}
const longest = 500
/** In milliseconds. */
const oneStep = 1000

export function changed(history: History, next: State, what: string, at: number): History {
  const { now, past, mark } = history
  if (
    next.draft.message === now.draft.message &&
    next.draft.now === now.draft.now &&
    next.draft.who === now.draft.who &&
    next.endpoint === now.endpoint &&
    next.opened === now.opened
  )
    return history
  const goesOn = mark?.what === what && at - mark.at < oneStep && what !== ''
  return { now: next, past: goesOn ? past : [...past.slice(-longest), now], future: [], mark: { what, at } }
}
export function undone({ now, past, future }: History): History | undefined {
  const last = past.at(-1)
  return last && { now: last, past: past.slice(0, -1), future: [now, ...future] }
}
export function redone({ now, past, future }: History): History | undefined {
  const [next, ...more] = future
  return next && { now: next, past: [...past, now], future: more }
}
