/** The client: typed calls, what is refused before it is sent, and what a server says, whatever that is. */
import type { RequestListener } from 'node:http'
import { describe, expect, test } from '@jest/globals'
import { DeclarationError, endpoint, instant, intake, integer, list, record, refuse, serve, text } from 'yosei'
import { client } from 'yosei/client'
import { started } from './service.ts'

const listNights = endpoint('GET /nights', {
  query: { limit: integer({ max: 9, default: 3 }), since: instant({ optional: true }) },
  gives: record({ nights: list(integer()), since: text() }),
})
const book = endpoint('POST /nights/{night}', {
  path: { night: integer() },
  header: { 'x-team': text() },
  body: record({ note: text({ length: [1, 5] }) }),
  success: 201,
  gives: record({ id: text() }),
})
const cancel = endpoint('DELETE /nights/{night}', { path: { night: integer() }, success: 204 })
const app = intake({ base: '/v1', endpoints: { listNights, book, cancel } })
const handle = serve(app, {
  listNights: ({ query }, { request }) => ({
    nights: [query.limit],
    since: `${query.since?.toISOString()} ${request.headers.get('authorization')} ${request.headers.get('x-one')}`,
  }),
  book: ({ path, body }) =>
    body.note === 'twice'
      ? refuse({ status: 409, code: 'night_booked', message: 'is booked already', at: 'body.note' })
      : { id: `${path.night}` },
  cancel: () => undefined,
})
const sent: Request[] = []
const nights = client(app, {
  base: 'https://kr.example/',
  headers: async () => ({ authorization: 'Bearer a', 'x-one': 'all' }),
  fetch: (request) => {
    sent.push(request.clone())
    return handle(request)
  },
})

test('a call writes its request and reads what the endpoint gives', async () => {
  const listed = await nights.listNights(
    { query: { limit: 5, since: '2031-03-01T00:00:00Z' } },
    { headers: { 'x-one': 'own' } },
  )
  if (listed.outcome !== 'accepted') throw new Error('it is')
  const { nights: found, since }: { nights: number[]; since: string } = listed.value
  expect([found, since]).toEqual([[5], '2031-03-01T00:00:00.000Z Bearer a own'])
  expect(sent.at(-1)?.url).toBe('https://kr.example/v1/nights?limit=5&since=2031-03-01T00%3A00%3A00Z')
  expect(await nights.listNights({})).toMatchObject({ status: 200, value: { nights: [3] } })
  const booked = await nights.book({ path: { night: 7 }, header: { 'x-team': 'nebula' }, body: { note: 'new' } })
  expect(booked).toMatchObject({ outcome: 'accepted', status: 201, value: { id: '7' } })
  expect(await nights.cancel({ path: { night: 7 } })).toMatchObject({ status: 204, value: undefined })
})

test('what the endpoint would reject is not sent; what the server refuses comes at the same fields', async () => {
  const before = sent.length
  const path = { path: { night: 7 }, header: { 'x-team': 'nebula' } } as const
  const early = await nights.book({ ...path, body: { note: 'too long' } })
  expect([early, sent.length]).toMatchObject([
    {
      outcome: 'rejected',
      endpoint: 'book',
      status: 422,
      isSent: false,
      errors: [{ address: 'body.note', code: 'too_long' }],
    },
    before,
  ])
  const late = await nights.book({ ...path, body: { note: 'twice' } })
  const error = {
    part: 'body',
    address: 'body.note',
    pointer: '/note',
    code: 'night_booked',
    message: 'is booked already',
    stage: 'handle',
  }
  expect(late).toMatchObject({
    outcome: 'rejected',
    status: 409,
    isSent: true,
    errors: [error],
    errorsByField: { 'body.note': [error] },
  })
})

const json = 'application/problem+json'
const odd: [what: string, response: Response, came: object][] = [
  [
    'a page of a proxy',
    new Response('<h1>Bad gateway</h1>', { status: 502, headers: { 'content-type': 'text/html' } }),
    { status: 502, errors: [] },
  ],
  [
    'nothing',
    new Response(null, { status: 401, headers: { 'www-authenticate': 'Bearer' } }),
    { status: 401, errors: [], headers: { 'www-authenticate': 'Bearer' } },
  ],
  ['a list', new Response('[1]', { status: 400, headers: { 'content-type': json } }), { errors: [] }],
  ['null', new Response('null', { status: 400, headers: { 'content-type': json } }), { errors: [] }],
  [
    'odd fields',
    new Response(
      '{"fields":{"query.limit":[{"code":"a"},{"code":1},null,"x"],"__proto__":[{"code":"b"}],"x y":[{"code":"c","detail":{}}],"body":7}}',
      { status: 400, headers: { 'content-type': json } },
    ),
    {
      errors: [
        { part: 'query', address: 'query.limit', code: 'a' },
        { part: undefined, address: '__proto__', code: 'b', message: 'was refused (400)' },
        { address: 'x y', code: 'c' },
      ],
    },
  ],
  [
    'JSON that is none',
    new Response('{', { status: 200, headers: { 'content-type': 'application/json' } }),
    { outcome: 'accepted', value: '{' },
  ],
  [
    'a text',
    new Response('7 nights', { status: 200, headers: { 'content-type': 'text/plain' } }),
    { outcome: 'accepted', value: '7 nights' },
  ],
]
test.each(odd)('an answer may be %s', async (_, response, came) => {
  const answered = await client(app, { base: 'http://kr.example', fetch: async () => response }).listNights({})
  expect(answered).toMatchObject(came)
  if (answered.outcome === 'rejected')
    for (const one of answered.errors)
      expect([one.address, 'pointer' in one]).toEqual([one.address, one.part === 'body'])
  expect(({} as { a?: unknown }).a).toBeUndefined()
})

test('no answer is thrown as fetch throws it', async () => {
  const gone = client(app, { base: 'http://127.0.0.1:1' })
  await expect(gone.listNights({})).rejects.toMatchObject({ name: 'TypeError' })
  const signal = AbortSignal.abort(new Error('enough'))
  await expect(gone.listNights({}, { signal })).rejects.toThrow('enough')
})

test('options that make no sense are told, and calls are typed', () => {
  const rows: [options: object, words: RegExp][] = [
    [{}, /^client: .*base/],
    [{ base: 'kr.example' }, /the base is "kr\.example"\. Write it as 'https/],
    [{ base: 'http://kr.example', fetch: 1 }, /fetch/],
    [{ base: 'http://kr.example', header: {} }, /headers/],
  ]
  for (const [options, words] of rows) {
    const make = () => client(app, options as never)
    expect(make).toThrow(DeclarationError)
    expect(make).toThrow(words)
  }
  const typed = () => {
    // @ts-expect-error: a path that the endpoint needs.
    nights.book({ header: { 'x-team': 'a' }, body: { note: 'b' } })
    // @ts-expect-error: a value of another type.
    nights.cancel({ path: { night: 'x' } })
    // @ts-expect-error: a name that is none.
    nights.listNights({ query: { limits: 5 } })
    // @ts-expect-error: no endpoint of the intake.
    nights.show({})
  }
  expect(typed).toBeInstanceOf(Function)
})

describe('an answer that is a trap', () => {
  const seen: string[] = []
  const other = (): RequestListener => (request, response) => {
    seen.push(`other ${request.method} ${request.headers.authorization} ${request.headers['x-one']}`)
    response.end()
  }
  const servers = async () => {
    const elsewhere = await started(other())
    const places: { [path: string]: readonly [number, string] } = {
      '/v1/nights': [302, '/moved'],
      '/v1/nights/7': [307, '/moved/7'],
      '/v1/nights/8': [303, '/moved/8'],
      '/v1/nights/9': [302, `${elsewhere}/stolen`],
      '/v1/nights/6': [302, '/v1/nights/6'],
    }
    return started((request, response) => {
      const [status, location] = places[(request.url ?? '').replace(/[?].*/, '')] ?? []
      seen.push(`${request.method} ${request.url} ${request.headers.authorization}`)
      if (location !== undefined) response.writeHead(status as number, { location }).end()
      else response.setHeader('content-type', 'application/json').end('{"nights":[1],"since":""}')
    })
  }
  const called = async (redirects: 'follow' | undefined, night: number, note?: string) => {
    const calls = client(app, {
      base: await servers(),
      headers: { authorization: 'Bearer a', 'x-one': 'all' },
      redirects,
    })
    seen.length = 0
    const made =
      note === undefined
        ? await calls.cancel({ path: { night } })
        : await calls.book({ path: { night }, header: { 'x-team': 'nebula' }, body: { note } })
    return [made.status, seen]
  }
  test.each<[string, 'follow' | undefined, number, string | undefined, unknown]>([
    ['a redirect is an answer', undefined, 7, undefined, [307, ['DELETE /v1/nights/7 Bearer a']]],
    [
      'unless it is to be followed',
      'follow',
      7,
      undefined,
      [200, ['DELETE /v1/nights/7 Bearer a', 'DELETE /moved/7 Bearer a']],
    ],
    ['with its body', 'follow', 7, 'new', [200, ['POST /v1/nights/7 Bearer a', 'POST /moved/7 Bearer a']]],
    ['or as a question', 'follow', 8, 'new', [200, ['POST /v1/nights/8 Bearer a', 'GET /moved/8 Bearer a']]],
    ['never to another origin', 'follow', 9, undefined, [302, ['DELETE /v1/nights/9 Bearer a']]],
    [
      'nor for ever',
      'follow',
      6,
      undefined,
      [
        302,
        ['DELETE /v1/nights/6 Bearer a', ...Array(4).fill('GET /v1/nights/6 Bearer a'), 'GET /v1/nights/6 Bearer a'],
      ],
    ],
  ])('%s', async (_, redirects, night, note, expected) =>
    expect(await called(redirects, night, note)).toEqual(expected),
  )

  test.each([
    ['that says how long it is', true],
    ['that does not', false],
  ])('one without end %s is not read whole', async (_, says) => {
    let sent = 0
    const base = await started((_, response) => {
      response.writeHead(200, { 'content-type': 'application/json', ...(says ? { 'content-length': 4e8 } : {}) })
      const chunk = Buffer.alloc(1 << 16, 0x20)
      const more = () => {
        while (sent < 4e8 && !response.destroyed) {
          sent += chunk.length
          if (!response.write(chunk)) return void response.once('drain', more)
        }
        response.end()
      }
      more()
    })
    await expect(client(app, { base, bytes: '1MB' }).listNights({})).rejects.toThrow(
      'the answer has more than 1MB: allow more with { bytes: … }',
    )
    expect(sent).toBeLessThan(4e7)
  })
})
