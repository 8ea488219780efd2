import { once } from 'node:events'
import { createServer } from 'node:http'
import { type AddressInfo, connect as connectTo } from 'node:net'
import { gzipSync } from 'node:zlib'
import { describe, expect, test } from '@jest/globals'
import connect from 'connect'
import {
  answer,
  anything,
  endpoint,
  file,
  foldAddress,
  intake,
  integer,
  type JournalEvent,
  judge,
  judgeParts,
  list,
  parseMessage,
  record,
  serve,
  text,
  write,
} from 'yosei'
import { gate } from 'yosei/node'
import { json, one, put } from './shared.ts'

const _told = (verdict: { outcome: string; errors?: readonly { address: string; code: string; message: string }[] }) =>
  verdict.errors?.map(({ address, code, message }) => `${address} ${code}: ${message}`)

describe('messages and their framing', () => {
  const app = intake({ endpoints: { one: one(record({ a: integer() })) }, base: '/api/' })
  test.each<[string, () => Promise<object>, object]>([
    [
      'a base may end in a slash',
      () => judge(intake({ endpoints: { get: endpoint('GET /a', {}) }, base: '/api/' }), 'GET /api/a HTTP/1.1'),
      { outcome: 'accepted' },
    ],
    [
      'a body longer than its Content-Length is refused',
      () =>
        put(intake({ endpoints: { one: one(record({ a: integer() })) } }), '{"a":1}  ', {
          ...json,
          'content-length': '7',
        }),
      { status: 400, errors: [{ address: 'header.content-length', code: 'bad_syntax' }] },
    ],
    [
      'header fields that are inherited were not sent',
      () =>
        put(
          intake({ endpoints: { one: one(record({ a: integer() }), { header: { x: text({ optional: true }) } }) } }),
          '{"a":1}',
          Object.assign(Object.create({ x: 'inherited' }), json),
        ),
      { outcome: 'accepted', input: { header: {} } },
    ],
    [
      'a fault of JSON has its place from 1',
      () => put(intake({ endpoints: { one: one(record({})) } }), '{\n "a": x}'),
      { errors: [{ code: 'bad_syntax', line: 2, column: 7 }] },
    ],
    [
      'fractions that numbers have lost, and have not',
      () =>
        put(
          intake({ endpoints: { one: one(list(integer())) } }),
          '[9007199254740991.4, 5.00000000000000001, 1e-400, 15e-1, 1.50e1, 0.0, 10e-1, 9007199254740991]',
        ),
      { errors: [0, 1, 2, 3].map((index) => ({ address: `body[${index}]`, code: 'not_whole' })) },
    ],
    [
      'fractions beyond any depth that is read',
      () =>
        put(
          intake({ endpoints: { one: one(anything()) } }),
          `${'[5.00000000000000001,'.repeat(45_000)}1${']'.repeat(45_000)}`,
        ),
      { errors: [{ code: 'too_large' }] },
    ],
    [
      'a fault at the start',
      () => put(intake({ endpoints: { one: one(record({})) } }), 'x'),
      { errors: [{ line: 1, column: 1 }] },
    ],
    [
      'errors of a query come after those of the path',
      () =>
        judge(
          intake({ endpoints: { get: endpoint('GET /{a}', { path: { a: integer() }, query: { b: integer() } }) } }),
          'GET /x?b=x HTTP/1.1',
        ),
      { errors: [{ address: 'path.a' }, { address: 'query.b' }] },
    ],
  ])('%s', async (_, judged, wanted) => {
    expect(await judged()).toMatchObject(wanted)
  })
  test('an id that is all zeros is none', async () => {
    const verdict = (traceparent: string) =>
      serve(app, { one: () => 1 } as never)(new Request('http://kr.example/x', { headers: { traceparent } }))
    const instanceOf = async (trace: string) =>
      ((await (await verdict(`00-${trace}-b7ad6b7169203331-01`)).json()) as { instance: string }).instance
    expect(await instanceOf('0af7651916cd43dd8448eb211c80319c')).toBe('urn:uuid:0af76519-16cd-43dd-8448-eb211c80319c')
    expect(await instanceOf('0'.repeat(32))).not.toContain('00000000-0000')
  })
  test('a list in a header field holds no comma when it is written', () => {
    const get = endpoint('GET /', { header: { x: list(text()) } })
    const named = write(get, 'http://kr.example', { header: { x: ['a'] }, body: undefined } as never).headers
    expect([...named.keys()]).toEqual(['x'])
    expect(
      write(get, 'http://kr.example', { path: {}, header: { x: ['a', 'b'] }, body: undefined } as never).headers.get(
        'x',
      ),
    ).toBe('a, b')
    expect(() =>
      write(get, 'http://kr.example', { path: {}, header: { x: ['a', 'b,c'] }, body: undefined } as never),
    ).toThrow('header.x has a value that cannot be sent here')
  })
  test('a gate closes a connection whose body it did not read', async () => {
    const server = createServer(connect().use(gate(intake({ endpoints: { one: one(record({})) } })))).listen(0)
    await once(server, 'listening')
    const socket = connectTo((server.address() as AddressInfo).port)
    socket.write('POST / HTTP/1.1\r\nHost: x\r\nContent-Type: text/css\r\nContent-Length: 100000\r\n\r\nx')
    let came = ''
    for await (const chunk of socket) came += chunk
    expect(came).toMatch(/^HTTP\/1.1 415[\s\S]*connection: close/i)
    server.close()
  })
})

test('two codings are undone, three are not, and header fields are counted to their last byte', async () => {
  const app = intake({ endpoints: { one: one(record({})) }, limits: { headers: 100 } })
  const twice = gzipSync(gzipSync('{}'))
  const send = (headers: object) => judge(app, { method: 'POST', target: '/', headers: headers as never, body: twice })
  const coded = (coding: string) => ({ 'content-type': 'application/json', 'content-encoding': coding })
  expect(await send(coded('gzip, gzip'))).toMatchObject({ outcome: 'rejected', errors: [{ code: 'too_many' }] })
  const exactly = { ...json, x: 'y'.repeat(100 - 'content-type'.length - 'application/json'.length - 9) }
  const put = (headers: object) => judge(app, { method: 'POST', target: '/', headers: headers as never, body: '{}' })
  expect(await put(exactly)).toMatchObject({ outcome: 'accepted' })
  expect(await put({ ...exactly, x: `${exactly.x}y` })).toMatchObject({ status: 431 })
})

test('what a query has no way to carry is not written', () => {
  const get = endpoint('GET /', { query: { a: integer({ nullable: true, optional: true }), b: integer() } })
  const sent = (a: null | undefined) => ({ path: {}, query: a === null ? { a, b: 1 } : { b: 1 }, body: undefined })
  expect(write(get, 'http://kr.example', sent(undefined)).url).toBe('http://kr.example/?b=1')
  expect(() => write(get, 'http://kr.example', sent(null))).toThrow('query.a has a value that cannot be sent here')
})

test('a coding is undone of a body that is there at once', async () => {
  const app = intake({ endpoints: { one: one(record({ a: integer() })) } })
  expect(await put(app, gzipSync('{"a":1}'), { ...json, 'content-encoding': 'gzip' })).toMatchObject({
    input: { body: { a: 1 } },
  })
})

test('a whole file goes out as it is, with its own type or that of the body', async () => {
  const picture = one({ 'image/*': file() } as never)
  const send = (type: string) =>
    write(picture, 'http://kr.example', { path: {}, body: new Blob(['png'], { type }) } as never)
  const request = send('image/png')
  expect([request.headers.get('content-type'), await request.text()]).toEqual(['image/png', 'png'])
  expect(() => send('text/plain')).toThrow('header.content-type')
})

test('blanks about a header value, and the quotes of a cookie, are not part of it', async () => {
  const get = endpoint('GET /', { header: { 'x-team': text() }, cookie: { theme: text({ optional: true }) } })
  const app = intake({ endpoints: { get } })
  const inputOf = async (lines: string) => {
    const verdict = await judge(app, `GET / HTTP/1.1\n${lines}\n`)
    return verdict.outcome === 'accepted' && [verdict.input.header['x-team'], verdict.input.cookie.theme]
  }
  for (const [lines, team, theme] of [
    ['X-Team: \t nebula\t \nCookie: theme="', 'nebula', '"'],
    ['X-Team: a b\nCookie: theme=""', 'a b', undefined],
    ['X-Team:\tnebula\nCookie: theme="x"', 'nebula', 'x'],
  ])
    expect([lines, await inputOf(lines as string)]).toEqual([lines, [team, theme]])
})

test('separators of a query that separate nothing are passed by', async () => {
  const get = endpoint('GET /', { query: { a: integer({ optional: true }), b: integer({ optional: true }) } })
  const app = intake({ endpoints: { get } })
  for (const [query, input] of [
    ['&a=1', { a: 1 }],
    ['a=1&&b=2', { a: 1, b: 2 }],
    ['a=1&', { a: 1 }],
    ['&', {}],
  ] as const)
    expect([query, await judge(app, `GET /?${query} HTTP/1.1\n`)]).toMatchObject([query, { input: { query: input } }])
})

test('a message that cannot be read says in which of its parts', async () => {
  const app = intake({ endpoints: { get: endpoint('GET /', {}) } })
  const addresses = async (message: string) => {
    const verdict = await judge(app, message)
    return verdict.outcome === 'rejected' && verdict.errors.map(({ address }) => address)
  }
  expect(await addresses('GET\n')).toEqual(['path'])
  expect(await addresses('GET / HTTP/1.1\nno field\n')).toEqual(['header'])
})

test('a request for an unknown language gets the first one', async () => {
  const verdict = judgeParts(one(text()), { body: 1 })
  const languages = ['fr', 'de-AT-x-wien, fr;q=0.5', 'DE', '*', 'de;q=0'].map((field) =>
    answer(verdict as never, new Request('http://kr.example', { headers: { 'accept-language': field } })).headers.get(
      'content-language',
    ),
  )
  expect(languages).toEqual(['en', 'de', 'de', 'en', 'en'])
})

test('a syntax error inside a list has its place, also behind a comma', async () => {
  const app = intake({ endpoints: { put: one(anything()) } })
  const places = async (body: string) => {
    const verdict = await put(app, body)
    return verdict.outcome === 'rejected' && verdict.errors.map(({ line, column }) => `${line}:${column}`)
  }
  for (const [body, place] of [
    ['[1, 2, x]', '1:8'],
    ['[true, false, null, x]', '1:21'],
    ['\n[1, x]', '2:5'],
    ['{"a": [1,\n "b", }', '2:7'],
    ['{"a": 1, 2}', '1:10'],
    ['[{"a": 1}, {"b": tru}]', '1:18'],
    ['{1: 2}', '1:2'],
    ['{: 2}', '1:2'],
    ['{"a": 1, : 2}', '1:10'],
    ['{"a": 1, b: 2}', '1:10'],
    ['\r\n[1, x]', '2:5'],
    ['\r[1, x]', '2:5'],
    ['\r\r\n[x]', '3:2'],
    ['[1,\r\n\r\nx]', '3:1'],
  ] as const)
    expect([body, await places(body)]).toEqual([body, [place]])
})

test('what a framework answers with 404 or 405 was not let by unjudged', async () => {
  const events: JournalEvent[] = []
  const app = intake({
    endpoints: { get: endpoint('GET /known', {}) },
    journal: { write: (event: JournalEvent) => events.push(event) },
  })
  const server = connect()
  server.use(gate(app) as never)
  server.use(((request: { url: string }, response: { statusCode: number; end(): void }) => {
    response.statusCode = Number(request.url.slice(1))
    response.end()
  }) as never)
  const listening = createServer(server).listen(0, '127.0.0.1')
  await once(listening, 'listening')
  const { port } = listening.address() as AddressInfo
  for (const status of [404, 405, 204]) await fetch(`http://127.0.0.1:${port}/${status}`)
  listening.close()
  expect(events.map(({ outcome, route }) => [outcome, route])).toEqual([['unjudged', 'GET /204']])
})

test('an address is folded at its indices, and at none that stands in a name', () => {
  const rows = [
    ['body.exposures[2].seconds', 'body.exposures[].seconds'],
    ['body[0][12].a', 'body[][].a'],
    ['body["a[0]"][1]', 'body["a[0]"][]'],
    [String.raw`body["say \"[3]\""].b[4]`, String.raw`body["say \"[3]\""].b[]`],
    ['query.limit', 'query.limit'],
    ['', ''],
  ] as const
  for (const [address, folded] of rows) expect(foldAddress(address)).toBe(folded)
})

test('a line that is no request line is shown whole if it is short', () => {
  for (const [line, said] of [
    ['x'.repeat(40), 'x'.repeat(40)],
    ['x'.repeat(41), `${'x'.repeat(39)}…`],
  ] as const)
    expect(parseMessage(line)).toMatchObject({ reason: expect.stringContaining(`"${said}" is no request line`) })
})

test('the one method of a path is listed with the methods that every path takes', async () => {
  const app = intake({ endpoints: { put: endpoint('PUT /one', {}), get: endpoint('GET /two', {}) } })
  const allowed = async (target: string) => {
    const verdict = await judge(app, { method: 'DELETE', target })
    return verdict.outcome === 'rejected' && verdict.headers
  }
  expect(await Promise.all(['/one', '/two'].map(allowed))).toEqual([
    { allow: 'OPTIONS, PUT' },
    { allow: 'GET, HEAD, OPTIONS' },
  ])
})
