import { connect } from 'node:net'
import { brotliCompressSync, deflateSync, gzipSync } from 'node:zlib'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import {
  constant,
  day,
  endpoint,
  file,
  flag,
  instant,
  intake,
  integer,
  type JournalEvent,
  list,
  record,
  refuse,
  serve,
  table,
  text,
} from 'yosei'
import { type Listening, listen } from 'yosei/node'
import { bytes, spoilt } from './hostile.ts'

const thing = record({
  name: text({ length: [0, 40] }),
  count: integer({ optional: true }),
  tags: list(text(), { optional: true }),
})
const events: JournalEvent[] = []
const app = intake({
  base: '/api',
  limits: { uri: 300, headers: 700, body: 200, queryValues: 5, receive: '2s', handle: '1200ms' },
  journal: { write: (event) => void events.push(event) },
  turns: { take: async (_, key) => (key.includes('busy') ? 'busy' : 'full') },
  identify: ({ headers }) => {
    const key = headers.get('authorization')
    if (key === 'Bearer wrong') return refuse({ status: 401, code: 'unknown_key', message: 'is not known here' })
    if (key === 'Bearer barred') return refuse({ status: 403, code: 'barred', message: 'may not do this' })
    if (key === 'Bearer broken') throw new Error('the key store is away')
    return key ?? 'nobody'
  },
  endpoints: {
    list: endpoint('GET /items', {
      query: {
        limit: integer({ min: 1, max: 9, optional: true }),
        tag: list(text(), { optional: true }),
        tags: list(text(), { optional: true, explode: false }),
        bars: list(integer(), { optional: true, style: 'pipeDelimited' }),
        blanks: list(text(), { optional: true, style: 'spaceDelimited' }),
        filter: record({ state: text(), min: integer({ optional: true }) }, { optional: true }),
        free: table(integer(), { optional: true }),
        at: instant({ optional: true }),
        all: flag({ optional: true }),
        word: text({ optional: true, length: [1, 8] }),
      },
      header: { 'X-Page': list(integer(), { optional: true }), 'x-count': integer({ optional: true }) },
      cookie: { theme: text({ optional: true, length: [1, 5] }), sid: integer({ optional: true }) },
    }),
    mine: endpoint('GET /items/mine', {}),
    one: endpoint('GET /items/{id}', { path: { id: text({ length: [1, 12] }) } }),
    drop: endpoint('DELETE /items/{id}', { path: { id: text() }, success: 204 }),
    make: endpoint('POST /items', { body: thing, success: 201 }),
    put: endpoint('PUT /items/{id}', {
      path: { id: integer() },
      body: thing,
      uniqueNames: true,
      statuses: { body: 400, path: 404 },
    }),
    many: endpoint('POST /many', {
      body: {
        'application/json': thing,
        'application/vnd.kr+json': record({ kr: integer() }),
        'application/x-www-form-urlencoded': thing,
        'text/plain': text({ length: [2, 10] }),
        'image/*': file({ bytes: 30 }),
      },
    }),
    none: endpoint('POST /none', {}),
    maybe: endpoint('POST /maybe', { body: record({ a: integer({ optional: true }) }, { optional: true }) }),
    form: endpoint('POST /form', {
      body: {
        'multipart/form-data': record({
          title: text(),
          night: day({ optional: true }),
          plates: list(file({ bytes: 20, types: ['image/*'] }), { optional: true, length: [0, 3] }),
        }),
      },
    }),
    purge: endpoint('PURGE /items', {}),
    old: endpoint('PUT /versions', { header: { 'x-version': constant('1') } }),
    new: endpoint('PUT /versions', { header: { 'x-version': constant('2') } }),
    noted: endpoint('POST /kinds', { body: { 'text/plain': text() } }),
    named: endpoint('POST /kinds', { body: thing }),
    taken: endpoint('POST /turns/{how}', { path: { how: text() }, turn: { of: 'how', by: ['path.how'] } }),
    fails: endpoint('POST /fails/{how}', {
      path: { how: text() },
      body: record({}, { optional: true, unlisted: 'drop' }),
    }),
  },
})
const handle = serve(app, {
  list: (input) => input,
  mine: () => 'mine',
  one: ({ path }) => path,
  drop: () => undefined,
  make: ({ body }) => body,
  put: ({ body }) => body,
  many: ({ body }) => body,
  none: () => undefined,
  maybe: ({ body }) => body ?? null,
  form: ({ body }) => ({ ...body, plates: body.plates?.map(({ name, type, bytes }) => ({ name, type, bytes })) }),
  purge: () => ({ big: 12345678901234567890n }),
  old: () => 1,
  new: () => 2,
  noted: ({ body }) => body,
  named: ({ body }) => body,
  taken: () => undefined,
  fails: async ({ path: { how } }, { signal, id, request, who }) => {
    if (how === 'throws') throw new Error(`secret of the inside ${id}`)
    if (how === 'refuses')
      return refuse([
        { status: 409, code: 'booked', message: 'is booked already', at: 'path.how' },
        { status: 422, code: 'spent', message: 'is spent', at: 'header.x-team' },
      ])
    if (how === 'answers')
      return new Response('as it is', {
        status: 418,
        headers: [
          ['set-cookie', 'a=1'],
          ['content-length', '8'],
          ['set-cookie', 'b=2'],
          ['x-url', request.url],
          ['x-who', String(who)],
        ],
      })
    await new Promise((_, reject) => signal.addEventListener('abort', () => reject(signal.reason)))
    return undefined
  },
})

let server: Listening
beforeAll(async () => {
  server = await listen(handle)
})
afterAll(() => server.close())

const utf8 = (value: string) => Buffer.from(value).toString('latin1')

/** A message as it is sent: lines of the head, and a body whose length is reported by default of it. */
function rawOf(message: string | readonly [head: string, body: string | Uint8Array]): Buffer {
  const [head, body] = typeof message === 'string' ? [message, ''] : message
  const content = bytes(body)
  const lines = (/ HTTP\/1/.test(head.split('\n')[0] as string) ? head : head.replace(/^(.*)/, '$1 HTTP/1.1')).split(
    '\n',
  )
  if (!/^host:/im.test(head) && !/HTTP\/1.0/.test(head) && !head.includes('no-host')) lines.push('Host: kr.example')
  if (content.length > 0 && !/^(content-length|transfer-encoding):/im.test(head))
    lines.push(`Content-Length: ${content.length}`)
  return Buffer.concat([bytes(`${lines.join('\r\n')}\r\n\r\n`), content])
}

interface Seen {
  readonly status: number
  readonly headers: Headers
  readonly text: string
}

/** Sends a message over a connection of its own, and takes the first answer apart. */
const overSocket = (raw: Buffer, end = false) =>
  new Promise<Seen>((resolve, reject) => {
    const socket = connect(server.port, '127.0.0.1')
    let came = ''
    const done = () => {
      const [head = '', ...rest] = came.replace(/^HTTP\/1.1 100 Continue\r\n\r\n/, '').split('\r\n\r\n')
      const [line = '', ...lines] = head.split('\r\n')
      const headers = new Headers(lines.map((one) => one.split(/: (.*)/).slice(0, 2) as [string, string]))
      const status = Number(line.split(' ')[1])
      const text = rest.join('\r\n\r\n')
      const length = headers.get('content-length')
      if (status && (socket.closed || (length !== null && text.length >= Number(length)) || status === 204)) {
        socket.destroy()
        resolve({ status, headers, text: Buffer.from(text, 'latin1').toString() })
      } else if (socket.closed) reject(new Error(`no answer: ${came}`))
    }
    socket.on('data', (chunk) => {
      came += chunk.toString('latin1')
      done()
    })
    socket.on('close', done)
    socket.on('error', () => undefined)
    socket.write(raw)
    if (end) socket.end()
  })

/** The same message as a fetch Request. */
async function inProcess(raw: Buffer): Promise<Seen> {
  const whole = raw.toString('latin1')
  const at = whole.indexOf('\r\n\r\n')
  const [line = '', ...lines] = whole.slice(0, at).split('\r\n')
  const [method = '', target = ''] = line.split(' ')
  const headers = new Headers()
  for (const one of lines) headers.append(...(one.split(/:\s*(.*)/).slice(0, 2) as [string, string]))
  const body = raw.subarray(at + 4)
  const response = await handle(
    new Request(new URL(target, 'http://kr.example'), {
      method,
      headers,
      ...(body.length > 0 ? { body: new Uint8Array(body) } : {}),
    }),
  )
  return { status: response.status, headers: response.headers, text: await response.text() }
}

/**
 * What was seen, in words: the status, `address code` of each error, or what the handler gave; and header fields that
 * were asked for.
 */
function outline({ status, headers, text }: Seen, wanted: readonly string[]): string[] {
  const fields = wanted.filter((one) => /^[a-z-]+=/.test(one)).map((one) => one.split('=')[0] as string)
  const told = headers.get('content-type')?.startsWith('application/problem+json')
    ? Object.entries((JSON.parse(text) as { fields?: Record<string, { code: string }[]> }).fields ?? {}).flatMap(
        ([address, errors]) => errors.map(({ code }) => `${address} ${code}`),
      )
    : text === ''
      ? []
      : [text]
  return [String(status), ...told, ...fields.map((name) => `${name}=${headers.get(name)}`)]
}

const json = 'Content-Type: application/json'
const form = 'Content-Type: application/x-www-form-urlencoded'
const good = '{"name":"a"}'
const multipart = (...parts: (readonly [disposition: string, content: string, type?: string])[]) =>
  `${parts.map(([disposition, content, type]) => `--x\r\nContent-Disposition: form-data; ${disposition}\r\n${type ? `Content-Type: ${type}\r\n` : ''}\r\n${content}\r\n`).join('')}--x--\r\n`
const parts = 'POST /api/form\nContent-Type: multipart/form-data; boundary=x'
const half = (name: string) =>
  `--x\r\nContent-Disposition: form-data; name="${name}"; filename="a"\r\nContent-Type: image/png\r\n\r\npn`
const accepted = (input: object) => JSON.stringify({ path: {}, query: {}, header: {}, cookie: {}, ...input })

type Row = readonly [
  message: string | readonly [head: string, body: string | Uint8Array],
  wanted: string,
  otherwise?: { readonly fetch?: string; readonly why?: string; readonly end?: boolean },
]
/** `fetch` is what a Request makes of it in process, if that loses something on the way, and `why`. */
const none = 'no Request can be made of it'
const table120: Row[] = [
  // paths
  ['GET /api/items/mine', '200|"mine"'],
  ['GET /api/items/abc', '200|{"id":"abc"}'],
  ['GET /api/items/a%2Fb', '200|{"id":"a/b"}'],
  ['GET /api/items/a%2fb%2F', '200|{"id":"a/b/"}'],
  ['GET /api/items/%E4%BD%A0', '200|{"id":"你"}'],
  ['GET /api/items/a+b', '200|{"id":"a+b"}'],
  ['GET /api/items/a;b=1', '200|{"id":"a;b=1"}'],
  ['GET /api/items/%', '400|path.id bad_encoding'],
  ['GET /api/items/%E0%A4', '400|path.id bad_encoding'],
  ['GET /api/items/%zz?limit=x', '400|path.id bad_encoding|query.limit unlisted'],
  ['GET /api/it%65ms/mine', '200|"mine"'],
  ['GET /api/items/..', '404', { fetch: '404', why: 'a Request resolves the dots: /api/' }],
  ['GET /api/items/x/../mine', '404', { fetch: '200|"mine"', why: 'a Request resolves the dots' }],
  ['GET /api/items/%2E%2E', '404'],
  ['GET /api/items/%2e', '404', { fetch: '404', why: 'a Request resolves the dot' }],
  ['GET /api/items/', '404'],
  ['GET /api//items', '404'],
  ['GET /api/items//', '404'],
  ['GET /API/items', '404'],
  ['GET /', '404'],
  ['GET /items', '404'],
  ['GET http://other.example/api/items/mine', '200|"mine"'],
  ['GET /api/items/mine#part', '400|path bad_syntax', { fetch: '200|"mine"', why: 'a Request drops the fragment' }],
  [`GET /api/items/${'x'.repeat(400)}`, '414|path too_large'],
  ['GET /api/items/abcdefghijklm', '400|path.id too_long'],
  ['PUT /api/items/x\nContent-Type: application/json', '400|path.id wrong_type|body missing'],
  [['PUT /api/items/x\nContent-Type: application/json', good], '404|path.id wrong_type'],
  // methods
  ['HEAD /api/items/mine', '200'],
  ['OPTIONS /api/items', '204|allow=GET, HEAD, OPTIONS, POST, PURGE'],
  ['OPTIONS /api/items/7', '204|allow=DELETE, GET, HEAD, OPTIONS, PUT'],
  ['OPTIONS *', '204', { fetch: '404', why: 'a Request has no asterisk form' }],
  ['OPTIONS /api/nothing', '404'],
  ['PATCH /api/items/7', '405|allow=DELETE, GET, HEAD, OPTIONS, PUT'],
  ['DELETE /api/items/mine', '204'],
  ['DELETE /api/items', '405|allow=GET, HEAD, OPTIONS, POST, PURGE'],
  ['PURGE /api/items', '200|{"big":"12345678901234567890"}'],
  ['PROPFIND /api/items', '501'],
  ['FROB /api/items', '501'],
  ['get /api/items', '501', { fetch: `200|${accepted({})}`, why: 'a Request makes get upper case' }],
  ['CONNECT kr.example:443', '501|connection=close', { fetch: none }],
  ['nonsense HTTP/1.1', '400|path bad_syntax', { fetch: none }],
  // queries
  ['GET /api/items?limit=3', `200|${accepted({ query: { limit: 3 } })}`],
  ['GET /api/items?limit=', `200|${accepted({})}`],
  ['GET /api/items?', `200|${accepted({})}`],
  ['GET /api/items?&&', `200|${accepted({})}`],
  ['GET /api/items?limit=03', '400|query.limit wrong_type'],
  ['GET /api/items?limit=1&limit=2', '400|query.limit sent_twice'],
  ['GET /api/items?limit=1&LIMIT=2', '400|query.LIMIT unlisted'],
  ['GET /api/items?l%69mit=4', `200|${accepted({ query: { limit: 4 } })}`],
  ['GET /api/items?limit=%zz', '400|query.limit bad_encoding'],
  ['GET /api/items?%zz=1', '400|query bad_encoding'],
  ['GET /api/items?all', `200|${accepted({ query: { all: true } })}`],
  ['GET /api/items?word=a+b%2B', `200|${accepted({ query: { word: 'a b+' } })}`],
  ['GET /api/items?word=a=b', `200|${accepted({ query: { word: 'a=b' } })}`],
  ['GET /api/items?tag=a&tag=b%2Cc', `200|${accepted({ query: { tag: ['a', 'b,c'] } })}`],
  ['GET /api/items?tags=a,b%2Cc', `200|${accepted({ query: { tags: ['a', 'b,c'] } })}`],
  ['GET /api/items?bars=1%7C2|x', '400|query.bars[2] wrong_type', { fetch: '400|query.bars[2] wrong_type' }],
  ['GET /api/items?blanks=a%20b+c', `200|${accepted({ query: { blanks: ['a', 'b', 'c'] } })}`],
  ['GET /api/items?filter[state]=on&filter[min]=2', `200|${accepted({ query: { filter: { state: 'on', min: 2 } } })}`],
  ['GET /api/items?filter%5Bmin%5D=x', '400|query.filter.state missing|query.filter.min wrong_type'],
  ['GET /api/items?filter[a][b]=1', '400|query.filter.state missing|query.filter.a unlisted'],
  ['GET /api/items?free[__proto__]=1', `200|${accepted({ query: { free: JSON.parse('{"__proto__":1}') } })}`],
  ['GET /api/items?__proto__=1', '400|query.__proto__ unlisted'],
  ['GET /api/items?at=2031-03-01T00:00:00+01:00', '400|query.at wrong_format'],
  ['GET /api/items?at=2031-03-01T00:00:00%2B01:00', `200|${accepted({ query: { at: '2031-02-28T23:00:00.000Z' } })}`],
  ['GET /api/items?tag=1&tag=2&tag=3&tag=4&tag=5', `200|${accepted({ query: { tag: ['1', '2', '3', '4', '5'] } })}`],
  ['GET /api/items?tag=1&tag=2&tag=3&tag=4&tag=5&tag=6', '400|query too_many'],
  ['GET /api/items?limit=x&word=123456789', '400|query.limit wrong_type|query.word too_long'],
  // header fields and cookies
  ['GET /api/items\nX-Page: 1, 2\nx-page:3', `200|${accepted({ header: { 'x-page': [1, 2, 3] } })}`],
  ['GET /api/items\nX-PAGE: 1,,x', '400|header.x-page[1] wrong_type'],
  ['GET /api/items\nX-Count: 4', `200|${accepted({ header: { 'x-count': 4 } })}`],
  [
    'GET /api/items\nX-Count: 4\nX-Count: 5',
    '400|header.x-count sent_twice',
    { fetch: '400|header.x-count wrong_type', why: 'a Request joins the lines' },
  ],
  ['GET /api/items\nX Count: 4', '400|header bad_syntax', { fetch: none }],
  ['GET /api/items\nX-Count 4', '400|header bad_syntax', { fetch: none }],
  [`GET /api/items\nX-Long: ${'x'.repeat(800)}`, '431|header too_large'],
  [`GET /api/items\nX-Long: ${'x'.repeat(20_000)}`, '431|header too_large'],
  ['GET /api/items\nCookie: theme=dark; sid=7; other=1', `200|${accepted({ cookie: { theme: 'dark', sid: 7 } })}`],
  ['GET /api/items\nCookie: theme="dark"; theme=light', `200|${accepted({ cookie: { theme: 'dark' } })}`],
  ['GET /api/items\nCookie: theme=a%3Bb', `200|${accepted({ cookie: { theme: 'a;b' } })}`],
  ['GET /api/items\nCookie: theme=%zz; sid=x', '400|cookie.theme bad_encoding|cookie.sid wrong_type'],
  ['GET /api/items\nCookie: nonsense', `200|${accepted({})}`],
  ['GET /api/items\nX-Without: no-host', '400|header.host missing', { fetch: none }],
  ['GET /api/items/mine HTTP/1.0', '200|"mine"'],
  ['GET /api/items\nExpect: the-moon', '417|header.expect not_constant'],
  [[`POST /api/items\n${json}\nExpect: 100-continue`, good], `201|${good}`],
  [[`POST /api/nothing\n${json}\nExpect: 100-continue`, good], '404'],
  // endpoints that share a path
  ['PUT /api/versions\nX-Version: 2', '200|2'],
  ['PUT /api/versions\nX-Version: 3', '400|header.x-version not_a_choice|vary=Accept, Accept-Language, x-version'],
  [['POST /api/kinds\nContent-Type: text/plain', 'x'], '200|"x"'],
  [
    ['POST /api/kinds\nContent-Type: text/html', 'x'],
    '415|header.content-type wrong_media_type|accept=text/plain, application/json|vary=Accept, Accept-Language, content-type',
  ],
  // turns
  ['POST /api/turns/busy', '409|path.how busy|retry-after=5'],
  ['POST /api/turns/full', '503|path.how busy|retry-after=5'],
  // the caller
  ['GET /api/items\nAuthorization: Bearer wrong', '401|header.authorization unknown_key|www-authenticate=Bearer'],
  [[`POST /api/items\n${json}\nAuthorization: Bearer barred`, '{'], '403|header.authorization barred'],
  ['GET /api/items\nAuthorization: Bearer broken', '503|retry-after=5'],
  // JSON bodies
  [[`POST /api/items\n${json}`, good], `201|${good}`],
  [['POST /api/items\nContent-Type: APPLICATION/JSON ; charset="UTF-8"', good], `201|${good}`],
  [[`POST /api/items\n${json}`, `\xef\xbb\xbf${good}`], `201|${good}`],
  [[`POST /api/items\n${json}`, utf8('{"name":"é😀"}')], '201|{"name":"é😀"}'],
  [[`POST /api/items\n${json}`, '{"name":"\xff"}'], '400|body bad_syntax'],
  [[`POST /api/items\n${json}`, '{"name":"\xc0\xaf"}'], '400|body bad_syntax'],
  [[`POST /api/items\n${json}`, '{"name":'], '400|body bad_syntax'],
  [[`POST /api/items\n${json}`, `${good} x`], '400|body bad_syntax'],
  [[`POST /api/items\n${json}`, `${good}${good}`], '400|body bad_syntax'],
  [[`POST /api/items\n${json}`, "{'name':1}"], '400|body bad_syntax'],
  [[`POST /api/items\n${json}`, '{"name":NaN}'], '400|body bad_syntax'],
  [[`POST /api/items\n${json}`, ' '], '400|body bad_syntax'],
  [[`POST /api/items\n${json}`, 'null'], '422|body null_not_allowed'],
  [[`POST /api/items\n${json}`, '[]'], '422|body wrong_type'],
  [[`POST /api/items\n${json}`, '{}'], '422|body.name missing'],
  [
    [`POST /api/items\n${json}`, '{"name":1,"count":1.5,"nmae":""}'],
    '422|body.name wrong_type|body.count not_whole|body.nmae unlisted',
  ],
  [[`POST /api/items?a=1\n${json}`, '{"name":1}'], '400|query.a unlisted|body.name wrong_type'],
  [[`POST /api/items\n${json}`, '{"name":"a","name":"b"}'], '201|{"name":"b"}'],
  [[`PUT /api/items/1\n${json}`, '{"name":"a","tags":["x,{","name"],"n\\u0061me":"b"}'], '400|body.name sent_twice'],
  [[`PUT /api/items/1\n${json}`, '{"name":"\\"name\\":","tags":[]}'], '200|{"name":"\\"name\\":","tags":[]}'],
  [[`PUT /api/items/1\n${json}`, '{"name":1}'], '400|body.name wrong_type'],
  [
    [`POST /api/items\n${json}`, `{"name":"${'x'.repeat(300)}"}`],
    '413|body too_large|connection=close',
    { fetch: '413|body too_large|connection=close' },
  ],
  [`POST /api/items\n${json}`, '400|body missing'],
  [`POST /api/items\n${json}\nContent-Length: 0`, '400|body missing'],
  ['POST /api/items', '400|body missing'],
  [
    ['POST /api/items', good],
    '415|header.content-type wrong_media_type|accept=application/json',
    { fetch: '415|header.content-type wrong_media_type|accept=application/json' },
  ],
  [['POST /api/items\nContent-Type: text/plain', good], '415|header.content-type wrong_media_type'],
  [['POST /api/items\nContent-Type: json', good], '415|header.content-type wrong_media_type'],
  [['POST /api/items\nContent-Type: application/merge-patch+json', good], '415|header.content-type wrong_media_type'],
  [
    ['POST /api/items\nContent-Type: application/json; charset=latin1', good],
    '415|header.content-type wrong_media_type',
  ],
  [[`POST /api/none\n${json}`, '{}'], '400|body unlisted'],
  [['POST /api/none', 'x'], '400|body unlisted'],
  ['POST /api/none', '204'],
  ['POST /api/maybe', '200|null'],
  [[`POST /api/maybe\n${json}`, '{}'], '200|{}'],
  [[`POST /api/maybe\n${json}`, 'null'], '422|body null_not_allowed'],
  [['GET /api/items/mine', 'x'], '400|body unlisted', { fetch: none }],
  // framing
  [
    [`POST /api/items\n${json}\nContent-Length: 5\nContent-Length: 6`, good],
    '400|header.content-length bad_syntax',
    { fetch: '400|header.content-length bad_syntax' },
  ],
  [
    [`POST /api/items\n${json}\nContent-Length: ${good.length}\nContent-Length: ${good.length}`, good],
    '400|header.content-length bad_syntax',
    { fetch: '400|header.content-length bad_syntax' },
  ],
  [[`POST /api/items\n${json}\nContent-Length: x`, good], '400|header.content-length bad_syntax'],
  [[`POST /api/items\n${json}\nContent-Length: -1`, good], '400|header.content-length bad_syntax'],
  [[`POST /api/items\n${json}\nContent-Length: 99999999999`, good], '413|body too_large|connection=close'],
  [[`POST /api/items\n${json}\nContent-Length: 100`, good], '400|body bad_syntax', { end: true }],
  [
    [`POST /api/items\n${json}\nContent-Length: 150`, good],
    '408|body bad_syntax|connection=close',
    { fetch: '400|body bad_syntax', why: 'a body in process has an end' },
  ],
  [
    [`POST /api/items\n${json}\nTransfer-Encoding: chunked`, '6\r\n{"name\r\n6\r\n":"a"}\r\n0\r\n\r\n'],
    `201|${good}`,
    { fetch: none },
  ],
  [
    [`POST /api/items\n${json}\nTransfer-Encoding: chunked`, 'zz\r\n{}\r\n0\r\n\r\n'],
    '400|body bad_syntax',
    { fetch: none },
  ],
  [
    [`POST /api/items\n${json}\nTransfer-Encoding: chunked`, `fff\r\n${'x'.repeat(4095)}\r\n0\r\n\r\n`],
    '413|body too_large',
    { fetch: none },
  ],
  [
    [`POST /api/items\n${json}\nTransfer-Encoding: chunked\nContent-Length: 5`, '0\r\n\r\n'],
    '400|header.content-length bad_syntax',
    { fetch: none },
  ],
  [
    [`POST /api/items\n${json}\nTransfer-Encoding: gzip`, 'x'],
    '400|header.transfer-encoding bad_syntax|connection=close',
    { fetch: none },
  ],
  [
    [`POST /api/items\n${json}\nTransfer-Encoding: identity`, good],
    '400|header.transfer-encoding bad_syntax|connection=close',
    { fetch: none },
  ],
  [
    [`POST /api/items\n${json}\nTransfer-Encoding: identity\nContent-Length: 12`, good],
    '400|header.transfer-encoding bad_syntax|connection=close',
    { fetch: none },
  ],
  // codings
  [[`POST /api/items\n${json}\nContent-Encoding: gzip`, gzipSync(good)], `201|${good}`],
  [[`POST /api/items\n${json}\nContent-Encoding: X-Gzip`, gzipSync(good)], `201|${good}`],
  [[`POST /api/items\n${json}\nContent-Encoding: deflate`, deflateSync(good)], `201|${good}`],
  [[`POST /api/items\n${json}\nContent-Encoding: br`, brotliCompressSync(good)], `201|${good}`],
  [[`POST /api/items\n${json}\nContent-Encoding: deflate, gzip`, gzipSync(deflateSync(good))], `201|${good}`],
  [[`POST /api/items\n${json}\nContent-Encoding: identity`, good], `201|${good}`],
  [[`POST /api/items\n${json}\nContent-Encoding: gzip`, good], '400|body bad_syntax'],
  ...[
    ['gzip', gzipSync(good)] as const,
    ['deflate', deflateSync(good)] as const,
    ['br', brotliCompressSync(good)] as const,
  ].flatMap(([coding, coded]) =>
    ['\0', good].map((behind): [[string, Uint8Array], string] => [
      [`POST /api/items\n${json}\nContent-Encoding: ${coding}`, Buffer.concat([coded, Buffer.from(behind)])],
      '400|body bad_syntax',
    ]),
  ),
  [
    [`POST /api/items\n${json}\nContent-Encoding: gzip`, gzipSync(`{"name":"${' '.repeat(100_000)}"}`)],
    '413|body too_large',
  ],
  [
    [`POST /api/items\n${json}\nContent-Encoding: zstd`, good],
    '415|header.content-encoding not_a_choice|accept-encoding=gzip, deflate, br',
  ],
  // other media types
  [['POST /api/many\nContent-Type: application/vnd.kr+json', '{"kr":7}'], '200|{"kr":7}'],
  [[`POST /api/many\n${form}`, 'name=a+b&count=3&tags=x&tags=y'], '200|{"name":"a b","count":3,"tags":["x","y"]}'],
  [[`POST /api/many\n${form}`, 'count=x&other=%41'], '422|body.name missing|body.count wrong_type|body.other unlisted'],
  [[`POST /api/many\n${form}`, 'name=%zz&count=1'], '400|body.name bad_encoding'],
  [[`POST /api/many\n${form}`, '%zz=1'], '400|body bad_encoding'],
  [['POST /api/many\nContent-Type: text/plain', 'hello'], '200|"hello"'],
  [['POST /api/many\nContent-Type: text/plain; charset=us-ascii', 'h'], '422|body too_short'],
  [['POST /api/many\nContent-Type: image/png', 'png'], '200|{"name":"","type":"image/png","bytes":3}'],
  [['POST /api/many\nContent-Type: image/png', 'x'.repeat(31)], '413|body too_large'],
  [['POST /api/many\nContent-Type: video/mp4', 'x'], '415|header.content-type wrong_media_type'],
  // forms with files
  [[parts, multipart(['name="title"', utf8('Ö')])], '200|{"title":"Ö"}'],
  [
    [
      parts,
      multipart(
        ['name="title"', 't'],
        ['name="plates"; filename="a b.png"', 'png', 'image/png'],
        ['name="plates"; filename="c"', 'x', 'image/gif'],
      ),
    ],
    '200|{"title":"t","plates":[{"name":"a b.png","type":"image/png","bytes":3},{"name":"c","type":"image/gif","bytes":1}]}',
  ],
  [
    [parts, multipart(['name="title"', 'a'], ['name="plates"; filename="a"', 'x'.repeat(21), 'text/plain'])],
    '413|body.plates[0] too_large',
  ],
  [
    [
      parts,
      multipart(['name="title"', 'a'], ['name="night"', 'today'], ['name="other"; filename="a"', 'x', 'text/plain']),
    ],
    '422|body.night wrong_format|body.other unlisted',
  ],
  [[parts, multipart(['name="title"', 'a'], ['name="plates"', 'no file'])], '422|body.plates[0] wrong_type'],
  [[parts, multipart(['name="title"', 'x'.repeat(300)])], '413|body too_large'],
  [[parts, '--x\r\nContent-Disposition: form-data; name="title"\r\n\r\na'], '400|body bad_syntax'],
  [['POST /api/form\nContent-Type: multipart/form-data', 'x'], '400|body bad_syntax'],
  [
    [`${parts}\nContent-Length: 190`, half('plates')],
    '408|body bad_syntax|connection=close',
    { fetch: '400|body bad_syntax', why: 'a body in process has an end' },
  ],
  [
    [`${parts}\nContent-Length: 190`, half('other')],
    '408|body bad_syntax|connection=close',
    { fetch: '400|body bad_syntax', why: 'a body in process has an end' },
  ],
  [[`${parts}\nContent-Length: 190`, half('other')], '400|body bad_syntax', { end: true }],
  // handlers
  ['POST /api/fails/throws', '500'],
  ['POST /api/fails/refuses', '409|path.how booked|header.x-team spent'],
  ['POST /api/fails/waits', '503|retry-after=5'],
  [
    'POST /api/fails/answers',
    '418|as it is|set-cookie=a=1, b=2|x-url=http://kr.example/api/fails/answers|x-who=nobody',
  ],
]

const wants = (wanted: string) => wanted.split(/\|(?![^{]*\})/)
test('the table is as long as it should be', () => expect(table120.length).toBeGreaterThan(120))
describe('a message is answered over a socket', () => {
  test.concurrent.each(
    table120.map(([message, wanted, other]) => [JSON.stringify(message).slice(0, 90), message, wanted, other] as const),
  )('%s', async (_, message, wanted, other) => {
    const seen = await overSocket(rawOf(message), other?.end)
    expect(outline(seen, wants(wanted))).toEqual(wants(wanted))
    expect(seen.text).not.toMatch(/secret of the inside|at .*\.js|node:/)
  })
})
describe('the same message is answered in process', () => {
  test.concurrent.each(
    table120
      .filter(([, , other]) => other?.fetch !== none)
      .map(
        ([message, wanted, other]) => [JSON.stringify(message).slice(0, 90), message, other?.fetch ?? wanted] as const,
      ),
  )('%s', async (_, message, wanted) => {
    expect(outline(await inProcess(rawOf(message)), wants(wanted))).toEqual(wants(wanted))
  })
})

const sound = table120.map(([message]) => rawOf(message)).filter((raw) => !/^HEAD|fails/.test(raw.toString('latin1')))
const spoiled = spoilt(sound)

test('whatever message comes, it is answered, and nothing breaks', () =>
  fc.assert(
    fc.asyncProperty(fc.array(spoiled, { minLength: 150, maxLength: 150 }), async (messages) => {
      const all = await Promise.all(messages.filter(({ length }) => length > 0).map((raw) => overSocket(raw)))
      expect(all.map(({ status }) => status)).not.toContain(500)
      for (const { text } of all) expect(text).not.toMatch(/secret of the inside|at .*\.js|node:/)
    }),
    { numRuns: 5, endOnFailure: true },
  ))
