/** The verdict: accepted with the typed input, or rejected with a status and all errors at their fields. */

import { writeInstant } from '../grammar/times.js'
import type { Fault } from '../kinds/run.js'
import { formatPointer, type Path, parseAddress, tellAddress } from '../terms/address.js'
import type { House } from '../terms/hooks.js'
import { put } from '../terms/own.js'
import type { Part } from '../terms/parts.js'
import { type Stage, type Statuses, type StatusName, statusFor } from '../terms/statuses.js'
import type { FieldError, Rejected, Trace } from '../terms/verdict.js'
import { catalogueFor } from '../words/catalogue.js'
import { spelled, type Wording, wordFault, wordingOf } from '../words/messages.js'

/** A rejection as the stages make it: what they found, not yet in words. */
export interface Rejection {
  readonly outcome: 'rejected'
  readonly endpoint: string | undefined
  readonly stage: Stage
  readonly status: number
  readonly headers: { readonly [name: string]: string }
  /** Those that are listed. */
  readonly faults: readonly Fault[]
  readonly more: number
  readonly trace: Trace | undefined
  /** Whose words and envelope it has. */
  readonly house: House | undefined
  /** The most bytes of an answer to it. */
  readonly room: number
  /** What was thrown, if it was not the request's fault. */
  readonly cause: unknown
  /** What failed, if no field says it. */
  readonly failure: StatusName | undefined
}

interface About {
  readonly status: number
  readonly stage: Stage
  readonly headers?: { readonly [name: string]: string }
  /** Faults that were not even kept. */
  readonly beyond?: number
  readonly trace?: Trace | undefined
  /** The most errors that are listed. */
  readonly most?: number
  readonly house?: House | undefined
  readonly room?: number
  readonly cause?: unknown
  readonly failure?: StatusName
}

/** The most bytes of an answer to a request of so many: what is reported must not outgrow what was sent. */
export const roomFor = (bytes: number): number => Math.min(32_000 + 4 * bytes, 256_000)

/** Makes the rejection of a request with these faults, in this order. */
export function reject(endpoint: string | undefined, faults: readonly Fault[], about: About): Rejection {
  const {
    status,
    stage,
    headers = noHeaders,
    beyond = 0,
    trace,
    most = 50,
    house,
    room = roomFor(0),
    cause,
    failure,
  } = about
  const listed = faults.length > most ? faults.slice(0, most) : faults
  return {
    outcome: 'rejected',
    endpoint,
    stage,
    status,
    headers,
    faults: listed,
    more: faults.length - listed.length + beyond,
    trace,
    house,
    room,
    cause,
    failure,
  }
}
/** What was thrown: also `undefined` is a failure. */
export const thrown = (cause: unknown): unknown => cause ?? new Error(`${cause} was thrown`)

/** The rejection of a request that something failed on which was not its fault: reported to the journal alone. */
export function rejectFailed(
  endpoint: string | undefined,
  cause: unknown,
  { statuses, ...about }: Omit<About, 'status' | 'cause'> & { readonly statuses: Statuses | undefined },
): Rejection {
  return reject(endpoint, [], {
    ...about,
    status: statusFor('failure', statuses),
    failure: 'failure',
    cause: thrown(cause),
  })
}

/** Of most rejections. */
export const noHeaders = {}

/** What a verdict was made of goes along with its copies, out of the way of who looks at it or writes it as JSON. */
const origin = /* @__PURE__ */ Symbol('origin')

/** Shows nothing of the declaration, which may hold secrets, to who prints a verdict. */
class Origin {
  readonly #rejection: Rejection
  constructor(rejection: Rejection) {
    this.#rejection = rejection
  }
  get rejection(): Rejection {
    return this.#rejection
  }
}

/**
 * What a verdict was made of: an answer words it in the language that the client reads. Of one that came as data, what
 * it says.
 */
export function originOf(verdict: Rejected): Rejection {
  const known = (verdict as { readonly [origin]?: Origin })[origin]
  if (known) return known.rejection
  const { endpoint, stage, status, headers, errors, more } = verdict
  const faults = errors.map(({ address, code, message, stage }): Fault => {
    return { path: address === '' ? [] : (parseAddress(address) ?? [address]), stage, code, messages: message }
  })
  return { ...reject(endpoint, faults, { status, stage, headers }), more }
}

/** The verdict that a caller gets: plain data, since pages wrap it, and programs write it as JSON. */
export function verdictOf(rejection: Rejection, catalogue = catalogueFor('en', rejection.house?.languages)): Rejected {
  const { endpoint, stage, status, headers, faults, more, trace } = rejection
  const wording = wordingOf(catalogue)
  const errors = faults.map((fault) => fieldError(fault, wording))
  const errorsByField = byAddress(errors)
  const verdict = {
    outcome: 'rejected' as const,
    endpoint,
    stage,
    status,
    headers,
    errors,
    errorsByField,
    more,
    [origin]: new Origin(rejection),
  }
  return trace ? { ...verdict, trace } : verdict
}

/** The error map. */
export function byAddress<E extends { readonly address: string }>(
  errors: readonly E[],
): { readonly [address: string]: readonly E[] } {
  const map: { [address: string]: E[] } = {}
  // An address that a refusal names may be any text, `__proto__` too.
  for (const error of errors)
    if (Object.hasOwn(map, error.address)) map[error.address]?.push(error)
    else put(map, error.address, [error])
  return map
}

export function fieldError(fault: Fault, wording: Wording): FieldError {
  const { path, code, stage } = fault
  const part = path[0] as Part | undefined
  const pointer = part === 'body' ? formatPointer(path) : undefined
  const address = wording.address(path)
  const message = wordFault(fault, wording)
  const place = code === 'bad_syntax' ? (fault.about as { line?: number; column?: number }) : fault.place
  const error =
    pointer === undefined ? { part, address, code, message, stage } : { part, address, pointer, code, message, stage }
  const limit = limitOf(fault)
  if (limit !== undefined) Object.assign(error, { limit })
  return place ? Object.assign(error, place) : error
}

/** Each error lists so many values of a choice. */
const mostListed = 100

/** The limit that failed, as data: an instant as its text, a big integer too. */
function limitOf({ limit }: Fault): unknown {
  if (limit instanceof Date) return writeInstant(limit)
  if (Array.isArray(limit) && limit.length > mostListed) return limit.slice(0, mostListed)
  return typeof limit === 'bigint' ? String(limit) : spelled(limit)
}

/** Errors of one address stand together, each address where its first is. */
export function grouped(faults: readonly Fault[], addressOf: (path: Path) => string = tellAddress): Fault[] {
  const byAddress = new Map<string, Fault[]>()
  for (const fault of faults) {
    const key = addressOf(fault.path)
    byAddress.set(key, [...(byAddress.get(key) ?? []), fault])
  }
  return [...byAddress.values()].flat()
}
