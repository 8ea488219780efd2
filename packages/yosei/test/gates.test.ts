/** Gates before real routers: what a router takes for a declared path, however it is spelled, a gate has judged. */

import { once } from 'node:events'
import { Agent, type IncomingMessage, type RequestListener, request, type ServerResponse } from 'node:http'
import { connect as connectTo, createServer as createHttp2 } from 'node:http2'
import type { AddressInfo } from 'node:net'
import { text as textOf } from 'node:stream/consumers'
import { describe, expect, jest, test } from '@jest/globals'
import KoaRouter from '@koa/router'
import connect from 'connect'
import express from 'express'
import findMyWay from 'find-my-way'
import Koa from 'koa'
import { anything, type Endpoint, endpoint, file, intake, integer, type JournalEvent, record, serve, text } from 'yosei'
import { koaGate } from 'yosei/koa'
import { contextOf, gate, handled, inputOf, listen, listenerOf, verdictAt } from 'yosei/node'
import { randomly } from '../dist/internals.js'
import { open, started } from './service.ts'

const declared = (mode: 'enforce' | 'observe') => ({
  pay: endpoint('GET /api/pay/{id}', { path: { id: integer() }, mode }),
  me: endpoint('GET /api/pay/me', { mode }),
  file: endpoint('GET /api/files/{name}.json', { path: { name: text({ length: [1, 200] }) }, mode }),
})
const [endpoints, watched] = [declared('enforce'), declared('observe')]

/** What went wrong behind the gate, by target; and how often a handler ran. */
interface Seen {
  ran: number
  readonly unjudged: string[]
}
type Handler = (one: keyof typeof endpoints) => (request: IncomingMessage, response: ServerResponse) => void
type Guard = ReturnType<typeof gate>

const plain =
  (guard: Guard, next: RequestListener): RequestListener =>
  (request, response) =>
    guard(request, response, () => next(request, response))

const folding =
  (fold: (path: string) => string, routes: RequestListener): RequestListener =>
  (request, response) => {
    request.url = fold(request.url ?? '/')
    routes(request, response)
  }
const normalised = (path: string) => (URL.canParse(path, 'http://h') ? new URL(path, 'http://h').pathname : path)

function withRouter(router: express.Router, handler: Handler): express.Router {
  return router
    .get('/api/pay/me', handler('me'))
    .get('/api/pay/:id', handler('pay'))
    .get('/api/files/:name.json', handler('file'))
}
function found(handler: Handler, options: findMyWay.Config<findMyWay.HTTPVersion.V1>): RequestListener {
  const router = findMyWay(options)
  router.on('GET', '/api/pay/me', handler('me'))
  router.on('GET', '/api/pay/:id', handler('pay'))
  router.on('GET', '/api/files/:name.json', handler('file'))
  return (request, response) => router.lookup(request, response)
}
const end = (_: IncomingMessage, response: ServerResponse) => void response.writeHead(404).end()
const byExpress = (handler: Handler, options = {}) => {
  const app = express().use(withRouter(express.Router(options), handler))
  return app.use(end) as RequestListener
}
const setups: readonly (readonly [string, (guard: Guard, handler: Handler) => RequestListener])[] = [
  ['express', (guard, handler) => express().use(guard).use(withRouter(express.Router(), handler)).use(end)],
  [
    'express, mounted',
    (guard, handler) =>
      express().use('/api', express.Router().use(guard)).use(withRouter(express.Router(), handler)).use(end),
  ],
  [
    'express, strictly',
    (guard, handler) =>
      express()
        .use(guard)
        .use(withRouter(express.Router({ strict: true, caseSensitive: true }), handler))
        .use(end),
  ],
  [
    'connect',
    (guard, handler) =>
      connect()
        .use(guard)
        .use(withRouter(express.Router(), handler) as never)
        .use(end),
  ],
  ['a router by a tree', (guard, handler) => plain(guard, found(handler, { defaultRoute: end }))],
  [
    'a router that folds',
    (guard, handler) =>
      plain(
        guard,
        found(handler, {
          defaultRoute: end,
          ignoreDuplicateSlashes: true,
          ignoreTrailingSlash: true,
          caseSensitive: false,
        }),
      ),
  ],
  ['URLs', (guard, handler) => plain(guard, folding(normalised, byExpress(handler)))],
  [
    'what decodes first',
    (guard, handler) =>
      plain(
        guard,
        folding((path) => path.replace(/%(2e|2f|5c|3b|6d|70)/gi, decodeURIComponent), byExpress(handler)),
      ),
  ],
  [
    'what decodes, and takes URLs',
    (guard, handler) =>
      plain(
        guard,
        folding((path) => normalised(path.replace(/%(25|2e|2f|5c|3b)/gi, decodeURIComponent)), byExpress(handler)),
      ),
  ],
  [
    'matrix parameters',
    (guard, handler) =>
      plain(
        guard,
        folding((path) => path.replace(/;[^/?]*/g, ''), byExpress(handler)),
      ),
  ],
]

/** What may be written between or about the letters of a path. */
const scraps = [
  '/',
  '//',
  '/./',
  '/../',
  '/..',
  '/.',
  '\\',
  '#',
  '#/pay/5',
  '#/api/pay/5',
  '?',
  '?x=1',
  ';',
  ';x=1',
  ';x/',
  '.',
  '..',
  '%2e',
  '%2E%2e',
  '%2f',
  '%5c',
  '%3b',
  '%23',
  '%3f',
  '%25',
  '%252e',
  '%252f',
  '%00',
  '%20',
  '%zz',
  '%',
  'x',
  '/x/..',
  '/api',
  '/pay/5',
  '/me',
  '.json',
  '%c3%a9',
  'é',
  '@',
  ':',
  '*',
]
const starts = [
  '/api/pay/5',
  '/api/pay/me',
  '/api/files/a.json',
  '/api/pay/',
  '/api/pay/..',
  '/api/pay/1',
  '/api/files/a.b.json',
]
function spellings(count: number, seed: number): readonly string[] {
  const random = randomly(seed)
  const pick = <T>(all: readonly T[]): T => all[Math.floor(random() * all.length)] as T
  const edits: readonly ((path: string, at: number) => string)[] = [
    (path, at) => path.slice(0, at) + pick(scraps) + path.slice(at),
    (path) => path + pick(scraps),
    (path, at) => path.slice(0, at) + path.slice(at).toUpperCase(),
    (path, at) => `${path.slice(0, at)}%${path.charCodeAt(at).toString(16)}${path.slice(at + 1)}`,
    (path) => pick(['http://h', 'HTTP://u@h:1', '//h', '/x/..', '/.', '/%2e', '/;x']) + path,
    (path) => path.replaceAll('/', pick(['//', '/./', '%2f', '\\', '/'])),
  ]
  const all = new Set<string>()
  while (all.size < count) {
    let path = pick(starts)
    for (let times = Math.floor(random() * 4); times > 0; times--)
      path = pick(edits)(path, Math.min(path.length - 1, Math.floor(random() * path.length)))
    if (/^(?:\/|[a-z]+:\/\/)/i.test(path) && !/[^\x21-\x7e]/.test(path)) all.add(path)
  }
  return [...all]
}

const agent = new Agent({ keepAlive: true, maxSockets: 8 })
const statusOf = (base: string, path: string) =>
  new Promise<number>((resolve, reject) => {
    request(base, { agent, path, method: 'GET', headers: { 'x-target': path } }, (response) => {
      response.resume().on('end', () => resolve(response.statusCode ?? 0))
    })
      .on('error', reject)
      .end()
  })

async function walked(
  of: typeof endpoints,
  setup: (guard: Guard, handler: Handler) => RequestListener,
  targets: readonly string[],
  guard: Guard,
  read: (one: Endpoint, request: IncomingMessage) => unknown,
): Promise<Seen & { readonly statuses: { [status: number]: number } }> {
  const seen: Seen = { ran: 0, unjudged: [] }
  const handler: Handler = (name) => (request, response) => {
    seen.ran++
    try {
      read(of[name], request)
    } catch {
      seen.unjudged.push(`${name}: ${request.headers['x-target']}`)
    }
    response.end()
  }
  const base = await started(setup(guard, handler))
  const statuses: { [status: number]: number } = {}
  for (let at = 0; at < targets.length; at += 8)
    for (const status of await Promise.all(targets.slice(at, at + 8).map((target) => statusOf(base, target))))
      statuses[status] = (statuses[status] ?? 0) + 1
  return { ...seen, statuses }
}

const seed = Number(process.env.YOSEI_SEED ?? 2031)
const koaSetup = (guard: unknown) => (_: Guard, handler: Handler) => {
  const router = new KoaRouter()
  for (const [path, name] of [
    ['/api/pay/me', 'me'],
    ['/api/pay/:id', 'pay'],
    ['/api/files/:name.json', 'file'],
  ] as const)
    router.get(path, (context) => {
      context.respond = false
      handler(name)(context.req, context.res)
    })
  return new Koa()
    .use(guard as Koa.Middleware)
    .use(router.routes() as never)
    .callback() as RequestListener
}

describe('no spelling of a target gets by a gate', () => {
  const targets = spellings(1500, seed)
  const app = intake({ endpoints })
  const all: typeof setups = [...setups, ['koa', koaSetup(koaGate(app))]]
  test.each([...all])('before %s', async (_, setup) => {
    const { unjudged, ran, statuses } = await walked(endpoints, setup, targets, gate(app), inputOf)
    expect(unjudged).toEqual([])
    expect(ran).toBeGreaterThan(20)
    expect(statuses[400]).toBeGreaterThan(100)
  })

  test('a target that can be folded without end is rejected', async () => {
    const base = await started(express().use(gate(app)).use(end))
    const endless = [`/%${'25'.repeat(2000)}2e`, `/api${'%2525252525252525252525252f;a%253b//./'.repeat(60)}pay/5`]
    for (const path of endless) expect(await statusOf(base, path)).toBe(400)
  })

  test('and where requests are only watched, all go on, with their verdict', async () => {
    const events: JournalEvent[] = []
    const app = intake({ endpoints: watched, journal: { write: (event: JournalEvent) => void events.push(event) } })
    const [[, setup]] = setups as [(typeof setups)[number]]
    const { unjudged, ran, statuses } = await walked(watched, setup, targets, gate(app), verdictAt)
    const open = await walked(
      watched,
      setup,
      targets,
      (_, __, next) => next(),
      () => undefined,
    )
    expect({ unjudged, ran, statuses }).toEqual(open)
    expect(events.filter(({ outcome }) => outcome === 'observed').length).toBeGreaterThan(20)
  })
})

describe('bodies that other code has read', () => {
  const notes = {
    put: endpoint('POST /notes', { body: record({ n: integer() }) }),
    keep: endpoint('POST /files', { body: { 'application/octet-stream': file() } }),
    say: endpoint('POST /texts', { body: { 'text/plain': text() } }),
    any: endpoint('POST /any', { body: anything() }),
  }
  const events: JournalEvent[] = []
  const app = intake({ endpoints: notes, journal: { write: (event: JournalEvent) => void events.push(event) } })
  const handlers = {
    put: ({ body }: { body: object }) => body,
    keep: async ({ body }: { body: { bytesNow(): Promise<Uint8Array> } }) => String(await body.bytesNow()),
    say: ({ body }: { body: string }) => body,
    any: ({ body }: { body: unknown }) => body,
  }
  const consume: express.RequestHandler = (request, _, next) => void request.resume().on('end', () => next())
  const parse = express.json({ type: () => true, strict: false })
  const behindGate = (name: keyof typeof notes) => handled(notes[name], handlers[name] as never) as never
  const places: readonly (readonly [string, (parser: express.RequestHandler) => RequestListener])[] = [
    [
      'a listener',
      (parser) =>
        express()
          .use(parser)
          .use(listenerOf(serve(app, handlers as never))),
    ],
    [
      'a gate',
      (parser) => {
        const server = express().use(parser, gate(app))
        for (const [name, { template }] of Object.entries(notes))
          server.post(template, behindGate(name as keyof typeof notes))
        return server
      },
    ],
  ]
  const rows: readonly (readonly [string, express.RequestHandler, string, string, string, number])[] = [
    ['values', parse, '/notes', 'application/json', '{"n":1}', 200],
    ['wrong values', parse, '/notes', 'application/json', '{"n":"x"}', 422],
    ['bytes', express.raw({ type: () => true }), '/notes', 'application/json', '{"n":1}', 200],
    ['anything', parse, '/any', 'application/json', '{"n":[1]}', 200],
    ['a file that was parsed', parse, '/files', 'application/octet-stream', '{"n":1}', 500],
    ['a file', express.raw({ type: () => true }), '/files', 'application/octet-stream', '{"n":1}', 200],
    ['a text that was parsed', parse, '/texts', 'text/plain', '5', 500],
    ['a text', express.text({ type: () => true }), '/texts', 'text/plain', '5', 200],
    ['nothing', consume, '/notes', 'application/json', '{"n":1}', 500],
    ['nothing of a file', consume, '/files', 'application/octet-stream', 'x', 500],
  ]
  test.each(places.flatMap(([place, make]) => rows.map((row) => [place, ...row, make] as const)))(
    'before %s: %s',
    async (_, __, parser, target, type, body, status, make) => {
      const base = await started(make(parser))
      events.length = 0
      const response = await fetch(base + target, {
        method: 'POST',
        headers: { 'content-type': type },
        body,
        signal: AbortSignal.timeout(5000),
      })
      expect(response.status).toBe(status)
      expect(events.map(({ outcome }) => outcome)).toEqual(
        status === 500 ? ['failed'] : status === 422 ? ['rejected'] : [],
      )
      if (status === 500) expect(String(events[0]?.cause)).toContain('put Yosei before what reads the stream')
    },
  )

  test('a request whose body was judged does not look like one without a body', async () => {
    const seen: unknown[] = []
    const look = async (request: Request) => {
      for (const read of [
        () => request.text(),
        () => request.json(),
        () => request.body,
        () => request.arrayBuffer(),
        () => request.clone(),
      ])
        try {
          seen.push(await read())
        } catch (error) {
          seen.push((error as Error).message.slice(0, 26))
        }
      seen.push(request.bodyUsed, request.headers.get('content-type'))
      return 'seen'
    }
    const put = endpoint('POST /notes', { body: record({ n: integer() }) })
    const app = intake({ endpoints: { put } })
    const { url, close } = await listen(serve(app, { put: (_, { request }) => look(request) }))
    open.push({ close })
    const guarded = await started(
      express()
        .use(gate(app))
        .post('/notes', handled(put, (_, { request }) => look(request)) as never),
    )
    for (const base of [url, guarded])
      await fetch(`${base}/notes`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: '{"n":1}' })
    const refused = [
      'request.text() is not ther',
      'request.json() is not ther',
      'request.body is not there:',
      'request.arrayBuffer() is n',
      'request.clone() is not the',
      true,
      'application/json',
    ]
    expect(seen).toEqual([...refused, ...refused])
  })

  test('HTTP/2 needs no field that announces a body', async () => {
    const put = endpoint('POST /notes', { body: record({ n: integer() }, { optional: true }) })
    const guard = gate(intake({ endpoints: { put } }))
    const server = createHttp2((request, response) =>
      guard(request as never, response as never, () => {
        const { path } = { path: contextOf(put, request as never).request.url }
        response.end(JSON.stringify([inputOf(put, request as never).body ?? null, new URL(path).pathname]))
      }),
    ).listen(0, '127.0.0.1')
    await once(server, 'listening')
    const client = connectTo(`http://127.0.0.1:${(server.address() as AddressInfo).port}`)
    open.push(client, server)
    const sent = async (body?: string) => {
      const stream = client.request(
        { ':method': 'POST', ':path': '/notes', 'content-type': 'application/json' },
        { endStream: body === undefined },
      )
      if (body !== undefined) stream.end(body)
      const [headers] = (await once(stream, 'response')) as [{ ':status': number }]
      return [headers[':status'], JSON.parse(await textOf(stream))]
    }
    expect(await sent()).toEqual([200, [null, '/notes']])
    expect(await sent('{"n":1}')).toEqual([200, [{ n: 1 }, '/notes']])
    expect((await sent('{"n":"x"}'))[0]).toBe(422)
    expect((await sent('{"n":1'))[0]).toBe(400)
  })
})

test('a gate whose endpoints lie under a base that it does not know says so once', async () => {
  const said = jest.spyOn(console, 'error').mockImplementation(() => undefined)
  const put = endpoint('GET /notes/{id}', { path: { id: integer() } })
  const base = await started(
    express()
      .use(gate(intake({ endpoints: { put } })))
      .get(['/v1/notes/:id', '/health'], (_, response) => void response.end()),
  )
  for (const path of ['/health', '/v1/notes/1', '/v1/notes/x', '/notes/nowhere'])
    await (await fetch(base + path)).text()
  expect(said.mock.calls).toEqual([[expect.stringContaining("declare intake({ base: '/v1' })")]])
  said.mockRestore()
})
