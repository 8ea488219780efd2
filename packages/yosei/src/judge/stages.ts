/** The stages of a request, from its head to what a handler may work with. */

import type { Parts } from '../compile/engine.js'
import { addFault, type Run, startRun } from '../compile/run.js'
import type { IntakeNode } from '../declare/intake.js'
import type { AcceptedVerdict } from '../declare/verdict.js'
import { cookieValues } from '../read/cookies.js'
import type { AnyMessage } from '../read/message.js'
import { headerValues, pairValues, pathValues } from '../read/values.js'
import { check } from './check.js'
import { identify } from './identify.js'
import { type Opened, open } from './open.js'
import { type Received, receive, receiveNow, type Unreceived } from './receive.js'
import type { LateSignal } from './signal.js'
import { type Rejection, reject } from './verdict.js'

export interface StageOptions {
  readonly services?: unknown
  /** Whether `identify` is asked. */
  readonly asks: boolean
  readonly who?: unknown
  readonly now?: Date | undefined
  readonly trace?: boolean | undefined
  readonly signal: LateSignal
  /** A body that was read already, by somebody else. */
  readonly received?: Received
}

export type AnyVerdict = AcceptedVerdict<string, unknown> | Rejection

/** What came of a request whose shape and rules hold. */
export interface AcceptedJudgement extends Judged {
  readonly verdict: AcceptedVerdict<string, unknown>
  readonly opened: Opened
  readonly sent: Parts
}

export interface Judged {
  readonly verdict: AnyVerdict
  readonly opened?: Opened
  /** The parts as they were sent. */
  readonly sent?: Parts
  readonly who?: unknown
  /** What was thrown, where the outside world failed. */
  readonly cause?: unknown
  /** Removes the files that came with the request. They are gone already where it was rejected. */
  readonly dispose?: (() => Promise<void>) | undefined
}

/** What a request comes to: at once, unless there is somebody to ask or something to wait for. */
export function judgeStages(app: IntakeNode, message: AnyMessage, options: StageOptions): Judged | Promise<Judged> {
  const run = startRun(options.now?.getTime(), options.trace)
  const opened = open(app, message, run)
  if ('outcome' in opened) return { verdict: opened }
  return app.identify && options.asks ? identifyFirst(opened, run, options) : takeBody(opened, run, options, options.who)
}

async function identifyFirst(opened: Opened, run: Run, options: StageOptions): Promise<Judged> {
  const asked = await identify(opened, options.services, options.signal.signal)
  return 'rejected' in asked ? { verdict: asked.rejected, opened, cause: asked.cause } : takeBody(opened, run, options, asked.who)
}

function takeBody(opened: Opened, run: Run, options: StageOptions, who: unknown): Judged | Promise<Judged> {
  const now = options.received ?? receiveNow(opened)
  return now ? judgedOf(opened, now, run, who) : receive(opened, (received) => judgedOf(opened, received, run, who))
}

function judgedOf(opened: Opened, received: Received | Unreceived, run: Run, who: unknown): Judged | Promise<Judged> {
  const sent = partsOf(opened, received, run)
  const verdict = conclude(opened, sent, received, run)
  const dispose = 'dispose' in received ? received.dispose : undefined
  const judged: Judged = { verdict, opened, sent, who, dispose }
  return dispose && verdict.outcome === 'rejected' ? dispose().then(() => judged) : judged
}

/** The stage that reads: every part as it was sent, by name. */
export function partsOf({ message, destination, segments, query }: Opened, received: Received | Unreceived, run: Run): Parts {
  const { endpoint } = destination
  const { headers } = message
  const tellMalformed = () => addFault(run, { path: ['query'], stage: 'read', code: 'bad_encoding' })
  return {
    path: pathValues(destination.parameters, segments),
    query: query === undefined ? undefined : pairValues(query, endpoint.query, tellMalformed),
    header: headerValues(headers, destination.headers),
    cookie: cookieValues(headers, endpoint.cookie),
    body: 'value' in received ? received.value : undefined,
  }
}

/** The stage that checks, when the body has come or not. */
export function conclude(opened: Opened, sent: Parts, received: Received | Unreceived, run: Run): AnyVerdict {
  const { message, destination, body, app, head } = opened
  const { name, endpoint, limits } = destination
  run.trace?.steps.push({ stage: 'receive', outcome: 'fault' in received ? 'failed' : 'passed' })
  if ('fault' in received) {
    const { fault, status, headers } = received
    return reject(name, [{ ...fault, stage: 'receive' }], { status, stage: 'receive', headers, trace: run.trace, words: app.languages })
  }
  run.deepest = limits.depth
  const matter = {
    name,
    endpoint,
    body,
    sent,
    headers: message.headers,
    only: undefined,
    form: false,
    parsed: !received.isForeign,
    accept: head.accept,
    errors: limits.errors,
    words: app.languages,
  }
  return check(matter, run)
}
