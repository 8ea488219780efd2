/** What a handler gives besides a value: another status, and header fields. */
import { mistake } from '../terms/mistake.js'
import { aText, byName, checkOptions, type Options } from '../terms/option-types.js'

/** What `give` makes. */
export interface Given {
  /** Marks it. */
  readonly given: true
}
export interface GivenReply {
  readonly value: unknown
  readonly status?: number | undefined
  readonly headers?: { readonly [name: string]: string } | undefined
}
/** Options of `give`. */
export interface GiveOptions {
  /** The status, from 200 to 399. */
  status?: number | undefined
  /** Header fields of the answer. */
  headers?: { readonly [name: string]: string } | undefined
}
const replies = new WeakMap<Given, GivenReply>()
const giveOptions: Options<Omit<GivenReply, 'value'>> = {
  status: {
    what: 'a status from 200 to 399 (refuse() takes the rest)',
    example: '201',
    takes: (value) => Number.isInteger(value) && (value as number) >= 200 && (value as number) < 400,
  },
  headers: byName(aText),
}

/**
 * A success with its own status or header fields: RFC 9110, sections 10.2.2 (`Location`) and 8.8.3 (`ETag`).
 *
 * @throws DeclarationError if the status is no success or redirection: refuse() the rest.
 * @example
 * return give(session, { status: 201, headers: { location: `/sessions/${session.id}` } })
 */
export function give(value: unknown, options: GiveOptions = {}): Given {
  checkOptions(options, giveOptions, 'give', (what, mend, option) => mistake('give', what, mend, { option }))
  const { status, headers } = options
  const given: Given = Object.freeze({ given: true })
  replies.set(given, { value, status, headers })
  return given
}

/** `undefined` for any other value. */
export const givenIn = (value: unknown): GivenReply | undefined =>
  typeof value === 'object' && value !== null ? replies.get(value as Given) : undefined
