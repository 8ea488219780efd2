/** Refusals: what a handler, or who looks the caller up, finds wrong with a request. */

import type { Catalogues } from '../answer/catalogue.js'
import type { Fault, Stage } from '../compile/run.js'
import { parseAddress } from '../declare/address.js'
import { grouped } from './lookups.js'
import { type Rejection, reject } from './verdict.js'

/** What is wrong, told like any other error. */
export interface Refusal {
  readonly status: 401 | 402 | 403 | 404 | 409 | 410 | 412 | 422 | 423 | 428 | 429
  readonly code: string
  /** Completes the sentence that the address begins. */
  readonly message: string
  /** The address of the field that is to blame. */
  readonly at?: string
  /** Header fields of the answer, such as `retry-after`. A 401 has `www-authenticate: Bearer` where none is given. */
  readonly headers?: { readonly [name: string]: string }
}

export interface Refused {
  readonly refused: true
}
const refusals = new WeakMap<Refused, readonly Refusal[]>()

/**
 * A fault that only the handler could find (a unique index, an overdrawn account), told like any other. The first of
 * several decides the status.
 *
 * @example
 * return refuse({ status: 409, code: 'slot_taken', message: 'is taken', at: 'body.window' })
 */
export function refuse(refusal: Refusal | readonly (Refusal & { at: string })[]): Refused {
  const refused: Refused = Object.freeze({ refused: true })
  refusals.set(refused, 'code' in refusal ? [refusal] : refusal)
  return refused
}

/** `undefined` for any other value. */
export const refusalsIn = (value: unknown): readonly Refusal[] | undefined =>
  typeof value === 'object' && value !== null ? refusals.get(value as Refused) : undefined

/** The rejection that refusals make. */
export function rejectRefused(
  name: string | undefined,
  all: readonly Refusal[],
  stage: Stage,
  { place, ...about }: { place: string; most?: number; words: Catalogues | undefined },
): Rejection {
  const [first] = all
  const status = first?.status ?? 422
  const faults = all.map(({ code, message, at = place }): Fault => ({ path: parseAddress(at) ?? [place], stage, code, messages: message }))
  const headers = { ...(status === 401 ? { 'www-authenticate': 'Bearer' } : {}), ...first?.headers }
  return reject(name, grouped(faults), { status, stage, headers, ...about })
}
