/** Metrics and traces through OpenTelemetry's API, named by its semantic conventions for HTTP. */
import {
  type Attributes,
  type Context,
  context,
  type Meter,
  metrics,
  propagation,
  type Span,
  SpanKind,
  SpanStatusCode,
  type Tracer,
  trace,
} from '@opentelemetry/api'
import { usualMethods } from '../terms/methods.js'
import { mistake } from '../terms/mistake.js'
import { aFlag, anything, checkOptions, type Options, oneOf } from '../terms/option-types.js'
import type { RejectionTelemetry, RequestTelemetry, Telemetry, TimedStage } from '../terms/telemetry.js'

export type { Telemetry } from '../terms/telemetry.js'

/** Options of `telemetry`. */
export interface TelemetryOptions {
  /** Counts errors by their addresses, too. */
  addresses?: boolean | undefined
  /** By what scheme clients reach the service: `http` by default. */
  scheme?: 'http' | 'https' | undefined
  /** The meter; by default the global one. */
  meter?: Meter | undefined
  /** The tracer; by default the global one. */
  tracer?: Tracer | undefined
}
const telemetryOptions: Options<TelemetryOptions> = {
  addresses: aFlag,
  scheme: oneOf('http', 'https'),
  meter: anything,
  tracer: anything,
}

/** Seconds, as the conventions advise for HTTP. */
const ofRequests = [0.005, 0.01, 0.025, 0.05, 0.075, 0.1, 0.25, 0.5, 0.75, 1, 2.5, 5, 7.5, 10]
/** Seconds: most stages take less than a millisecond. */
const ofStages = [0.0001, 0.00025, 0.0005, 0.001, 0.0025, 0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10]

/** So many codes of refusals and addresses are counted by name: a service may make up both. The rest are `_OTHER`. */
const mostNamed = 1000

/**
 * Metrics and traces of an intake, behind `serve`, a gate or a front. Without an SDK, OpenTelemetry's API does nothing.
 *
 * @example
 * const app = intake({ endpoints, telemetry: telemetry() })
 */
export function telemetry(options: TelemetryOptions = {}): Telemetry {
  checkOptions(options, telemetryOptions, 'telemetry', (what, mend, option) =>
    mistake('telemetry', what, mend, { option }),
  )
  const {
    addresses = false,
    scheme = 'http',
    meter = metrics.getMeter('yosei'),
    tracer = trace.getTracer('yosei'),
  } = options
  const instruments = instrumentsOf(meter)
  return { begin: (method, headers) => new Measured({ instruments, tracer, addresses, scheme }, method, headers) }
}

type Instruments = ReturnType<typeof instrumentsOf>
function instrumentsOf(meter: Meter) {
  const histogram = (name: string, description: string, explicitBucketBoundaries = ofStages) =>
    meter.createHistogram(name, { unit: 's', description, advice: { explicitBucketBoundaries } })
  const counter = (name: string, description: string) => meter.createCounter(name, { description })
  return {
    request: histogram('http.server.request.duration', 'Duration of HTTP server requests.', ofRequests),
    stages: stagesOf(meter),
    lookup: histogram('yosei.lookup.duration', 'Time that lookups take.'),
    wait: histogram('yosei.turn.wait.duration', 'Time that requests wait for a turn.'),
    held: histogram('yosei.turn.held.duration', 'Time that turns are held.'),
    waiting: meter.createUpDownCounter('yosei.turn.waiting', { description: 'Requests that wait for a turn.' }),
    turns: counter('yosei.turn.events', 'Turns that were renewed, or lost.'),
    rejections: counter('yosei.rejections', 'Requests that were rejected, observed to be wrong, or failed.'),
    errors: counter('yosei.errors', 'Errors of rejections, by code.'),
    named: new Set<string>(),
  }
}

/** How long requests of an endpoint were in a stage, in seconds, and how many. */
interface Spent {
  seconds: number
  requests: number
}
/**
 * Sums of seconds and numbers of requests, asked for when metrics are collected: to record each stage of each request would
 * cost as much as to judge it.
 */
function stagesOf(meter: Meter): (endpoint: string, stage: TimedStage) => Spent {
  const endpoints = new Map<string, Map<TimedStage, Spent>>()
  const observe = (name: string, unit: string, description: string, of: (spent: Spent) => number) =>
    meter.createObservableCounter(name, { unit, description }).addCallback((result) => {
      for (const [endpoint, stages] of endpoints)
        for (const [stage, spent] of stages)
          result.observe(of(spent), { 'yosei.endpoint': endpoint, 'yosei.stage': stage })
    })
  observe('yosei.stage.time', 's', 'Time that requests have spent in each stage.', ({ seconds }) => seconds)
  observe('yosei.stage.requests', '{request}', 'Requests that came to each stage.', ({ requests }) => requests)
  return (endpoint, stage) => {
    const stages = endpoints.get(endpoint) ?? new Map<TimedStage, Spent>()
    endpoints.set(endpoint, stages)
    const spent = stages.get(stage) ?? { seconds: 0, requests: 0 }
    stages.set(stage, spent)
    return spent
  }
}

const known = new Set<string>(usualMethods)
const now = () => performance.now()

/** What all requests share. */
interface Own {
  readonly instruments: Instruments
  readonly tracer: Tracer
  readonly addresses: boolean
  readonly scheme: string
}

class Measured implements RequestTelemetry {
  readonly #own: Own
  readonly #method: string
  readonly #span: Span
  readonly #context: Context | undefined
  readonly #since = now()
  #endpoint = ''
  #route: string | undefined
  #stage: TimedStage | undefined
  #stageSince = 0
  #isEnded = false

  constructor(own: Own, method: string, headers: Parameters<Telemetry['begin']>[1]) {
    this.#own = own
    // Clients make methods up (semantic conventions for HTTP spans).
    this.#method = known.has(method) ? method : '_OTHER'
    const isTraced = propagation.fields().some((field) => carrier.get(headers, field) !== undefined)
    const parent = isTraced ? propagation.extract(context.active(), headers, carrier) : context.active()
    this.#span = own.tracer.startSpan(this.#method, { kind: SpanKind.SERVER }, parent)
    this.#context = this.#span.isRecording() ? trace.setSpan(parent, this.#span) : undefined
    if (this.#context) this.#span.setAttribute('http.request.method', this.#method)
  }

  within<T>(work: () => T): T {
    return this.#context ? context.with(this.#context, work) : work()
  }

  matched(endpoint: string, route: string): void {
    this.#endpoint = endpoint
    this.#route = route
    if (!this.#context) return
    this.#span.updateName(`${this.#method} ${route}`)
    this.#span.setAttributes({ 'http.route': route, 'yosei.endpoint': endpoint })
  }

  stage(stage: TimedStage): void {
    if (stage === this.#stage) return
    this.#endStage()
    this.#stage = stage
    this.#stageSince = now()
  }

  #endStage(): void {
    if (this.#stage === undefined) return
    const spent = this.#own.instruments.stages(this.#endpoint, this.#stage)
    spent.seconds += (now() - this.#stageSince) / 1000
    spent.requests++
    this.#stage = undefined
  }

  lookup(name: string): (outcome: 'found' | 'refused' | 'failed') => void {
    const since = now()
    const span = this.#inner(`lookup ${name}`)
    return (outcome) => {
      const attributes = this.#about({ 'yosei.lookup': name, 'yosei.outcome': outcome })
      this.#own.instruments.lookup.record((now() - since) / 1000, attributes)
      if (outcome === 'failed') span?.setStatus({ code: SpanStatusCode.ERROR })
      span?.setAttributes(attributes).end()
    }
  }

  waits(turn: string): (end: string) => void {
    const since = now()
    const span = this.#inner(`turn ${turn}`)
    this.#own.instruments.waiting.add(1, { 'yosei.turn': turn })
    return (end) => {
      const attributes = { 'yosei.turn': turn, 'yosei.outcome': end }
      this.#own.instruments.waiting.add(-1, { 'yosei.turn': turn })
      this.#own.instruments.wait.record((now() - since) / 1000, attributes)
      span?.setAttributes(attributes).end()
    }
  }

  turn(turn: string, event: string): void {
    this.#own.instruments.turns.add(1, { 'yosei.turn': turn, 'yosei.event': event })
    if (this.#context) this.#span.addEvent(`turn ${event}`, { 'yosei.turn': turn })
  }

  held(turn: string, seconds: number): void {
    this.#own.instruments.held.record(seconds, { 'yosei.turn': turn })
  }

  rejected({ outcome, stage, status, codes, addresses, cause }: RejectionTelemetry): void {
    const { rejections, errors } = this.#own.instruments
    rejections.add(
      1,
      this.#about({ 'yosei.outcome': outcome, 'yosei.stage': stage, 'http.response.status_code': status }),
    )
    const places = this.#own.addresses ? addresses() : []
    for (const [index, code] of codes.entries()) {
      const attributes: Attributes = { 'yosei.code': this.#named(code) }
      if (this.#own.addresses) attributes['yosei.address'] = this.#named(places[index] ?? '')
      errors.add(1, this.#about(attributes))
    }
    if (!this.#context) return
    this.#span.setAttributes({ 'yosei.outcome': outcome, 'yosei.stage': stage })
    for (const [index, code] of codes.entries())
      this.#span.addEvent('error', { 'yosei.code': code, ...(places[index] ? { 'yosei.address': places[index] } : {}) })
    if (cause instanceof Error) this.#span.recordException(cause)
  }

  end(status: number | undefined): void {
    if (this.#isEnded) return
    this.#isEnded = true
    this.#endStage()
    const attributes: Attributes = { 'http.request.method': this.#method, 'url.scheme': this.#own.scheme }
    if (status !== undefined) attributes['http.response.status_code'] = status
    if (this.#route !== undefined) attributes['http.route'] = this.#route
    const error = status === undefined ? 'client_gone' : status >= 500 ? String(status) : undefined
    if (error !== undefined) attributes['error.type'] = error
    this.#own.instruments.request.record((now() - this.#since) / 1000, attributes)
    if (!this.#context) return
    if (error !== undefined) this.#span.setStatus({ code: SpanStatusCode.ERROR })
    this.#span.setAttributes(attributes).end()
  }

  #inner(name: string): Span | undefined {
    return this.#context && this.#own.tracer.startSpan(name, {}, this.#context)
  }

  #about(attributes: Attributes): Attributes {
    if (this.#endpoint !== '') attributes['yosei.endpoint'] = this.#endpoint
    return attributes
  }

  #named(name: string): string {
    const { named } = this.#own.instruments
    if (named.size < mostNamed) named.add(name)
    return named.has(name) ? name : '_OTHER'
  }
}

const carrier = {
  keys: (headers: Parameters<Telemetry['begin']>[1]) => headers.map(([name]) => name),
  get: (headers: Parameters<Telemetry['begin']>[1], name: string) => headers.find(([one]) => one === name)?.[1],
}
