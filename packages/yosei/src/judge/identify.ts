/** The stage that asks the caller, from the head alone. */

import { challengeOf } from '../declare/intake.js'
import { statusFor } from '../terms/statuses.js'
import { headOf } from './head.js'
import type { Opened } from './open.js'
import { type Refusing, refusalsIn, rejectRefused } from './refuse.js'
import { askWithin, type LateSignal, withSignal } from './signal.js'
import { retryAfter } from './statuses.js'
import { type Rejection, reject, rejectFailed, thrown } from './verdict.js'
import { type Asker, checkWho, mayEnter } from './who.js'

/** Who the caller is, or why the request stops. */
export type Identified = Asker | { readonly rejected: Rejection }

export async function identify(opened: Opened, services: unknown, signal: LateSignal): Promise<Identified> {
  const { app, destination } = opened
  const { name, endpoint, limits } = destination
  const head = headOf(opened)
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
