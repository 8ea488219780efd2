/** Refusals: what a handler, or who looks the caller up, finds wrong with a request. */

import type { Fault } from '../kinds/run.js'
import { refusalOptions } from '../sound/options.js'
import { isEach, isFromEnd, type Path, type PlaceIn, parseAddress, withIndices } from '../terms/address.js'
import type { Accepted, Endpoint } from '../terms/endpoint.js'
import type { House, Refusal, Refused } from '../terms/hooks.js'
import { mistake } from '../terms/mistake.js'
import { checkOptions, isPlain } from '../terms/option-types.js'
import type { Stage } from '../terms/statuses.js'
import { readSpan } from '../terms/units.js'
import type { Rejected } from '../terms/verdict.js'
import { grouped, originOf, type Rejection, reject } from './verdict.js'

/** A refusal, or an error of a verdict, with what it was made of. */
export interface Refusing extends Omit<Refusal, 'status'> {
  readonly status: number
  readonly fault?: Fault
  /** The place, if it is known better than by its address. */
  readonly path?: Path
}
const refusals = new WeakMap<Refused, readonly Refusing[]>()

/**
 * A rejection that only your own code could find, such as a unique index or an overdrawn account. It looks like any
 * other. A handler, `identify` and `ask` of a lookup can return it, or throw it out of a transaction. The first of
 * several decides the status. A rejected verdict, as from `judgeMerged`, is answered as it is.
 *
 * @typeParam E The endpoint: `at` is compared with its fields then.
 * @example
 * return refuse<typeof bookSession>({ status: 409, code: 'slot_taken', message: 'is taken', at: 'body.window' })
 */
export function refuse<E extends Endpoint = Endpoint>(
  refusal:
    | Refusal<PlaceIn<Accepted<E>>>
    | Rejected
    | readonly (Refusal<PlaceIn<Accepted<E>>> & { at: PlaceIn<Accepted<E>> })[],
): Refused {
  if (isRejected(refusal)) return refusing(errorsOf(refusal))
  const given = (Array.isArray(refusal) ? refusal : [refusal]) as readonly Refusal[]
  for (const one of given)
    checkOptions(one, refusalOptions, 'a refusal', (what, mend, option) => mistake('refuse', what, mend, { option }))
  return refusing(given)
}

const isRejected = (value: unknown): value is Rejected => isPlain(value) && value.outcome === 'rejected'

function refusing(given: readonly Refusing[]): Refused {
  const refused: Refused = Object.freeze({ refused: true })
  refusals.set(refused, given)
  return refused
}

function errorsOf(verdict: Rejected): readonly Refusing[] {
  const { faults, status, headers } = originOf(verdict)
  if (faults.length === 0) mistake('refuse', 'this verdict has no error to tell', 'Throw what failed')
  return faults.map((fault) => ({ status, code: fault.code, message: '', headers, fault }))
}

/** `undefined` for any other value. */
export const refusalsIn = (value: unknown): readonly Refusing[] | undefined =>
  typeof value === 'object' && value !== null ? refusals.get(value as Refused) : undefined

/** The header fields that go with a refusal (RFC 9110, section 10.2.3). */
export const headersIn = ({ retryAfter, headers }: Refusing): { readonly [name: string]: string } => ({
  ...(retryAfter === undefined ? {} : { 'retry-after': String(Math.ceil(readSpan(retryAfter) / 1000)) }),
  ...headers,
})

interface RefusedAbout {
  /** The address of a refusal that names none. */
  readonly place: string
  readonly scheme: string
  /** What was read, if it was: an address can count elements from the end. */
  readonly input?: unknown
  readonly most?: number
  readonly house: House | undefined
  readonly room: number
}

/** The place of a refusal in this input. */
export const refusedAt = (address: string, input: unknown): Path =>
  blamedFor(withIndices(input, parseAddress(address) ?? [address]))

/** What a refusal blames for a place: of no element alone, or of one that is not there, the list. */
export function blamedFor(path: Path): Path {
  const open = path.findIndex((step) => isEach(step) || isFromEnd(step))
  return open < 0 ? path : path.slice(0, open)
}

/** The rejection that refusals make. */
export function rejectRefused(
  name: string | undefined,
  all: readonly Refusing[],
  stage: Stage,
  { place, scheme, input, ...about }: RefusedAbout,
): Rejection {
  const [first] = all
  const status = first?.status ?? 422
  const faults = all.map(
    ({ code, message, at = place, fault }): Fault =>
      fault ? { ...fault, stage } : { path: at === '' ? [] : refusedAt(at, input), stage, code, messages: message },
  )
  const headers = { ...(status === 401 ? { 'www-authenticate': scheme } : {}), ...(first ? headersIn(first) : {}) }
  return reject(name, grouped(faults), { status, stage, headers, ...about })
}
