/** What functions of a declaration get in addition to values. */
export interface Asking<W = unknown> {
  /** The clock of the judgement. */
  readonly now: Date
  /** The caller, if the endpoint declares `who` and it is known. */
  readonly who: W | undefined
}

/** Who may be asking at an endpoint whose input is `T`; of a record that any endpoint may have, that is not known. */
export type WhoIn<T> = T extends { path: unknown; query: unknown; who: infer W } ? W : unknown
