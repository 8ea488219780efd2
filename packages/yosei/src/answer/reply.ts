/** An answer in its pieces: what a platform sends as it is, or makes a Response of. */
export interface Reply {
  readonly status: number
  readonly headers: { readonly [name: string]: string }
  readonly body: string | null
  /** A Response that a handler made: it goes out as it is. */
  readonly response?: Response
}
