/** Messages that must be genuine: attested by their bytes as they came, before anything reads them. */
// biome-ignore-all format: a table reads line by line
import { createHmac } from 'node:crypto'
import type { RequestListener } from 'node:http'
import { buffer as bytesOf, text as textOf } from 'node:stream/consumers'
import { gunzipSync, gzipSync } from 'node:zlib'
import { expect, test } from '@jest/globals'
import express from 'express'
import Koa from 'koa'
import { type Attest, endpoint, file, group, intake, integer, type JournalEvent, judge, record, refuse, serve, text } from 'yosei'
import { client } from 'yosei/client'
import { koaGate, koaHandled } from 'yosei/koa'
import { front, gate, handled, listen, listenerOf } from 'yosei/node'
import { judgeProbe, probesOf } from 'yosei/probe'
import { open as running, started } from './service.ts'

type Services = { readonly key: string }
const macOf = (bytes: Uint8Array | string, key = 'k') => createHmac('sha256', key).update(bytes).digest('hex')
/** What `attest` does is what the signature says; else it compares. */
const odd: { readonly [name: string]: () => unknown } = {
  none: () => undefined, one: () => 1, text: () => 'true', empty: () => ({}), throws: () => { throw new Error('boom') }, rejects: () => Promise.reject(null),
  limit: () => refuse({ status: 429, code: 'too_often', message: 'comes too often', retryAfter: '30s' }), thrown: () => { throw refuse({ status: 401, code: 'stale', message: 'is too old', at: 'header.x-mac' }) }, never: () => new Promise(() => undefined),
}
let asked: string[] = []
const attest: Attest<unknown, Services> = async ({ bytes, head, now }, { key }) => {
  const mac = head.headers.get('X-Mac') ?? ''
  asked.push(`${head.method} ${head.path.id} ${bytes.length} ${now instanceof Date}`)
  return odd[mac] ? (odd[mac]() as boolean) : mac === macOf(bytes, key)
}
const signed = { path: { id: text() }, header: { 'x-mac': text({ optional: true, length: [3, 64] }) }, attest, keepBytes: true } as const
const put = endpoint('PUT /hooks/{id}', { ...signed, body: record({ n: integer() }), limits: { body: 60, handle: '200ms' } })
const look = endpoint('GET /hooks/{id}', { ...signed, limits: { handle: '200ms' } })
const open = endpoint('POST /open', { body: record({ n: integer() }) })
const endpoints = { put, look, open }
let events: JournalEvent[] = []
const journal = { write: (event: JournalEvent) => void events.push(event) }
const app = intake({ endpoints, journal })
const services = { key: 'k' }
const shown = ({ bytes }: { readonly bytes: Uint8Array }) => `${bytes.length} ${macOf(bytes).slice(0, 6)}`
const handlers = { put: ({ body }: { body: { n: number } }, context: { bytes: Uint8Array }) => `${body.n}, ${shown(context)}`, look: (_: unknown, context: { bytes: Uint8Array }) => shown(context), open: () => 'open' }

const keeping = express.json({ type: () => true, verify: (request, _, bytes) => Object.assign(request, { rawBody: bytes }) })
const byExpress = (...before: express.RequestHandler[]) => {
  const server = express()
  for (const one of before) server.use(one)
  return server.put('/hooks/:id', handled(put, handlers.put as never)).get('/hooks/:id', handled(look, handlers.look as never)).post('/open', handled(open, handlers.open))
}
const byKoa = (options: { bytesAt?: string } = {}) => {
  const server = new Koa()
  if (options.bytesAt !== undefined) server.use(async ({ req, request }, next) => {
    const rawBody = await textOf(req)
    await next.call(Object.assign(request, rawBody === '' ? {} : { rawBody, body: JSON.parse(rawBody) }))
  })
  server.use(koaGate(app, { services, ...options }) as never)
  const own = { PUT: koaHandled(put, handlers.put as never), GET: koaHandled(look, handlers.look as never), POST: koaHandled(open, handlers.open) }
  return server.use((context) => own[context.method as 'PUT'](context as never)).callback()
}
const handle = serve(app, handlers as never, { services })
const backend: RequestListener = async (request, response) => {
  const bytes = await bytesOf(request)
  response.setHeader('content-type', 'application/json').end(JSON.stringify(request.url === '/open' ? 'open' : request.method === 'GET' ? shown({ bytes }) : `${/\d+/.exec(String(request.headers['content-encoding'] ? gunzipSync(bytes) : Buffer.from(bytes)))}, ${shown({ bytes })}`))
}
/** Where messages go. What is parsed before has been unpacked before, too. */
const places: { readonly [name: string]: () => Promise<string> } = {
  fetch: () => started(listenerOf((request) => handle(request))),
  'a listener': () => started(listenerOf(handle)),
  'a listener behind a parser': () => started(express().use(keeping).use(listenerOf(handle, { bytesAt: 'rawBody' }))),
  'a gate': () => started(byExpress(gate(app, { services }))),
  'a gate behind a parser': () => started(byExpress(keeping, gate(app, { services, bytesAt: 'rawBody' }))),
  'a gate behind raw bytes': () => started(byExpress(async (request, _, next) => { const body = await bytesOf(request); next(Object.assign(request, body.length > 0 ? { body } : {}) && undefined) }, gate(app, { services }))),
  koa: () => started(byKoa()),
  'koa behind a parser': () => started(byKoa({ bytesAt: 'rawBody' })),
  listen: async () => { const one = await listen(handle, { port: 0 }); running.push(one); return one.url },
  'a front': async () => { const one = await listen(front(app, { to: await started(backend), services }), { port: 0 }); running.push(one); return one.url },
}

const good = '{ "n" : 7 }'
const zipped = gzipSync(good)
type Row = readonly [what: string, method: 'PUT' | 'GET' | 'POST', headers: { readonly [name: string]: string }, body: string | Uint8Array | undefined, answer: string, asked?: false]
const json = { 'content-type': 'application/json' }
const by = (mac: string) => ({ ...json, 'x-mac': mac })
const table: readonly Row[] = [
  ['signed', 'PUT', by(macOf(good)), good, `200 "7, 11 ${macOf(good).slice(0, 6)}"`],
  ['signed otherwise', 'PUT', by(macOf(good, 'other')), good, '403 body not_genuine must come from who it says, unchanged'],
  ['not signed', 'PUT', json, good, '403 body not_genuine must come from who it says, unchanged'],
  ['spaced otherwise', 'PUT', by(macOf(good)), '{"n":7}', '403 body not_genuine must come from who it says, unchanged'],
  ['without a body', 'GET', { 'x-mac': macOf('') }, undefined, `200 "0 ${macOf('').slice(0, 6)}"`],
  ['without a body, not signed', 'GET', {}, undefined, '403 header not_genuine must come from who it says, unchanged'],
  ['signed, and wrong', 'PUT', by(macOf('{"n":"x"}')), '{"n":"x"}', '422 body.n wrong_type must be a whole number'],
  ['another media type', 'PUT', { 'content-type': 'text/html', 'x-mac': macOf(good) }, good, '415 header.content-type wrong_media_type must be application/json', false],
  ['an endpoint that does not ask', 'POST', json, good, '200 "open"', false],
  ['a refusal', 'PUT', by('limit'), good, '429 body too_often comes too often'],
  ['a refusal that is thrown, at a place', 'PUT', by('thrown'), good, '401 header.x-mac stale is too old'],
  ...['none', 'one', 'text', 'empty', 'throws', 'rejects', 'never'].map((what): Row => [what, 'PUT', by(what), good, '503 ']),
]
/** Before a parser only: these depend on what is on the wire. */
const wires: readonly Row[] = [
  ['compressed', 'PUT', { ...by(macOf(zipped)), 'content-encoding': 'gzip' }, zipped, `200 "7, ${zipped.length} ${macOf(zipped).slice(0, 6)}"`],
  ['compressed, signed before', 'PUT', { ...by(macOf(good)), 'content-encoding': 'gzip' }, zipped, '403 body not_genuine must come from who it says, unchanged'],
  ['compressed and broken', 'PUT', { ...by(macOf('broken')), 'content-encoding': 'gzip' }, 'broken', '400 body bad_syntax is not in the coding that Content-Encoding names'],
  ['forged, and no JSON', 'PUT', by('x'), '{', '403 body not_genuine must come from who it says, unchanged'],
  ['signed, and no JSON', 'PUT', by(macOf('{')), '{', '400 body bad_syntax '],
  ['too large', 'PUT', by(macOf('x')), `{"n":7${' '.repeat(60)}}`, '413 body too_large must be at most 60 bytes', false],
  ['bytes that are no text', 'PUT', by(macOf(Uint8Array.of(0x22, 0xff, 0x22))), Uint8Array.of(0x22, 0xff, 0x22), '400 body bad_syntax must be UTF-8'],
]
test.each(Object.keys(places))('behind %s, a message counts as it came', async (name) => {
  const origin = await (places[name] as () => Promise<string>)()
  const found: string[] = []
  const expected: string[] = []
  for (const [what, method, headers, body, answer, isAsked] of name.endsWith('parser') ? table : [...table, ...wires]) {
    asked = []
    events = []
    const response = await fetch(`${origin}/${method === 'POST' ? 'open' : 'hooks/a%20b'}`, { method, headers, ...(body === undefined ? {} : { body: body as BodyInit }) })
    const read = await textOf(response.body as never)
    const { fields = {} } = response.status < 400 ? {} : JSON.parse(read)
    const [[at = '', [{ code = '', detail = '' } = {}] = []] = []] = Object.entries(fields) as [string, { code: string; detail: string }[]][]
    const said = response.status < 400 ? read : `${at} ${code} ${detail}`.trim()
    const length = body === undefined ? 0 : body.length
    found.push(`${what}: ${`${response.status} ${said}`.slice(0, answer.length)}`, `asked ${asked}`, `logged ${events.map(({ outcome, stage, status, cause }) => `${outcome} ${cause === undefined ? '' : 'cause '}${status}${status === 403 || status === 503 ? ` ${stage}` : ''}`)}`)
    const status = answer.slice(0, 3)
    expected.push(`${what}: ${answer}`, `asked ${isAsked === false ? '' : `${method} a%20b ${length} true`}`, `logged ${status < '400' ? '' : status === '503' ? 'failed cause 503 attest' : `rejected ${status}${status === '403' ? ' attest' : ''}`}`)
  }
  expect(found).toEqual(expected)
})

const send = async (origin: string, mac: string, body = good) => {
  const response = await fetch(`${origin}/hooks/a`, { method: 'PUT', headers: by(mac), body })
  return `${response.status} ${await response.text()}`
}
test.each([
  ['not named', byExpress(keeping, gate(app, { services }))],
  ['not there', byExpress(keeping, gate(app, { services, bytesAt: 'bytes' }))],
  ['no bytes', byExpress(keeping, (request, _, next) => { Object.assign(request, { rawBody: 7 }); next() }, gate(app, { services, bytesAt: 'rawBody' }))],
])('bytes that are %s behind a parser let nothing by', async (_, server) => {
  events = []
  expect(await send(await started(server), macOf(good))).toMatch(/^500 /)
  expect(String(events[0]?.cause)).toContain("gate(app, { bytesAt: 'rawBody' })")
})
test('what is only observed goes on, and is logged; what is forged is not wrong in a part', async () => {
  const tell = (request: express.Request, response: express.Response) => void response.json(request.body ?? 'gone')
  const modes = [['observe', '200 {"n":7}'], [{ body: 'observe' }, '403']] as const
  for (const [mode, answer] of modes) {
    events = []
    const watched = intake({ endpoints: { put: endpoint('PUT /hooks/{id}', { ...signed, body: record({ n: integer() }), mode }) }, journal })
    const server = express().use(gate(watched, { services })).use(express.json()).put('/hooks/:id', tell)
    expect((await send(await started(server), 'forged')).slice(0, answer.length)).toBe(answer)
    expect(events).toMatchObject([{ outcome: mode === 'observe' ? 'observed' : 'rejected', stage: 'attest', status: 403 }])
  }
})
test('a verdict without services is pending, and a trace shows the stage', async () => {
  const message = `PUT /hooks/a HTTP/1.1\ncontent-type: application/json\nx-mac: ${macOf(good)}\n\n${good}`
  expect(await judge(app, message)).toMatchObject({ outcome: 'pending', unasked: ['attest'], input: { body: { n: 7 } } })
  const verdict = await judge(app, message, { services, trace: true })
  expect(verdict.trace?.steps.slice(0, 4)).toEqual(['match', 'admit', 'receive', 'attest'].map((stage) => ({ stage, outcome: 'passed', ...(stage === 'match' ? { name: 'put' } : {}) })))
  // What a journal has kept of a request that failed is not what was signed.
  expect(await judge(app, message, { services: { key: 'other' }, kept: [] })).toMatchObject({ outcome: 'accepted' })
  asked = []
  // A text of fewer characters than bytes may be too large as well: it is not asked about.
  expect(await judge(app, { method: 'PUT', target: '/hooks/a', headers: json, body: JSON.stringify('é'.repeat(40)) }, { services })).toMatchObject({ outcome: 'rejected', stage: 'receive', status: 413 })
  expect(asked).toEqual([])
  expect(await judge(app, message, { services: { key: 'other' } })).toMatchObject({ outcome: 'rejected', stage: 'attest', errorsByField: { body: [{ code: 'not_genuine' }] } })
})
test('what signs is signed: by a client, through redirects, and by probes', async () => {
  const sign = async ({ bytes, target, method }: { bytes: Uint8Array; target: string; method: string }) => ({ 'X-Mac': macOf(bytes), 'x-seen': `${method} ${target}` })
  const seen: (string | null)[] = []
  const moving = async (request: Request) => {
    seen.push(request.headers.get('x-seen'))
    return request.url.endsWith('a%20b') ? new Response(null, { status: 308, headers: { location: '/hooks/moved?x=1' } }) : handle(new Request(request.url.replace('?x=1', ''), request))
  }
  const calls = client(app, { base: 'http://h', fetch: moving, sign, redirects: 'follow' })
  expect(await calls.put({ path: { id: 'a b' }, body: { n: 7 } })).toMatchObject({ outcome: 'accepted', status: 200 })
  expect(seen).toEqual(['PUT /hooks/a%20b', 'PUT /hooks/moved?x=1'])
  const faults = await Promise.all([...probesOf(app)].flatMap((one) => one.outcome === 'unprobed' ? [] : [judgeProbe(app, one, { services, sign })]))
  expect(faults.flatMap(({ fault }) => fault ?? [])).toEqual([])
  expect([...probesOf(app)].flatMap((one) => one.outcome === 'unprobed' ? `${one.endpoint} ${one.address} ${one.code}: ${one.because}` : [])).toEqual(['put body not_genuine: it needs a service', 'look header not_genuine: it needs a service'])
})
test('the nearest function counts; bytes are kept without one', async () => {
  const shared = group({ attest: () => false, keepBytes: true }, { own: endpoint('POST /own', { attest: () => true, body: text() }), far: endpoint('POST /far', { body: text() }) })
  const { kept } = { kept: endpoint('POST /kept', { body: text(), keepBytes: true }) }
  const read = serve(intake({ endpoints: { ...shared, kept } }), { own: (_, { bytes }) => shown({ bytes }), far: () => 'no', kept: (_, { bytes }) => shown({ bytes }) })
  const asking = async (path: string) => { const response = await read(new Request(`http://h/${path}`, { method: 'POST', headers: json, body: ' "é"' })); return `${response.status} ${response.status === 200 ? await response.json() : ''}` }
  expect([await asking('own'), await asking('far'), await asking('kept')]).toEqual([`200 5 ${macOf(' "é"').slice(0, 6)}`, '403 ', `200 5 ${macOf(' "é"').slice(0, 6)}`])
})
test.each([
  ['a form', () => endpoint('POST /a', { body: { 'multipart/form-data': record({ a: file() }) }, attest: () => true }), 'POST /a, attest: it needs the whole body as it came, and multipart/form-data is never whole in memory. Take the files in an endpoint of their own'],
  ['a form of a group', () => group({ keepBytes: true }, { a: endpoint('POST /a', { body: { 'multipart/form-data': record({ a: file() }) } }) }), 'POST /a, keepBytes: it needs the whole body as it came, and multipart/form-data is never whole in memory. Take the files in an endpoint of their own'],
  ['a lookup of that name', () => endpoint('POST /{a}', { path: { a: text() }, lookups: (on) => ({ attest: on.lookup({ reads: ['path.a'], ask: () => 1 }) }) }), 'POST /{a}, lookup attest: that name is reserved for what attests messages. Give the lookup another name'],
  ['no function', () => endpoint('POST /a', { attest: true as never }), 'POST /a: attest takes a function, and not true. Write attest: ({ bytes, head }, services) => services.signatures.fit(bytes, head)'],
])('a mistake: %s', (_, declare, message) => {
  expect(declare).toThrow(message)
})
