/** The stage that attests: whether a message is genuine, by its body as it came. */
import { challengeOf } from '../declare/intake.js'
import { clock } from '../kinds/run.js'
import { statusFor } from '../terms/statuses.js'
import { headOf } from './head.js'
import type { Opened } from './open.js'
import { refusalsIn, rejectRefused } from './refuse.js'
import { askWithin, type LateSignal, withSignal } from './signal.js'
import { retryAfter } from './statuses.js'
import { type Rejection, reject, thrown } from './verdict.js'

/** Why a message is not taken; `undefined` if it is genuine. */
export async function attest(
  opened: Opened,
  bytes: Uint8Array,
  who: unknown,
  services: unknown,
  signal: LateSignal,
): Promise<Rejection | undefined> {
  const { app, destination, room, run, body } = opened
  const { name, endpoint, limits } = destination
  const message = { bytes, now: new Date(clock(run)), who }
  let given: unknown
  try {
    given = await askWithin(['attest', limits.handle], signal, (own) =>
      endpoint.attest?.({ ...message, head: withSignal(headOf(opened), own) }, services as never),
    )
    if (typeof given !== 'boolean' && !refusalsIn(given))
      throw new TypeError('attest gave neither true nor false nor a refusal: does it return what it found?')
  } catch (cause) {
    given = cause
  }
  run.trace?.steps.push({ stage: 'attest', outcome: given === true ? 'passed' : 'failed' })
  if (given === true) return undefined
  const place = body ? 'body' : 'header'
  const about = { stage: 'attest', trace: run.trace, house: app, room } as const
  const refusals = refusalsIn(given)
  if (refusals) return rejectRefused(name, refusals, 'attest', { ...about, place, scheme: challengeOf(app).scheme })
  if (given === false) {
    const status = statusFor('notGenuine', endpoint.statuses, 'not_genuine')
    return reject(name, [{ path: [place], stage: 'attest', code: 'not_genuine' }], { ...about, status })
  }
  const status = statusFor('unavailable', endpoint.statuses)
  return reject(name, [], { ...about, status, failure: 'unavailable', headers: retryAfter, cause: thrown(given) })
}
