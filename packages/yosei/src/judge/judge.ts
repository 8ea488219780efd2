/** Verdicts on requests, for those who ask for one. */

import { type IntakeNode, intakeNode } from '../declare/intake.js'
import { startRun } from '../engine/interpret.js'
import { type BrokenMessage, type Message, messageOf, type RequestLike } from '../read/message.js'
import type { Endpoints, Intake } from '../terms/endpoint.js'
import { isEmpty } from '../terms/own.js'
import { statusFor } from '../terms/statuses.js'
import type { Rejected, Verdict } from '../terms/verdict.js'
import { authorize } from './identify.js'
import { journalFailure } from './journal.js'
import { askLookups } from './lookups.js'
import { open } from './open.js'
import { pending } from './parts.js'
import { partsOf } from './read.js'
import { type Platform, type Received, receiveNow, type Unreceived } from './receive.js'
import { following } from './signal.js'
import { type AcceptedJudgement, type AnyVerdict, conclude, type Judged, judgeStages, traced } from './stages.js'
import { type Rejection, reject, rejectFailed, verdictOf } from './verdict.js'
import type { Asker } from './who.js'

/** Options of `judge`. */
export interface JudgeOptions {
  /**
   * What lookups, `identify` and `attest` are given; `{}` suffices. Without services none is asked, and the verdict is
   * pending.
   */
  services?: unknown
  /** The caller, if it is known already: then `identify` does not run. */
  who?: unknown
  /** The clock that relative limits count from. */
  now?: Date | undefined
  /** Whether the verdict says how each value was read, and how each stage and rule went. */
  trace?: boolean | undefined
  /**
   * The errors that a journal has written of the request: what it masked in the request then counts as it was, wrong with
   * these errors, or right.
   */
  kept?: readonly { readonly address: string; readonly code: string }[] | undefined
  /** Cancels lookups and `identify`. */
  signal?: AbortSignal | undefined
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
  const { services, who, now, trace, kept, signal } = options
  const identity = 'who' in options ? 'given' : services === undefined ? 'unsaid' : 'asked'
  const coming = judgeStages(intakeNode(app), message, {
    services,
    identity,
    who,
    now,
    trace,
    kept,
    signal: following(signal),
    platform,
  })
  const judged = coming instanceof Promise ? await coming : coming
  const { verdict, dispose } = judged
  if (verdict.outcome === 'rejected') return told(intakeNode(app), verdict, judged)
  if (dispose) unheld?.register(verdict.input as object, dispose)
  const { lookups = {}, attest } = judged.opened?.destination.endpoint ?? {}
  const unasked = [
    ...(intakeNode(app).identify && identity === 'unsaid' ? ['identify'] : []),
    ...(attest && services === undefined ? ['attest'] : []),
  ]
  if (unasked.length === 0 && isEmpty(lookups)) return verdict as Verdict<E>
  return (await settleLookups(judged as AcceptedJudgement, unasked, services, signal)) as Verdict<E>
}

/** The verdict that a caller gets. The journal alone says why it failed. */
function told(app: IntakeNode, rejection: Rejection, judged: Judged): Rejected {
  journalFailure(app, rejection, judged)
  return verdictOf(rejection)
}

/** The verdict after the lookups: pending if a service could not be asked. */
async function settleLookups(
  judged: AcceptedJudgement,
  unasked: readonly string[],
  services: unknown,
  signal: AbortSignal | undefined,
) {
  const lookups = Object.keys(judged.opened.destination.endpoint.lookups)
  if (unasked.length > 0 || (services === undefined && lookups.length > 0))
    return pending(judged.verdict, [...unasked, ...lookups])
  const about = {
    stage: 'lookups',
    house: judged.opened.app,
    statuses: judged.opened.destination.endpoint.statuses,
  } as const
  const { rejection } = await askLookups(judged, { services, who: judged.who, signal: following(signal) }).catch(
    (cause) => ({ rejection: rejectFailed(judged.verdict.endpoint, cause, about) }),
  )
  return rejection ? told(judged.opened.app, rejection, judged) : judged.verdict
}

/**
 * Removes the files of a request when its input is not held any more: code that asks for a verdict alone never says that it
 * is done.
 */
const unheld =
  // Not every worker has it; files are held in memory there.
  typeof FinalizationRegistry === 'undefined'
    ? undefined
    : /* @__PURE__ */ new FinalizationRegistry<() => Promise<void>>((dispose) => void dispose().catch(() => undefined))

function rejectBroken({ statuses }: IntakeNode, message: BrokenMessage): Rejection {
  const path = [message.line === 1 ? 'path' : 'header']
  return reject(undefined, [{ path, stage: 'read', code: 'bad_syntax', variant: 'message', about: { ...message } }], {
    status: statusFor('framing', statuses, 'bad_syntax'),
    stage: 'read',
  })
}

interface AtHand {
  /** A body that is no text. */
  readonly received?: Received | undefined
  readonly now?: Date | undefined
  readonly trace?: boolean
  /** The caller, if it is known. */
  readonly asker?: Asker | undefined
}

/** The judgement of a request whose body is at hand. */
export function judgeMessage(
  app: IntakeNode,
  message: Message,
  { received, now, trace, asker }: AtHand = {},
): AnyVerdict {
  const run = startRun(now?.getTime(), trace)
  const opened = open(app, message, run)
  if ('rejection' in opened) return opened.rejection
  if (app.identify && asker) {
    const admitted = authorize(opened, asker.who)
    if ('rejected' in admitted) return admitted.rejected
  }
  const came = traced(run, received ?? (receiveNow(opened) as Received | Unreceived))
  return conclude(opened, partsOf(opened, came, run), came, run, asker)
}
