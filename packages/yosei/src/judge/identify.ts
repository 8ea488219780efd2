/** The stage that asks who is asking, from the head alone. */

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
    get headers() {
      return new Headers(message.headers as [string, string][])
    },
  }
  try {
    const who = await askWithin(['identify', limits.handle], signal, (own) =>
      app.identify?.(head, services as never, own),
    )
    const refusals = refusalsIn(who)
    if (!refusals) return { who }
    return {
      rejected: rejectRefused(name, refusals, 'identify', {
        place: 'header.authorization',
        words: app.languages,
        room: opened.room,
      }),
    }
  } catch (cause) {
    const status = statusFor('unavailable', endpoint.statuses)
    return {
      rejected: reject(name, [], { status, stage: 'identify', headers: retryAfter, words: app.languages, cause }),
    }
  }
}
