/** The stage that asks who is asking, from the head alone. */

import { challengeOf } from '../declare/intake.js'
import type { Refusal } from '../terms/hooks.js'
import { statusFor } from '../terms/statuses.js'
import type { Opened } from './open.js'
import { refusalsIn, rejectRefused } from './refuse.js'
import { askWithin } from './signal.js'
import { retryAfter } from './statuses.js'
import { type Rejection, reject } from './verdict.js'

/** Who it is, or why nobody may go on. */
export type Identified = { readonly who: unknown } | { readonly rejected: Rejection }

export async function identify(opened: Opened, services: unknown, signal: AbortSignal): Promise<Identified> {
  const { app, message, destination } = opened
  const { name, endpoint, limits } = destination
  const head = {
    method: message.method,
    target: message.target,
    endpoint: name,
    template: endpoint.template,
    tags: endpoint.tags,
    get headers() {
      return new Headers(message.headers as [string, string][])
    },
  }
  try {
    const who = await askWithin(['identify', limits.handle], signal, (own) =>
      app.identify?.(head, services as never, own),
    )
    const refusals = refusalsIn(who)
    return refusals ? refused(opened, refusals) : admit(opened, who)
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
        words: app.languages,
        cause,
      }),
    }
  }
}

/** Lets in whoever is known, and at an open endpoint everybody. */
export function admit(opened: Opened, who: unknown): Identified {
  if (opened.destination.endpoint.open || (who !== undefined && who !== null && who !== false)) return { who }
  const { app, destination, room, run } = opened
  const { header, scheme } = challengeOf(app)
  const fault = { path: ['header', header], stage: 'identify' as const, code: 'not_known' }
  return {
    rejected: reject(destination.name, [fault], {
      status: statusFor('notKnown', destination.endpoint.statuses),
      stage: 'identify',
      headers: { 'www-authenticate': scheme },
      trace: run.trace,
      words: app.languages,
      room,
    }),
  }
}

function refused(opened: Opened, refusals: readonly Refusal[]): Identified {
  const { app, destination, room } = opened
  const about = {
    place: `header.${challengeOf(app).header}`,
    scheme: challengeOf(app).scheme,
    words: app.languages,
    room,
  }
  return { rejected: rejectRefused(destination.name, refusals, 'identify', about) }
}
