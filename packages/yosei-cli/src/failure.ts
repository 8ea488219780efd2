import type { Found } from './place.js'

/** The command could not run: told in one line, without a stack trace, with exit code 2. */
export class Failure extends Error {
  override readonly name = 'Failure'
  /** Where in a module it is. */
  readonly place: Found | undefined
  constructor(
    message: string,
    { cause, place }: { readonly cause?: unknown; readonly place?: Found | undefined } = {},
  ) {
    super(message, { cause })
    this.place = place
  }
}
