/** What a handler gives besides a value: another status, and header fields. */

export interface Given {
  readonly given: true
}
export interface GivenReply {
  readonly value: unknown
  readonly status?: number | undefined
  readonly headers?: { readonly [name: string]: string } | undefined
}
const replies = new WeakMap<Given, GivenReply>()

/**
 * A success with a status or header fields of its own: RFC 9110, sections 10.2.2 (`Location`) and 8.8.3 (`ETag`).
 *
 * @throws TypeError where the status is no success or redirection.
 * @example
 * return give(session, { status: 201, headers: { location: `/sessions/${session.id}` } })
 */
export function give(
  value: unknown,
  { status, headers }: { status?: number; headers?: { readonly [name: string]: string } } = {},
): Given {
  if (status !== undefined && !(Number.isInteger(status) && status >= 200 && status < 400))
    throw new TypeError(`give(…, { status: ${status} }): give what succeeded with 200 to 399, and refuse() the rest`)
  const given: Given = Object.freeze({ given: true })
  replies.set(given, { value, status, headers })
  return given
}

/** `undefined` for any other value. */
export const givenIn = (value: unknown): GivenReply | undefined =>
  typeof value === 'object' && value !== null ? replies.get(value as Given) : undefined
