/** Verdicts on requests, for those who ask for one. */

import { type IntakeNode, intakeNode } from '../declare/intake.js'
import { startRun } from '../engine/interpret.js'
import { type BrokenMessage, type Message, messageOf, type RequestLike } from '../read/message.js'
import type { Endpoints, Intake } from '../terms/endpoint.js'
import { isEmpty } from '../terms/own.js'
import { statusFor } from '../terms/statuses.js'
import type { Verdict } from '../terms/verdict.js'
import { askLookups } from './lookups.js'
import { open } from './open.js'
import { pending, told } from './parts.js'
import { type Platform, type Received, receiveNow, type Unreceived } from './receive.js'
import { following } from './signal.js'
import { type AcceptedJudgement, type AnyVerdict, conclude, judgeStages, partsOf } from './stages.js'
import { type Rejection, reject, rejectFailed, verdictOf } from './verdict.js'

export interface JudgeOptions {
  /** What lookups and `identify` are given. Without services none is asked, and a request with lookups is pending. */
  services?: unknown
  /** Who is asking, where that is known already. */
  who?: unknown
  /** The clock that relative limits count from. */
  now?: Date
  /** Whether the verdict says how each value was read, and how each stage and rule went. */
  trace?: boolean
  signal?: AbortSignal
}

/** Judges a request on a platform: see `judge`. */
export async function judgeOn<E extends Endpoints>(
  platform: Platform,
  app: Intake<E>,
  request: RequestLike,
  options: JudgeOptions = {},
): Promise<Verdict<E>> {
  const message = messageOf(request)
  if ('reason' in message) return verdictOf(rejectBroken(intakeNode(app), message))
  const { services, who, now, trace, signal } = options
  const asks = services !== undefined && !('who' in options)
  const coming = judgeStages(intakeNode(app), message, {
    services,
    asks,
    who,
    now,
    trace,
    signal: following(signal),
    platform,
  })
  const judged = coming instanceof Promise ? await coming : coming
  const { verdict, dispose } = judged
  if (verdict.outcome === 'rejected') return told(intakeNode(app), verdict, judged)
  if (dispose) unheld.register(verdict.input as object, dispose)
  if (isEmpty(judged.opened?.destination.endpoint.lookups)) return verdict as Verdict<E>
  return (await settleLookups(judged as AcceptedJudgement, services, signal)) as Verdict<E>
}

/** The verdict after the lookups: pending where there are no services to ask. */
async function settleLookups(judged: AcceptedJudgement, services: unknown, signal = new AbortController().signal) {
  const unasked = Object.keys(judged.opened.destination.endpoint.lookups)
  if (services === undefined) return pending(judged.verdict, unasked)
  const about = {
    stage: 'lookups',
    words: judged.opened.app.languages,
    statuses: judged.opened.destination.endpoint.statuses,
  } as const
  const { rejection } = await askLookups(judged, { services, who: judged.who, signal }).catch((cause) => ({
    rejection: rejectFailed(judged.verdict.endpoint, cause, about),
  }))
  return rejection ? told(judged.opened.app, rejection, judged) : judged.verdict
}

/**
 * Removes the files of a request when nobody holds its input any more: who asks for a verdict alone never says that it
 * is done.
 */
const unheld = new FinalizationRegistry<() => Promise<void>>((dispose) => void dispose().catch(() => undefined))

function rejectBroken({ statuses }: IntakeNode, message: BrokenMessage): Rejection {
  const path = [message.line === 1 ? 'path' : 'header']
  return reject(undefined, [{ path, stage: 'read', code: 'bad_syntax', variant: 'message', about: { ...message } }], {
    status: statusFor('framing', statuses),
    stage: 'read',
  })
}

/** The judgement of a request whose body is at hand. */
export function judgeMessage(app: IntakeNode, message: Message<string | null>, body?: Received): AnyVerdict {
  const run = startRun()
  const opened = open(app, message, run)
  if ('outcome' in opened) return opened
  const received = body ?? (receiveNow(opened) as Received | Unreceived)
  return conclude(opened, partsOf(opened, received, run), received, run)
}
