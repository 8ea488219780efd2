/** What stands in the place of a value that could not be read, or not exactly. */
import type { Path } from '../terms/address.js'
import type { Rounded } from './json.js'

interface ReadFault {
  readonly code: string
  readonly variant?: string
  /** What its words speak of. */
  readonly about?: { readonly [name: string]: unknown }
  /** Where in the body it is. */
  readonly below?: Path
  /** `read` by default. */
  readonly stage?: 'shape'
}
/** A body that could not be read, and why. */
export class Unreadable {
  constructor(readonly faults: readonly ReadFault[]) {}
}

/** A body in which numbers have lost digits that they were sent with. */
export class Inexact {
  constructor(
    readonly value: unknown,
    readonly rounded: readonly Rounded[],
  ) {}
}
