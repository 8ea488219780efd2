/** A service: every request through its stages, to its handler, to an answer. */

import * as platform from '#platform'
import type { Reply } from '../answer/reply.js'
import { type IntakeNode, intakeNode } from '../declare/intake.js'
import { type Entry, enter, nothingAsked } from '../judge/enter.js'
import { prepare } from '../judge/receive.js'
import { refusalsIn } from '../judge/refuse.js'
import { following } from '../judge/signal.js'
import { type AcceptedJudgement, type Judged, judgeStages } from '../judge/stages.js'
import type { Rejection } from '../judge/verdict.js'
import { type AnyMessage, messageOfRequest } from '../read/message.js'
import type { Accepted, Endpoint, Endpoints, Intake } from '../terms/endpoint.js'
import { mistake } from '../terms/mistake.js'
import { nearestOf } from '../terms/nearest.js'
import { aFunction, anything, aText, checkOptions, isPlain, type Options, oneOf, shown } from '../terms/option-types.js'
import type { RequestTelemetry } from '../terms/telemetry.js'
import { describing } from './described.js'
import { type Context, failedReply, runHandler } from './handle.js'
import {
  type Incoming,
  noteObserved,
  notePieces,
  type Progress,
  refused,
  requestIdOf,
  told,
  varied,
  withField,
} from './progress.js'

/** Every endpoint needs its handler, and every handler its endpoint: said at compile time and at start. */
export type Handlers<A extends Intake | Endpoints, Services = unknown> = HandlersOf<
  A extends Intake<infer E> ? E : A extends Endpoints ? A : never,
  Services
>
type HandlersOf<E extends Endpoints, Services> = {
  readonly [N in keyof E]: (input: Accepted<E[N]>, context: Context<E[N], Services>) => unknown
}

/** Options of `serve`. */
export interface ServeOptions<Services> {
  /** What lookups, `identify` and handlers are given. */
  services?: Services | undefined
  /** The clock of relative limits. By default, that of the machine. */
  now?: (() => Date) | undefined
  /** `answer` (the default) answers OPTIONS of a declared path with its methods. `pass` treats it like any other method. */
  options?: 'answer' | 'pass' | undefined
  /** Whether what a handler threw is thrown on, after it was journalled: for what a service considers fatal. */
  letThrough?: ((error: unknown) => boolean) | undefined
  /** The path at which the service describes itself by OpenAPI: `/openapi.json`. By default it does not. */
  openapi?: `/${string}` | undefined
}

const serveOptions: Options<ServeOptions<unknown>> = {
  services: anything,
  now: aFunction('() => new Date()'),
  options: oneOf('answer', 'pass'),
  letThrough: aFunction('(error) => false'),
  openapi: aText,
}

/** The services are required where a lookup or `identify` asks them. */
type Serving<Asked, Services> = unknown extends Asked
  ? [options?: ServeOptions<Services>]
  : [options: ServeOptions<Services> & { services: Services }]

/** A service behind `serve`: what a platform works with that has no fetch requests. */
export interface Service {
  readonly app: IntakeNode
  /** When it can take what it declares; it rejects where a package for that is not installed. */
  readonly ready: Promise<void>
  process(incoming: Incoming): Promise<Reply>
  /** The answer to what never became a request, or whose answer could not be sent. */
  refuse(verdict: Rejection): Reply
}
/** A function from a fetch `Request` to a `Response`. */
export type Handle = (request: Request) => Promise<Response>

const services = new WeakMap<Handle, Service>()
/** The service behind a handle; `undefined` if `serve` did not make it. */
export const serviceOf = (handle: Handle): Service | undefined => services.get(handle)

/**
 * Serves the endpoints of an intake: typed input in, a plain value out as JSON with the endpoint's `success` status, a
 * Response as it is. Needs no server: `await handle(new Request(…))` is a test.
 *
 * @throws DeclarationError if an endpoint has no handler, or a handler no endpoint.
 * @example
 * const handle = serve(app, { listSessions: ({ query }, { services }) => services.sessions.list(query) }, { services })
 */
export function serve<E extends Endpoints, Asked = unknown, Services extends Asked = Asked>(
  app: Intake<E, Asked>,
  handlers: HandlersOf<E, Services>,
  ...[options]: Serving<Asked, Services>
): Handle {
  const service = serviceFor(intakeNode(app), handlers as AnyHandlers, options ?? {})
  const handle = async (request: Request) => {
    const incoming = { message: messageOfRequest(request), signal: following(request.signal), request: () => request }
    return responseOf(await service.process(incoming))
  }
  services.set(handle, service)
  return handle
}

type AnyHandlers = { readonly [name: string]: (input: unknown, context: Context<Endpoint, unknown>) => unknown }

function serviceFor(app: IntakeNode, handlers: AnyHandlers, options: ServeOptions<unknown>): Service {
  const report = (what: string, mend: string, option?: string) => mistake('serve', what, mend, { option })
  if (!isPlain(handlers)) report(`the handlers are ${shown(handlers)}`, 'Write them as { name: (input, context) => … }')
  checkOptions(options, serveOptions, 'serve', report)
  checkPairs(app, handlers)
  const { openapi } = options
  if (openapi !== undefined && !/^\/[^?#\s]*$/.test(openapi))
    report(`openapi is ${shown(openapi)}`, 'Write a path: /openapi.json', 'openapi')
  const described = openapi === undefined ? undefined : describing(app, openapi)
  const ready = prepare(app, platform)
  // Who serves without waiting for it is reported by the first request that needs it.
  ready.catch(() => undefined)
  return {
    app,
    ready,
    refuse: (verdict) => refused(app, verdict),
    process(incoming) {
      const telemetry = app.telemetry?.begin(incoming.message.method, incoming.message.headers)
      if (!telemetry) return processed(incoming, undefined)
      return telemetry
        .within(() => processed(incoming, telemetry))
        .then((reply) => {
          telemetry.end(reply.status)
          return reply
        })
    },
  }

  function processed(incoming: Incoming, telemetry: RequestTelemetry | undefined): Promise<Reply> {
    const progress: Progress = { app, message: incoming.message, since: Date.now(), id: undefined, telemetry }
    const coming = replied(incoming, progress, telemetry)
    const { requestId } = app
    return requestId === undefined
      ? coming
      : coming.then((reply) => withField(reply, requestId.toLowerCase(), requestIdOf(progress) as string))
  }

  function replied(incoming: Incoming, progress: Progress, telemetry: RequestTelemetry | undefined): Promise<Reply> {
    const { message, signal, received } = incoming
    const description = described?.(message)
    if (description) return description.catch((error) => failed(error, progress))
    const fail = (error: unknown) => failed(error, progress)
    const go = (judged: Judged) => {
      try {
        const reply = settle(judged, incoming, progress)
        const vary = judged.opened?.destination.vary
        if (reply instanceof Promise) return reply.catch(fail).then((one) => varied(one, vary))
        return varied(reply, vary)
      } catch (error) {
        return fail(error)
      }
    }
    try {
      const { services, now } = options
      const judged = judgeStages(app, message, {
        services,
        identity: 'asked',
        now: now?.(),
        signal,
        platform,
        received,
        telemetry,
      })
      return judged instanceof Promise ? judged.then(go, fail) : Promise.resolve(go(judged))
    } catch (error) {
      return new Promise((resolve) => resolve(fail(error)))
    }
  }

  /** Whatever fails, before, after or inside the stages, comes out here. */
  function failed(error: unknown, progress: Progress, judged?: Judged): Reply {
    if (judged && refusalsIn(error)) return failedReply(error, progress, judged)
    // What is let through comes by here once more on its way out.
    if (progress.letThrough === error && error !== undefined) throw error
    const reply = failedReply(error, progress, judged)
    if (options.letThrough?.(error)) {
      progress.letThrough = error
      throw error
    }
    return reply
  }

  function settle(judged: Judged, incoming: Incoming, progress: Progress): Reply | Promise<Reply> {
    const { verdict, dispose } = judged
    if (verdict.outcome === 'accepted') {
      const handle = () => accepted(judged as AcceptedJudgement, incoming, progress)
      return dispose ? disposeAfter(handle, dispose) : handle()
    }
    if (progress.message.method === 'OPTIONS' && options.options !== 'pass' && isUnmatched(verdict, progress.message))
      return {
        status: 204,
        headers: verdict.headers.allow === undefined ? {} : { allow: verdict.headers.allow },
        body: null,
      }
    return told(progress, verdict, judged)
  }

  function accepted(judged: AcceptedJudgement, incoming: Incoming, progress: Progress): Reply | Promise<Reply> {
    const handler = handlers[judged.verdict.endpoint] as AnyHandlers[string]
    const fail = (error: unknown) => failed(error, progress, judged)
    const go = (entry: Entry) => {
      noteObserved(progress, judged)
      notePieces(progress, judged, 'rejected')
      return runHandler(judged, handler, incoming, options.services, progress, entry, fail)
    }
    const entering = enter(judged, options.services, incoming.signal, app)
    return entering
      ? entering.then((entry) => ('outcome' in entry ? told(progress, entry, judged) : go(entry)))
      : go(nothingAsked)
  }
}

async function disposeAfter(handle: () => Reply | Promise<Reply>, dispose: () => Promise<void>): Promise<Reply> {
  try {
    return await handle()
  } finally {
    await dispose().catch(() => undefined)
  }
}

const isUnmatched = ({ stage, headers }: Rejection, { target }: AnyMessage) =>
  stage === 'match' && (headers.allow !== undefined || target === '*')

function checkPairs({ endpoints }: IntakeNode, handlers: AnyHandlers): void {
  for (const name of Object.keys(endpoints))
    if (typeof handlers[name] !== 'function' || !Object.hasOwn(handlers, name))
      mistake(
        `serve, ${name}`,
        Object.hasOwn(handlers, name) ? `its handler is ${shown(handlers[name])}` : 'the endpoint has no handler',
        `Add ${name}: (input, context) => … to the handlers`,
      )
  for (const name of Object.keys(handlers))
    if (!Object.hasOwn(endpoints, name))
      mistake(
        `serve, ${name}`,
        'the handler has no endpoint',
        `Name it ${nearestOf(name, Object.keys(endpoints)) ?? Object.keys(endpoints).join(' or ')}, or take it away`,
      )
}

const responseOf = ({ status, headers, body, response }: Reply): Response =>
  response ?? new Response(body, { status, headers })
