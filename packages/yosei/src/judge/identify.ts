/** The stage that asks the caller, from the head alone. */

import { challengeOf, type HeaderFields } from '../declare/intake.js'
import { type AnyMessage, fieldOf, lowerCase } from '../read/message.js'
import { put } from '../terms/own.js'
import { statusFor } from '../terms/statuses.js'
import type { Opened } from './open.js'
import { type Refusing, refusalsIn, rejectRefused } from './refuse.js'
import { askWithin, type LateSignal, withSignal } from './signal.js'
import { retryAfter } from './statuses.js'
import { type Rejection, reject, rejectFailed, thrown } from './verdict.js'
import { type Asker, checkWho, mayEnter } from './who.js'

/** Who the caller is, or why the request stops. */
export type Identified = Asker | { readonly rejected: Rejection }

export async function identify(opened: Opened, services: unknown, signal: LateSignal): Promise<Identified> {
  const { app, message, destination } = opened
  const { name, endpoint, limits } = destination
  const path: { [name: string]: string } = {}
  for (const [index, { name }] of destination.parameters.entries()) put(path, name, opened.segments[index] ?? '')
  const head = {
    method: message.method,
    target: message.target,
    endpoint: name,
    template: endpoint.template,
    tags: endpoint.tags,
    path,
    headers: new Fields(message),
  }
  let who: unknown
  try {
    who = await askWithin(['identify', limits.handle], signal, (own) =>
      app.identify?.(withSignal(head, own), services as never),
    )
  } catch (cause) {
    const refusals = refusalsIn(cause)
    if (refusals) return refused(opened, refusals)
    const status = statusFor('unavailable', endpoint.statuses)
    return {
      rejected: reject(name, [], {
        status,
        stage: 'identify',
        failure: 'unavailable',
        headers: retryAfter,
        house: app,
        cause: thrown(cause),
      }),
    }
  }
  const refusals = refusalsIn(who)
  return refusals ? refused(opened, refusals) : authorize(opened, who)
}

/** A fetch `Headers` would cost as much as the judgement, and throws for a value that HTTP forbids. */
class Fields implements HeaderFields {
  readonly #lines: AnyMessage['headers']
  constructor({ headers }: AnyMessage) {
    this.#lines = headers
  }
  get(name: string): string | null {
    return fieldOf(this.#lines, lowerCase(name)) ?? null
  }
  has(name: string): boolean {
    return fieldOf(this.#lines, lowerCase(name)) !== undefined
  }
  [Symbol.iterator]() {
    return this.#lines[Symbol.iterator]()
  }
}

/** Lets in whoever is known and may; at an open endpoint everybody who may. */
export function authorize(opened: Opened, given: unknown): Identified {
  const { app, destination, room, run } = opened
  const isKnown = given !== undefined && given !== null && given !== false
  const asker = { who: isKnown ? given : undefined }
  let mayBeHere: boolean | undefined
  try {
    if (isKnown) checkWho(opened, asker)
    mayBeHere = (isKnown || destination.endpoint.open) && mayEnter(opened, asker)
  } catch (cause) {
    const { statuses } = destination.endpoint
    return { rejected: rejectFailed(destination.name, cause, { stage: 'identify', house: app, statuses }) }
  }
  if (destination.endpoint.may)
    run.trace?.steps.push({ stage: 'identify', name: 'may', outcome: mayBeHere ? 'passed' : 'failed' })
  if (mayBeHere) return { who: given }
  const { header, scheme } = challengeOf(app)
  const code = isKnown ? 'not_allowed' : 'not_known'
  return {
    rejected: reject(destination.name, [{ path: ['header', header], stage: 'identify', code }], {
      status: statusFor(isKnown ? 'notAllowed' : 'notKnown', destination.endpoint.statuses, code),
      stage: 'identify',
      headers: isKnown ? {} : { 'www-authenticate': scheme },
      trace: run.trace,
      house: app,
      room,
    }),
  }
}

function refused(opened: Opened, refusals: readonly Refusing[]): Identified {
  const { app, destination, room } = opened
  const about = { place: `header.${challengeOf(app).header}`, scheme: challengeOf(app).scheme, house: app, room }
  return { rejected: rejectRefused(destination.name, refusals, 'identify', about) }
}
