/** What the functions of a declaration are told besides values. */
export interface Asking<W = unknown> {
  /** The clock of the judgement. */
  readonly now: Date
  /** Who is asking, where the endpoint declares that and somebody has said it. */
  readonly who: W | undefined
}

/** Who may be asking at an endpoint whose input is `T`; of a record that any endpoint may have, nobody knows. */
export type WhoIn<T> = T extends { path: unknown; query: unknown; who: infer W } ? W : unknown
