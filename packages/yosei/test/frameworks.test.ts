// biome-ignore-all format: a table reads line by line
/** One service inside of each framework: what it answers is the same as behind `listen`, whoever has parsed the body. */
import { once } from 'node:events'
import { createServer, type IncomingMessage, request as nodeRequest, type RequestListener, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import connect from 'connect'
import express from 'express'
import findMyWay from 'find-my-way'
import { AutoRouter } from 'itty-router'
import Koa from 'koa'
import polka from 'polka'
import { endpoint, file, intake, integer, list, record, refuse, serve, text } from 'yosei'
import { answerNode, listen, listenerOf } from 'yosei/node'

const gone: string[] = []
let [inside, most] = [0, 0]
const wait = (milliseconds: number) => new Promise((resolve) => setTimeout(resolve, milliseconds))
const app = intake({
  endpoints: {
    add: endpoint('POST /notes/{id}', { path: { id: text() }, query: { tag: list(text(), { optional: true }) }, body: record({ title: text({ length: [1, 9] }), n: integer() }), success: 201 }),
    find: endpoint('GET /notes/{id}', { path: { id: text() } }),
    signed: endpoint('POST /signed', { body: record({ n: integer() }), keepBytes: true }),
    upload: endpoint('POST /files', { body: { 'multipart/form-data': record({ name: text(), file: file({ bytes: '1kB' }) }) } }),
    turn: endpoint('POST /turns', { body: record({ of: text() }), turn: { of: 'it', by: ['body.of'], wait: '2s' } }),
    slow: endpoint('GET /slow/{id}', { path: { id: text() } }),
    whole: endpoint('GET /whole', {}),
  },
})
const handle = serve(app, {
  add: ({ path, query, body }) => (body.n === 13 ? refuse({ status: 409, code: 'taken', message: 'is taken', at: 'body.n' }) : { ...path, ...query, ...body }),
  find: ({ path }) => path,
  signed: (_, { bytes }) => new TextDecoder().decode(bytes),
  upload: ({ body: { name, file } }) => ({ name, bytes: file.bytes }),
  turn: async () => { most = Math.max(most, ++inside); await wait(10); inside--; return most },
  slow: ({ path }, { signal }) => new Promise((resolve) => signal.addEventListener('abort', () => { gone.push(path.id); resolve(undefined) })),
  whole: () => new Response('as it is', { status: 202, headers: { 'x-own': 'yes' } }),
})

/** What a parser of a framework's own leaves: the value, and the bytes that it came from. */
const parsing = (take: (request: IncomingMessage, response: ServerResponse, parsed: { body?: unknown; bytes?: Uint8Array }) => void): RequestListener => async (request, response) => {
  if (request.headers['content-type'] !== 'application/json') return take(request, response, {})
  const chunks: Buffer[] = []
  for await (const chunk of request) chunks.push(chunk)
  const bytes = Buffer.concat(chunks)
  try {
    take(request, response, bytes.length === 0 ? {} : { body: JSON.parse(bytes.toString()), bytes })
  } catch {
    response.writeHead(400).end('the parser of the framework')
  }
}
const byFetch = (router: { fetch(request: Request): Promise<Response> }): RequestListener => listenerOf((request) => router.fetch(request))
const router = findMyWay({ defaultRoute: (request, response) => void answerNode(handle, request as IncomingMessage, response as ServerResponse) })
const kept = { bytesAt: 'raw' }
const keeping = express.json({ verify: (request, _, bytes) => { Object.assign(request, { raw: bytes }) } })
const koa = new Koa()
koa.use((context) => { context.respond = false; return answerNode(handle, context.req, context.res) })
const frameworks: { readonly [name: string]: RequestListener } = {
  'node:http': listenerOf(handle),
  connect: connect().use(listenerOf(handle)) as RequestListener,
  express: express().use(listenerOf(handle)),
  'express, behind its parser': express().use(keeping).use(listenerOf(handle, kept)),
  polka: polka().use((request: IncomingMessage, response: ServerResponse) => void answerNode(handle, request, response)).handler as RequestListener,
  koa: koa.callback(),
  'find-my-way': (request, response) => router.lookup(request as never, response as never),
  'itty-router': byFetch(AutoRouter().all('*', handle) as never),
  'a parser of its own': parsing((request, response, parsed) => void answerNode(handle, request, response, parsed)),
}

interface Sent { readonly method?: string; readonly headers?: Record<string, string>; readonly body?: string }
const json = { 'content-type': 'application/json' }
const post = (body: string, headers: Record<string, string> = json): Sent => ({ method: 'POST', headers, body })
const form = '--b\r\nContent-Disposition: form-data; name="name"\r\n\r\né\r\n--b\r\nContent-Disposition: form-data; name="file"; filename="f"\r\n\r\nxyz\r\n--b--\r\n'
const rows: readonly (readonly [what: string, target: string, sent: Sent, status: number])[] = [
  ['JSON', '/notes/1?tag=a&tag=b', post('{"title":"é","n":1}'), 201],
  ['all errors', '/notes/1?tga=a', post('{"title":"","n":"1"}'), 400],
  ['a refusal', '/notes/1', post('{"title":"a","n":13}'), 409],
  ['no body', '/notes/1', post('', json), 400],
  ['another media type', '/notes/1', post('x', { 'content-type': 'text/plain' }), 415],
  ['the body as it came', '/signed', post('{ "n":  1 }'), 200],
  ['an upload', '/files', post(form, { 'content-type': 'multipart/form-data; boundary=b' }), 200],
  ['an encoded slash', '/notes/a%2Fb', {}, 200],
  ['what is not ASCII', '/notes/%C3%BC', {}, 200],
  ['a spoilt encoding', '/notes/%', {}, 400],
  ['a slash at the end', '/notes/1/', {}, 404],
  ['two slashes', '//notes/1', {}, 404],
  ['capitals', '/Notes/1', {}, 404],
  ['another method', '/notes/1', { method: 'DELETE' }, 405],
  ['its methods', '/notes/1', { method: 'OPTIONS' }, 204],
  ['the head alone', '/notes/1', { method: 'HEAD' }, 200],
  ['a Response', '/whole', {}, 202],
]
const started: Server[] = []
const urls: { [name: string]: string } = {}
/** As it is written: fetch would tidy the target. */
async function ask(url: string, target: string, { method = 'GET', headers = {}, body }: Sent = {}) {
  const { port } = new URL(url)
  const asked = nodeRequest({ port, host: '127.0.0.1', path: target, method, headers: { ...headers, ...(body === undefined ? {} : { 'content-length': Buffer.byteLength(body) }) } }).end(body)
  const [response] = (await once(asked, 'response')) as [IncomingMessage]
  const chunks: Buffer[] = []
  for await (const chunk of response) chunks.push(chunk)
  const kept = ['content-type', 'allow', 'vary', 'x-own', 'content-language'].map((name) => response.headers[name] ?? null)
  return { status: response.statusCode, kept, body: Buffer.concat(chunks).toString().replace(/urn:uuid:[\w-]+/, '') }
}
beforeAll(async () => {
  const own = await listen(handle)
  urls.listen = own.url
  started.push({ close: () => own.close() } as never)
  for (const [name, listener] of Object.entries(frameworks)) {
    const server = createServer(listener).listen(0, '127.0.0.1')
    await once(server, 'listening')
    started.push(server)
    urls[name] = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  }
})
afterAll(() => { for (const server of started) { server.closeAllConnections?.(); server.close() } })

describe.each(Object.keys(frameworks))('%s', (name) => {
  test.each(rows)('%s', async (_, target, sent, status) => {
    const [came, wanted] = [await ask(urls[name] as string, target, sent), await ask(urls.listen as string, target, sent)]
    expect(wanted.status).toBe(status)
    expect(came).toEqual(wanted)
  })
  test('one turn at a time, and who goes is noticed', async () => {
    most = 0
    await Promise.all(Array.from({ length: 4 }, () => ask(urls[name] as string, '/turns', post('{"of":"a"}'))))
    expect([inside, most]).toEqual([0, 1])
    const { port } = new URL(urls[name] as string)
    const asked = nodeRequest({ port, host: '127.0.0.1', path: `/slow/${encodeURIComponent(name)}` }).on('error', () => undefined).end()
    await wait(60)
    asked.destroy()
    for (let tries = 0; tries < 100 && !gone.includes(name); tries++) await wait(20)
    expect(gone).toContain(name)
  })
})
