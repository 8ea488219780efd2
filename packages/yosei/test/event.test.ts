// biome-ignore-all format: a table reads line by line
/** Requests as events of serverless platforms are judged and answered as the same requests are by a server. */
import { afterAll, beforeAll, expect, test } from '@jest/globals'
import { endpoint, file, flag, give, intake, integer, list, record, refuse, serve, text } from 'yosei'
import { type EventAnswer, type HttpEvent, onEvent } from 'yosei/event'
import { type Listening, listen } from 'yosei/node'

const app = intake({
  endpoints: {
    find: endpoint('GET /notes/{id}', { path: { id: text() }, query: { tag: list(text(), { optional: true }), sort: list(text(), { optional: true, explode: false }), exact: flag({ default: false }) }, cookie: { sid: text({ optional: true }), lang: text({ optional: true }) }, header: { 'x-team': list(text(), { optional: true }) } }),
    add: endpoint('POST /notes', { body: record({ title: text({ length: [1, 9] }), n: integer() }), success: 201 }),
    sent: endpoint('POST /forms', { body: { 'application/x-www-form-urlencoded': record({ a: text() }) } }),
    put: endpoint('PUT /files/{id}', { path: { id: text() }, body: { 'application/octet-stream': file({ bytes: '1kB' }) } }),
    get: endpoint('GET /files/{id}', { path: { id: text() } }),
    gone: endpoint('DELETE /notes/{id}', { path: { id: text() } }),
    fails: endpoint('GET /fails', {}),
  },
})
const bytes = Uint8Array.from({ length: 256 }, (_, n) => n)
const handle = serve(app, {
  find: ({ path, query, cookie, header }) => give({ path, query, cookie, header }, { headers: { 'x-seen': 'yes' } }),
  add: ({ body }) => (body.n === 13 ? refuse({ status: 409, code: 'taken', message: 'is taken', at: 'body.n' }) : body),
  sent: ({ body }) => body,
  put: ({ body }) => ({ size: body.bytes }),
  get: () => new Response(bytes, { headers: [['content-type', 'image/png'], ['set-cookie', 'a=1'], ['set-cookie', 'b=2']] }),
  gone: () => undefined,
  fails: () => { throw new Error('the inside') },
})

/** A request, as a client writes it. */
interface Sent { readonly method: string; readonly target: string; readonly headers?: readonly (readonly [string, string])[]; readonly body?: string | Uint8Array }
const grouped = (all: readonly (readonly [string, string])[]) => {
  const found: { [name: string]: string[] } = {}
  for (const [name, value] of all) found[name] = [...(found[name] ?? []), value]
  return found
}
const bodyOf = ({ body }: Sent) => body === undefined ? { body: null, isBase64Encoded: false } : typeof body === 'string' ? { body, isBase64Encoded: false } : { body: Buffer.from(body).toString('base64'), isBase64Encoded: true }
const decoded = (text: string) => decodeURIComponent(text.replaceAll('+', ' '))
const split = ({ target }: Sent) => { const [path = '', query = ''] = target.split('?'); return { path, query, pairs: query === '' ? [] : query.split('&').map((one): [string, string] => { const [name = '', value = ''] = one.split('='); return [name, value] }) } }
/** The same request as platforms give it to a function. */
const events: { readonly [format: string]: (sent: Sent) => HttpEvent } = {
  '2.0': (sent) => ({ version: '2.0', rawPath: split(sent).path, rawQueryString: split(sent).query, cookies: (sent.headers ?? []).filter(([name]) => name === 'cookie').flatMap(([, value]) => value.split('; ')), headers: Object.fromEntries(Object.entries(grouped((sent.headers ?? []).filter(([name]) => name !== 'cookie'))).map(([name, all]) => [name, all.join(',')])), requestContext: { http: { method: sent.method } }, ...bodyOf(sent) }),
  '1.0': (sent) => ({ httpMethod: sent.method, path: split(sent).path, multiValueHeaders: grouped(sent.headers ?? []), headers: {}, queryStringParameters: {}, multiValueQueryStringParameters: grouped(split(sent).pairs.map(([name, value]) => [decoded(name), decoded(value)])), requestContext: {}, ...bodyOf(sent) }),
  'load balancer': (sent) => ({ httpMethod: sent.method, path: split(sent).path, multiValueHeaders: grouped(sent.headers ?? []), multiValueQueryStringParameters: grouped(split(sent).pairs), requestContext: { elb: {} }, ...bodyOf(sent) }),
}
const json = [['content-type', 'application/json']] as const
const rows: readonly (readonly [what: string, sent: Sent, status: number])[] = [
  ['a path and a query', { method: 'GET', target: '/notes/n-1?tag=a&tag=b%26c&exact=true' }, 200],
  ['what is encoded in a path', { method: 'GET', target: '/notes/a%2Fb%20c%25' }, 200],
  ['a plus in a query', { method: 'GET', target: '/notes/n?tag=a+b%2Bc' }, 200],
  ['a list in one value', { method: 'GET', target: '/notes/n?sort=-a,b&tag=a%26b' }, 200],
  ['an undeclared name in a query', { method: 'GET', target: '/notes/n?tga=a' }, 400],
  ['cookies', { method: 'GET', target: '/notes/n', headers: [['cookie', 'sid=1; lang=de']] }, 200],
  ['a header field that is a list', { method: 'GET', target: '/notes/n', headers: [['x-team', 'a, b']] }, 200],
  ['a language', { method: 'GET', target: '/notes/n?exact=maybe', headers: [['accept-language', 'de']] }, 400],
  ['JSON', { method: 'POST', target: '/notes', headers: json, body: '{"title":"é","n":1}' }, 201],
  ['JSON as bytes', { method: 'POST', target: '/notes', headers: json, body: new TextEncoder().encode('{"title":"é","n":1}') }, 201],
  ['JSON that is wrong', { method: 'POST', target: '/notes', headers: json, body: '{"title":"","n":"1"}' }, 422],
  ['no JSON', { method: 'POST', target: '/notes', headers: json, body: '{' }, 400],
  ['a refusal', { method: 'POST', target: '/notes', headers: json, body: '{"title":"a","n":13}' }, 409],
  ['no body', { method: 'POST', target: '/notes', headers: json }, 400],
  ['another media type', { method: 'POST', target: '/notes', headers: [['content-type', 'text/plain']], body: 'x' }, 415],
  ['a form', { method: 'POST', target: '/forms', headers: [['content-type', 'application/x-www-form-urlencoded']], body: 'a=x+y%26' }, 200],
  ['bytes', { method: 'PUT', target: '/files/f', headers: [['content-type', 'application/octet-stream']], body: bytes }, 200],
  ['bytes that come back', { method: 'GET', target: '/files/f' }, 200],
  ['nothing that comes back', { method: 'DELETE', target: '/notes/n' }, 204],
  ['a head', { method: 'HEAD', target: '/notes/n' }, 200],
  ['another method', { method: 'PATCH', target: '/notes/n' }, 405],
  ['no such path', { method: 'GET', target: '/nothing' }, 404],
  ['a handler that throws', { method: 'GET', target: '/fails' }, 500],
]
let server: Listening
beforeAll(async () => { server = await listen(handle) })
afterAll(() => server.close())
const silent = (value: unknown): unknown => JSON.parse(JSON.stringify(value).replace(/urn:uuid:[\w-]+/g, 'urn:uuid:'))

const cases = rows.flatMap(([what, sent, status]) => Object.keys(events).map((format) => [what, format, sent, status] as const))
test.each(cases)('%s, %s', async (_, format, sent, status) => {
  const own = await fetch(server.url + sent.target, { method: sent.method, headers: (sent.headers ?? []).map(([name, value]): [string, string] => [name, value]), body: (sent.body ?? null) as never })
  const body = Buffer.from(await own.arrayBuffer())
  const answer = await onEvent(handle)((events[format] as (sent: Sent) => HttpEvent)(sent))
  const said = Buffer.from(answer.body, answer.isBase64Encoded ? 'base64' : 'utf8')
  expect([answer.statusCode, own.status]).toEqual([status, status])
  expect(silent(said.toString('latin1'))).toEqual(silent(body.toString('latin1')))
  const fields: { readonly [name: string]: unknown } = answer.headers ?? answer.multiValueHeaders ?? {}
  for (const name of ['content-type', 'allow', 'vary', 'x-seen', 'content-language', 'cache-control'])
    expect([name, [fields[name] ?? null].flat()]).toEqual([name, [own.headers.get(name)]])
  expect(answer.cookies ?? answer.multiValueHeaders?.['set-cookie'] ?? []).toEqual(own.headers.getSetCookie())
})

const asked = async (event: object): Promise<EventAnswer> => onEvent(handle)(event as never)
test('what platforms do to requests', async () => {
  // Some decode the path; a header field may be there without a value; a GET may have a body.
  const find = { httpMethod: 'GET', headers: { 'X-Team': 'a', Host: undefined }, requestContext: {} }
  expect(JSON.parse((await asked({ ...find, path: '/notes/ü b?#"' })).body)).toMatchObject({ path: { id: 'ü b?#"' }, header: { 'x-team': ['a'] } })
  expect(JSON.parse((await asked({ ...find, path: '/notes/100%' })).body).path).toEqual({ id: '100%' })
  expect(JSON.parse((await asked({ ...find, path: '/notes/n', queryStringParameters: { tag: '\ud800' } })).body).query.tag).toEqual(['\ufffd'])
  expect((await asked({ ...find, path: '/notes/n', body: 'x' })).statusCode).toBe(400)
  // The length that the client sent is not that of what the platform made of the body.
  const add = { httpMethod: 'POST', path: '/notes', headers: { 'content-type': 'application/json', 'Content-Length': '3', 'transfer-encoding': 'chunked' }, body: '{"title":"a","n":1}' }
  expect((await asked(add)).statusCode).toBe(201)
  // Without lists of values, one cookie can be set.
  expect((await asked({ ...find, path: '/files/f' })).headers?.['set-cookie']).toBe('a=1')
  for (const odd of [null, {}, { Records: [] }]) await expect(asked(odd as object)).rejects.toThrow('this is no HTTP event of payload format 1.0 or 2.0')
})
test('any other fetch handler', async () => {
  const echo = onEvent(async (request) => Response.json({ url: request.url, method: request.method, sent: await request.text() }))
  const event = { version: '2.0', rawPath: '/a', rawQueryString: 'b=1', headers: { host: 'kr.example' }, requestContext: { http: { method: 'PUT' } }, body: 'x' } as const
  expect(JSON.parse((await echo(event)).body)).toEqual({ url: 'https://kr.example/a?b=1', method: 'PUT', sent: 'x' })
  expect((await echo({ ...event, requestContext: { http: { method: 'HEAD' } } })).body).toBe('')
})
