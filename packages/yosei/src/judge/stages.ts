/** The stages of a request, from its head to what a handler may work with. */

import type { IntakeNode } from '../declare/intake.js'
import { startRun } from '../engine/interpret.js'
import { compiled } from '../engine/reader.js'
import type { Run } from '../kinds/run.js'
import type { Destination } from '../read/match.js'
import { type AnyMessage, fieldOf } from '../read/message.js'
import type { Parts } from '../terms/parts.js'
import { statusFor } from '../terms/statuses.js'
import type { RequestTelemetry } from '../terms/telemetry.js'
import type { AcceptedVerdict } from '../terms/verdict.js'
import { catalogueFor } from '../words/catalogue.js'
import { languageFor, shipped } from '../words/languages.js'
import { attest } from './attest.js'
import { check } from './check.js'
import { authorize, type Identified, identify } from './identify.js'
import { type Opened, open } from './open.js'
import { takingPieces } from './pieces.js'
import { partsOf } from './read.js'
import {
  notKept,
  type Platform,
  type Received,
  readReceived,
  receive,
  receiveBytes,
  receiveNow,
  takenOver,
  type Unreceived,
} from './receive.js'
import type { LateSignal } from './signal.js'
import { type Rejection, reject, rejectFailed } from './verdict.js'
import type { Asker } from './who.js'

export interface StageOptions {
  readonly services?: unknown
  /** How `who` comes: `identify` is asked, it is given, or it is not known. */
  readonly identity: 'asked' | 'given' | 'unsaid'
  readonly who?: unknown
  readonly now?: Date | undefined
  readonly trace?: boolean | undefined
  readonly kept?: readonly { readonly address: string; readonly code: string }[] | undefined
  readonly signal: LateSignal
  readonly platform: Platform
  /** Whether the path is matched as routers do: see `match`. */
  readonly folds?: boolean
  readonly telemetry?: RequestTelemetry | undefined
  /** A body that other code has read already. */
  readonly received?: Received | Unreceived | undefined
}

export type AnyVerdict = AcceptedVerdict<string, unknown> | Rejection

/** Which endpoint a request means; `undefined` if it means none. */
export const destinationOf = ({ opened, destination }: Judged): Destination | undefined =>
  opened?.destination ?? destination

/** What came of a request whose shape and rules hold. */
export interface AcceptedJudgement extends Judged {
  readonly verdict: AcceptedVerdict<string, unknown>
  readonly opened: Opened
  readonly sent: Parts
}

export interface Judged {
  readonly verdict: AnyVerdict
  readonly opened?: Opened
  /** Which endpoint it means, if its head alone was enough to reject it. */
  readonly destination?: Destination | undefined
  /** The parts as they were sent. */
  readonly sent?: Parts
  readonly who?: unknown
  /** The body as it came, if its endpoint keeps it. */
  readonly bytes?: Uint8Array
  /** Removes the files that came with the request. They are gone already if it was rejected. */
  readonly dispose?: (() => Promise<void>) | undefined
}

const byAddress = (errors: NonNullable<StageOptions['kept']>): ReadonlyMap<string, readonly string[]> => {
  const codes = new Map<string, string[]>()
  for (const { address, code } of errors) codes.set(address, [...(codes.get(address) ?? []), code])
  return codes
}

/**
 * What a request comes to: at once, unless there is a service to ask or something to wait for. It neither throws nor
 * rejects: where a stage fails, that is the verdict.
 */
export function judgeStages(app: IntakeNode, message: AnyMessage, options: StageOptions): Judged | Promise<Judged> {
  let opened: Opened | undefined
  const failed = (cause: unknown): Judged => {
    const verdict = rejectFailed(opened?.destination.name, cause, {
      stage: opened ? 'receive' : 'match',
      house: app,
      statuses: opened?.destination.endpoint.statuses ?? app.statuses,
    })
    return opened ? { verdict, opened } : { verdict }
  }
  try {
    const run = startRun(options.now?.getTime(), options.trace)
    run.telemetry = options.telemetry
    if (options.kept) run.kept = byAddress(options.kept)
    const found = open(app, message, run, options.folds)
    if (found.destination)
      run.telemetry?.matched(found.destination.name, app.base + found.destination.endpoint.template)
    if ('rejection' in found) return { verdict: found.rejection, destination: found.destination }
    opened = found
    run.asSent = found.destination.endpoint.asSent ?? false
    if (app.identify && options.identity === 'unsaid' && found.destination.endpoint.may)
      run.trace?.steps.push({ stage: 'identify', name: 'may', outcome: 'not run', because: 'the caller was not given' })
    const judged =
      app.identify && options.identity === 'asked'
        ? identifyFirst(found, run, options)
        : app.identify && options.identity === 'given'
          ? goOn(authorize(found, options.who), found, run, options)
          : takeBody(found, run, options, app.identify ? undefined : givenAsker(options))
    return judged instanceof Promise ? judged.catch(failed) : judged
  } catch (cause) {
    return failed(cause)
  }
}

const noCaller: Asker = { who: undefined }
/** Where an intake has no way to know the caller, it is who the caller says. */
const givenAsker = ({ who }: StageOptions): Asker => (who === undefined ? noCaller : { who })

async function identifyFirst(opened: Opened, run: Run, options: StageOptions): Promise<Judged> {
  run.telemetry?.stage('identify')
  return goOn(await identify(opened, options.services, options.signal), opened, run, options)
}

const goOn = (identified: Identified, opened: Opened, run: Run, options: StageOptions): Judged | Promise<Judged> =>
  'rejected' in identified ? { verdict: identified.rejected, opened } : takeBody(opened, run, options, identified)

function takeBody(opened: Opened, run: Run, options: StageOptions, asker: Asker | undefined): Judged | Promise<Judged> {
  const { attest, keepBytes } = opened.destination.endpoint
  if (attest || keepBytes) return takeAsItCame(opened, run, options, asker)
  const now = options.received ? takenOver(opened, options.received) : receiveNow(opened)
  if (!now) run.telemetry?.stage('receive')
  return now
    ? judgedOf(opened, traced(run, now), run, asker)
    : receive(opened, options.platform, (received) => judgedOf(opened, traced(run, received), run, asker))
}

/** What came of the body, which the trace says. */
export function traced<R extends Received | Unreceived>(run: Run, received: R): R {
  run.trace?.steps.push({ stage: 'receive', outcome: 'fault' in received ? 'failed' : 'passed' })
  return received
}

/** The body as it came is attested before it is read, or kept for the handler. */
async function takeAsItCame(
  opened: Opened,
  run: Run,
  { received: taken, platform, identity, services, signal, kept }: StageOptions,
  asker: Asker | undefined,
): Promise<Judged> {
  const { attest: isAttested, keepBytes } = opened.destination.endpoint
  run.telemetry?.stage('receive')
  const bytes = !taken ? await receiveBytes(opened) : 'failure' in taken ? taken : (taken.bytes ?? notKept())
  if ('failure' in bytes) return judgedOf(opened, traced(run, bytes), run, asker)
  traced(run, { value: bytes })
  // What a journal has kept of a request is not what came.
  if (isAttested && !kept && (identity === 'asked' || services !== undefined)) {
    run.telemetry?.stage('attest')
    const rejection = await attest(opened, bytes, asker?.who, services, signal)
    if (rejection) return { verdict: rejection, opened, who: asker?.who }
  }
  const received = taken ? takenOver(opened, taken) : await readReceived(bytes, opened, platform)
  const judged = await judgedOf(opened, 'fault' in received ? traced(run, received) : received, run, asker)
  return keepBytes ? { ...judged, bytes } : judged
}

function judgedOf(
  opened: Opened,
  received: Received | Unreceived,
  run: Run,
  asker: Asker | undefined,
): Judged | Promise<Judged> {
  const dispose = 'dispose' in received ? received.dispose : undefined
  const judged = judgedNow(opened, received, run, asker, dispose)
  return dispose && judged.verdict.outcome === 'rejected' ? dispose().then(() => judged) : judged
}

function judgedNow(
  opened: Opened,
  received: Received | Unreceived,
  run: Run,
  asker: Asker | undefined,
  dispose: Judged['dispose'],
): Judged {
  const who = asker?.who
  run.telemetry?.stage('check')
  try {
    const sent = partsOf(opened, received, run)
    return { verdict: conclude(opened, sent, received, run, asker), opened, sent, who, dispose }
  } catch (cause) {
    const { destination, app } = opened
    return {
      verdict: rejectFailed(destination.name, cause, {
        stage: 'read',
        house: app,
        statuses: destination.endpoint.statuses,
      }),
      opened,
      who,
      dispose,
    }
  }
}

/** The stage that checks, when the body has come or not. */
export function conclude(
  opened: Opened,
  sent: Parts,
  received: Received | Unreceived,
  run: Run,
  asker?: Asker,
): AnyVerdict {
  const { message, destination, body, app, head } = opened
  const { name, endpoint, limits } = destination
  if ('fault' in received) {
    const { fault, failure, headers, cause } = received
    const status = statusFor(failure, endpoint.statuses, fault?.code)
    const faults = fault ? [{ ...fault, stage: 'receive' as const }] : []
    return reject(name, faults, { status, headers, failure, stage: 'receive', trace: run.trace, house: app, cause })
  }
  run.deepest = limits.depth
  const matter = {
    name,
    endpoint,
    body,
    sent,
    asker,
    headers: message.headers,
    only: undefined,
    form: false,
    engine: compiled,
    parsed: !('isForeign' in received && received.isForeign),
    accept: head.accept,
    errors: limits.errors,
    room: opened.room,
    house: app,
    takePieces: takingPieces(() => {
      const language = languageFor(fieldOf(message.headers, 'accept-language'), app.languages)
      return catalogueFor(language, app.languages, shipped)
    }),
  }
  return check(matter, run)
}
