/** Metrics and traces, as OpenTelemetry's own SDK gets them. */
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { expect, test } from '@jest/globals'
import { context, propagation, trace } from '@opentelemetry/api'
import { AsyncLocalStorageContextManager } from '@opentelemetry/context-async-hooks'
import { W3CTraceContextPropagator } from '@opentelemetry/core'
import {
  AggregationTemporality,
  DataPointType,
  InMemoryMetricExporter,
  MeterProvider,
  PeriodicExportingMetricReader,
} from '@opentelemetry/sdk-metrics'
import { BasicTracerProvider, InMemorySpanExporter, SimpleSpanProcessor } from '@opentelemetry/sdk-trace-base'
import connect from 'connect'
import { endpoint, intake, integer, list, record, serve, table, text } from 'yosei'
import { front, gate, listen } from 'yosei/node'
import { telemetry } from 'yosei/telemetry'

const spans = new InMemorySpanExporter()
const tracing = new BasicTracerProvider({ spanProcessors: [new SimpleSpanProcessor(spans)] })
context.setGlobalContextManager(new AsyncLocalStorageContextManager().enable())
propagation.setGlobalPropagator(new W3CTraceContextPropagator())

const bookNight = endpoint('POST /nights/{night}', {
  path: { night: integer({ min: 1 }) },
  body: record({ team: text({ length: [1, 8] }), seats: list(integer()), by: table(integer()) }),
  turn: { of: 'night', by: ['path.night'], wait: '0s' },
  lookups: (on) => ({
    night: on.lookup({
      reads: ['path.night'],
      ask: async (_, [night]) => (night === 8 ? Promise.reject(new Error('away')) : night !== 9),
    }),
  }),
})

/** An intake that is measured, and what was measured: each data point as `name attributes count`. */
function measured() {
  const exporter = new InMemoryMetricExporter(AggregationTemporality.CUMULATIVE)
  const reader = new PeriodicExportingMetricReader({ exporter, exportIntervalMillis: 3_600_000 })
  const meter = new MeterProvider({ readers: [reader] }).getMeter('test')
  const app = intake({
    base: '/api',
    endpoints: { bookNight },
    telemetry: telemetry({ addresses: true, meter, tracer: tracing.getTracer('test') }),
    journal: { write: () => undefined },
  })
  const points = async () => {
    await reader.forceFlush()
    const found =
      exporter
        .getMetrics()
        .at(-1)
        ?.scopeMetrics.flatMap(({ metrics }) => metrics) ?? []
    exporter.reset()
    return found
      .flatMap((metric) =>
        metric.dataPoints.map(({ attributes, value }) => {
          const count = metric.dataPointType === DataPointType.HISTOGRAM ? (value as { count: number }).count : value
          const about = Object.entries(attributes).map(
            ([name, one]) => `${name.replace(/^(?:yosei|http)\./, '')}=${one}`,
          )
          // How long it took differs each time.
          const told = metric.descriptor.name === 'yosei.stage.time' ? `> 0: ${Number(count) > 0}` : count
          return `${metric.descriptor.name} ${about.sort().join(' ')} ${told}`
        }),
      )
      .sort()
  }
  return { app, points }
}

const body = { team: 'nebula', seats: [1], by: { a: 1 } }
const post = (night: string, sent: object = body, headers: object = {}) =>
  new Request(`http://a/api/nights/${night}`, {
    method: 'POST',
    body: JSON.stringify(sent),
    headers: { 'content-type': 'application/json', ...headers },
  })

test('what is counted, with as many series as are declared, whatever clients send', async () => {
  const { app, points } = measured()
  let end: () => void = () => undefined
  const held = new Promise<void>((resolve) => {
    end = resolve
  })
  const handle = serve(app, {
    bookNight: ({ path }) =>
      path.night === 7 ? held : path.night === 6 ? Promise.reject(new Error('broken')) : undefined,
  })
  const slow = handle(post('7'))
  while ((await handle(post('7'))).status !== 409);
  end()
  await slow
  for (const night of ['1', '2', '9', '8', '6']) await handle(post(night))
  for (let at = 0; at < 20; at++)
    await handle(post('0', { team: 'a', [`made-up-${at}`]: 1, seats: [1, 'x'], by: { [`name-${at}`]: 'x' } }))
  for (let at = 0; at < 20; at++) await handle(new Request(`http://a/other/${at}`, { method: `MADE-UP-${at}` }))
  expect(await points()).toMatchInlineSnapshot(`
   [
     "http.server.request.duration error.type=500 request.method=POST response.status_code=500 route=/api/nights/{night} url.scheme=http 1",
     "http.server.request.duration error.type=501 request.method=_OTHER response.status_code=501 url.scheme=http 20",
     "http.server.request.duration error.type=503 request.method=POST response.status_code=503 route=/api/nights/{night} url.scheme=http 1",
     "http.server.request.duration request.method=POST response.status_code=204 route=/api/nights/{night} url.scheme=http 3",
     "http.server.request.duration request.method=POST response.status_code=400 route=/api/nights/{night} url.scheme=http 20",
     "http.server.request.duration request.method=POST response.status_code=409 route=/api/nights/{night} url.scheme=http 1",
     "http.server.request.duration request.method=POST response.status_code=422 route=/api/nights/{night} url.scheme=http 1",
     "yosei.errors address=body.* code=unlisted endpoint=bookNight 20",
     "yosei.errors address=body.by{} code=wrong_type endpoint=bookNight 20",
     "yosei.errors address=body.seats[] code=wrong_type endpoint=bookNight 20",
     "yosei.errors address=path.night code=below_min endpoint=bookNight 20",
     "yosei.errors address=path.night code=busy endpoint=bookNight 1",
     "yosei.errors address=path.night code=not_found endpoint=bookNight 1",
     "yosei.lookup.duration endpoint=bookNight lookup=night outcome=failed 1",
     "yosei.lookup.duration endpoint=bookNight lookup=night outcome=found 5",
     "yosei.rejections endpoint=bookNight outcome=failed response.status_code=500 stage=handle 1",
     "yosei.rejections endpoint=bookNight outcome=failed response.status_code=503 stage=lookups 1",
     "yosei.rejections endpoint=bookNight outcome=rejected response.status_code=400 stage=shape 20",
     "yosei.rejections endpoint=bookNight outcome=rejected response.status_code=409 stage=turn 1",
     "yosei.rejections endpoint=bookNight outcome=rejected response.status_code=422 stage=lookups 1",
     "yosei.rejections outcome=rejected response.status_code=501 stage=match 20",
     "yosei.stage.requests endpoint=bookNight stage=check 27",
     "yosei.stage.requests endpoint=bookNight stage=handle 4",
     "yosei.stage.requests endpoint=bookNight stage=lookups 6",
     "yosei.stage.requests endpoint=bookNight stage=receive 27",
     "yosei.stage.requests endpoint=bookNight stage=turn 7",
     "yosei.stage.time endpoint=bookNight stage=check > 0: true",
     "yosei.stage.time endpoint=bookNight stage=handle > 0: true",
     "yosei.stage.time endpoint=bookNight stage=lookups > 0: true",
     "yosei.stage.time endpoint=bookNight stage=receive > 0: true",
     "yosei.stage.time endpoint=bookNight stage=turn > 0: true",
     "yosei.turn.held.duration turn=night 6",
     "yosei.turn.wait.duration outcome=busy turn=night 1",
     "yosei.turn.wait.duration outcome=taken turn=night 6",
     "yosei.turn.waiting turn=night 0",
   ]
  `)
})

test('behind a gate and a front, and what never became a request', async () => {
  const { app, points } = measured()
  const started = async (server: Server) => {
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
    return `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  }
  const ends = (_: unknown, response: { end(): void }) => response.end()
  const servers = [createServer(ends), createServer(connect().use(gate(app)).use(ends))]
  const [to, gated] = (await Promise.all(servers.map(started))) as [string, string]
  const fronted = await listen(front(app, { to }))
  const send = async (url: string, night: string) => {
    const headers = { 'content-type': 'application/json' }
    return (await fetch(`${url}/api/nights/${night}`, { method: 'POST', body: JSON.stringify(body), headers })).status
  }
  expect([await send(fronted.url, '1'), await send(fronted.url, 'x'), await send(gated, 'x')]).toEqual([200, 400, 400])
  expect((await fetch(fronted.url, { method: 'PURGE' })).status).toBe(501)
  await fronted.close()
  await Promise.all(servers.map((server) => new Promise((resolve) => server.close(resolve))))
  expect(await points()).toMatchInlineSnapshot(`
   [
     "http.server.request.duration error.type=501 request.method=_OTHER response.status_code=501 url.scheme=http 1",
     "http.server.request.duration request.method=POST response.status_code=200 route=/api/nights/{night} url.scheme=http 1",
     "http.server.request.duration request.method=POST response.status_code=400 route=/api/nights/{night} url.scheme=http 2",
     "yosei.errors address=path.night code=wrong_type endpoint=bookNight 2",
     "yosei.lookup.duration endpoint=bookNight lookup=night outcome=found 1",
     "yosei.rejections endpoint=bookNight outcome=rejected response.status_code=400 stage=shape 2",
     "yosei.rejections outcome=rejected response.status_code=501 stage=match 1",
     "yosei.stage.requests endpoint=bookNight stage=check 3",
     "yosei.stage.requests endpoint=bookNight stage=handle 1",
     "yosei.stage.requests endpoint=bookNight stage=lookups 1",
     "yosei.stage.requests endpoint=bookNight stage=receive 3",
     "yosei.stage.requests endpoint=bookNight stage=turn 1",
     "yosei.stage.time endpoint=bookNight stage=check > 0: true",
     "yosei.stage.time endpoint=bookNight stage=handle > 0: true",
     "yosei.stage.time endpoint=bookNight stage=lookups > 0: true",
     "yosei.stage.time endpoint=bookNight stage=receive > 0: true",
     "yosei.stage.time endpoint=bookNight stage=turn > 0: true",
     "yosei.turn.held.duration turn=night 1",
     "yosei.turn.wait.duration outcome=taken turn=night 1",
     "yosei.turn.waiting turn=night 0",
   ]
  `)
})

test('a trace goes on: the caller’s, the request’s, its turn and lookups, and the handler’s own', async () => {
  spans.reset()
  const { app } = measured()
  const handle = serve(app, { bookNight: () => void trace.getTracer('own').startSpan('own').end() })
  const own = tracing.getTracer('own')
  trace.setGlobalTracerProvider(tracing)
  const parent = own.startSpan('client')
  const { traceId, spanId } = parent.spanContext()
  const traceparent = `00-${traceId}-${spanId}-01`
  await handle(post('1', body, { traceparent }))
  await handle(post('0', { ...body, team: 5 }, { traceparent }))
  trace.disable()
  const all = spans.getFinishedSpans()
  const nameOf = (id: string | undefined) =>
    all.find((one) => one.spanContext().spanId === id)?.name ?? (id === spanId ? 'client' : '')
  expect(
    all.map(
      (one) =>
        `${nameOf(one.parentSpanContext?.spanId)} > ${one.name}: ${one.status.code} ${one.events.map(({ attributes }) => Object.values(attributes ?? {}).join(' ')).join(', ')}`,
    ),
  ).toEqual([
    'POST /api/nights/{night} > turn night: 0 ',
    'POST /api/nights/{night} > lookup night: 0 ',
    'POST /api/nights/{night} > own: 0 ',
    'client > POST /api/nights/{night}: 0 ',
    'client > POST /api/nights/{night}: 0 below_min path.night, wrong_type body.team',
  ])
  expect(all.every((one) => one.spanContext().traceId === traceId)).toBe(true)
})
