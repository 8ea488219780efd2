/**
 * Lines that once could be changed without any test noticing: caps, escapes, orders, bounds, and what is told to whom.
 */
import { spawnSync } from 'node:child_process'
import { once } from 'node:events'
import { readdirSync } from 'node:fs'
import { createServer, STATUS_CODES } from 'node:http'
import { type AddressInfo, connect as connectTo } from 'node:net'
import { tmpdir } from 'node:os'
import { setTimeout as sleep } from 'node:timers/promises'
import { gzipSync } from 'node:zlib'
import { describe, expect, test } from '@jest/globals'
import connect from 'connect'
import {
  answer,
  anything,
  bigInteger,
  choice,
  codeOf,
  constant,
  day,
  decimal,
  either,
  endpoint,
  type Field,
  file,
  flag,
  foldAddress,
  give,
  group,
  instant,
  intake,
  integer,
  type JournalEvent,
  judge,
  judgeParts,
  later,
  list,
  memoryTurns,
  number,
  parseMessage,
  readAs,
  record,
  refuse,
  serve,
  table,
  tagged,
  text,
  timeOfDay,
  write,
} from 'yosei'
import { loggerJournal } from 'yosei/journal'
import { gate } from 'yosei/node'
import { weightOf } from '../dist/internals.js'

const told = (verdict: { outcome: string; errors?: readonly { address: string; code: string; message: string }[] }) =>
  verdict.errors?.map(({ address, code, message }) => `${address} ${code}: ${message}`)
const json = { 'content-type': 'application/json' }
const one = (body: Field, more = {}) => endpoint('POST /', { body, ...more } as never)
const put = (app: object, body: string | Uint8Array, headers: object = json) =>
  judge(app as never, { method: 'POST', target: '/', headers: headers as never, body })

describe('secrets and pages', () => {
  test('the value of a secret field is not told where another is compared with it', () => {
    const rules = (on: never) => [(on as { equal: (...all: string[]) => never }).equal('body.secret', 'body.open')]
    expect(
      told(
        judgeParts(one(record({ secret: text({ secret: true }), open: text() }), { rules }), {
          body: { secret: 'hush', open: 'x' },
        }),
      ),
    ).toEqual(['body.open unequal: must be the same as body.secret; "x" was sent'])
  })
  test('a union with a secret branch is not written down, nor is what a gate of another type has', async () => {
    const events: JournalEvent[] = []
    const body = record({
      union: either([text({ secret: true, length: [1, 9] }), integer()]),
      plain: either([text(), integer()]),
      deep: either([record({ a: text() }), text()]),
      hidden: either([record({ a: text() }), record({ b: text({ secret: true }) }), anything()]),
      // What one branch leaves out at some depth, another declares.
      near: either([
        record({ in: list(record({ a: text() })) }),
        record({ in: list(record({ b: text({ optional: true }) })) }),
      ]),
    })
    const handle = serve(
      intake({ endpoints: { one: one(body) }, journal: { write: (event) => void events.push(event) } }),
      { one: () => Promise.reject(new Error('x')) } as never,
    )
    await handle(
      new Request('http://kr.example/', {
        method: 'POST',
        headers: json,
        body: '{"union":"hush","plain":"p","deep":{"a":"kept"},"hidden":{"a":"hush"},"near":{"in":[{"a":"x"}]}}',
      }),
    )
    expect(events[0]?.input?.split('\n').at(-1)).toBe('{"plain":"p","deep":{"a":"kept"},"near":{"in":[{"a":"x"}]}}')
  })
  test('a page writes what was sent as text, and lets nothing run', async () => {
    const odd = '<script>"&\''
    const verdict = judgeParts(
      one(table(text({ length: [9, 9], messages: { too_long: `is <b>"short"</b> & {sent}` } }))),
      { body: { [odd]: odd } },
    )
    const response = answer(verdict as never, new Request('http://kr.example', { headers: { accept: 'text/html' } }))
    const page = await response.text()
    expect(response.headers.get('content-security-policy')).toBe("default-src 'none'; style-src 'unsafe-inline'")
    expect(page).not.toContain('<script>')
    expect(page).toContain('body[&quot;&lt;script&gt;\\&quot;&amp;&#39;&quot;]')
    expect(page).toContain('is &lt;b&gt;&quot;short&quot;&lt;/b&gt; &amp; ')
  })
  test('a pointer escapes what separates it', () => {
    const verdict = judgeParts(one(table(integer())), { body: { 'a/b~c': 'x' } })
    expect(verdict.outcome === 'rejected' && verdict.errors[0]?.pointer).toBe('/a~1b~0c')
  })
})

describe('messages and their framing', () => {
  const app = intake({ endpoints: { one: one(record({ a: integer() })) }, base: '/api/' })
  const post = (body: string, headers: object) =>
    judge(app, { method: 'POST', target: '/api/', headers: { ...json, ...headers } as never, body })
  test.each<[string, () => Promise<object>, object]>([
    [
      'a base may end in a slash',
      () => judge(intake({ endpoints: { get: endpoint('GET /a', {}) }, base: '/api/' }), 'GET /api/a HTTP/1.1'),
      { outcome: 'accepted' },
    ],
    ['a body longer than its Content-Length', () => post('{"a":1}', { 'content-length': '6' }), { status: 404 }],
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
      'what a query has wrong is told behind the path',
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

test('what declares an intake may change afterwards', () => {
  const limits = { body: '1kB', errors: 1 } as const
  const tags = ['a']
  const app = intake({ endpoints: { one: one(list(integer()), { tags }) }, limits })
  Object.assign(limits, { errors: 50 })
  tags.push('b')
  expect(judgeParts(app.endpoints.one, { body: ['x', 'y'] })).toMatchObject({ more: 1 })
  expect(Object.isFrozen(app.endpoints.one)).toBe(true)
})

test('the journal names what could have been sent, and was not', async () => {
  const events: JournalEvent[] = []
  const optional = { optional: true } as const
  const handle = serve(
    intake({
      endpoints: {
        one: one(record({ a: integer(optional), b: record({ c: integer(optional), d: integer() }) }), {
          query: { e: integer(optional), f: integer(optional) },
          header: { g: integer(optional) },
          cookie: { h: integer(optional) },
        }),
      },
      journal: { write: (event) => void events.push(event) },
    }),
    { one: () => 1 } as never,
  )
  await handle(new Request('http://kr.example/?f=1', { method: 'POST', headers: json, body: '{"b":{"d":"x"}}' }))
  expect(events[0]?.absent).toEqual(['query.e', 'header.g', 'cookie.h', 'body.a', 'body.b.c'])
})

test('the code of a rule does not grow with a declaration that is shared', () => {
  let shared: Field = record({ x: integer() })
  for (let level = 0; level < 16; level++) shared = record({ a: shared, b: shared } as never) as Field
  const rules = (on: { fits(address: string, field: Field): never }) => [on.fits('body.v', shared)]
  expect(codeOf(endpoint('POST /', { body: record({ v: shared } as never), rules } as never)).length).toBeLessThan(4e6)
})

test('files of a verdict that is held go with the process', () => {
  const program = `import { endpoint, file, intake, judge, record } from 'yosei'
    import { readdirSync } from 'node:fs'
    import { tmpdir } from 'node:os'
    const save = endpoint('POST /', { body: { 'multipart/form-data': record({ plate: file() }) } })
    const head = 'POST / HTTP/1.1\\r\\nContent-Type: multipart/form-data; boundary=x\\r\\n\\r\\n'
    const part = '--x\\r\\nContent-Disposition: form-data; name="plate"; filename="a"\\r\\n\\r\\nxyz\\r\\n--x--\\r\\n'
    globalThis.held = await judge(intake({ endpoints: { save } }), head + part)
    const mine = readdirSync(tmpdir()).filter((name) => name.startsWith('upload-' + process.pid + '-'))
    console.log(JSON.stringify([held.outcome, mine]))`
  const { stdout, stderr } = spawnSync(process.execPath, ['--input-type=module', '-e', program], { timeout: 10_000 })
  expect(String(stderr)).toBe('')
  const [outcome, during] = JSON.parse(String(stdout)) as [string, string[]]
  expect([outcome, during.length > 0]).toEqual(['accepted', true])
  expect(readdirSync(tmpdir()).filter((name) => during.includes(name))).toEqual([])
})

test('limits of time keep a process from its end while they last, and no longer', () => {
  const program = `import { endpoint, intake, judge } from 'yosei'
    const one = (ask) => endpoint('GET /', { lookups: (on) => ({ one: on.lookup({ reads: [], ask, within: '200ms' }) }) })
    const asked = async (ask) => (await judge(intake({ endpoints: { one: one(ask) } }), 'GET / HTTP/1.1', { services: {} })).outcome
    const timers = () => process.getActiveResourcesInfo().filter((one) => one === 'Timeout').length
    const said = [await asked(() => 1), timers(), await asked(async () => 1), timers()]
    const hanging = asked(() => new Promise(() => {}))
    const during = timers()
    console.log(JSON.stringify([...said, during, await hanging, timers()]))`
  const { stdout } = spawnSync(process.execPath, ['--input-type=module', '-e', program], { timeout: 10_000 })
  expect(JSON.parse(String(stdout))).toEqual(['accepted', 0, 'accepted', 0, 1, 'rejected', 0])
})

test('a process ends when a limit of time was all that it still had', () => {
  const program = `import { endpoint, intake, serve } from 'yosei'
    const app = intake({ endpoints: { a: endpoint('GET /', {}) }, limits: { handle: '100ms' } })
    const handle = serve(app, { a: () => new Promise((resolve) => setTimeout(resolve, 2000)) })
    console.log((await handle(new Request('http://kr.example/'))).status)`
  const { stdout, signal } = spawnSync(process.execPath, ['--input-type=module', '-e', program], { timeout: 10_000 })
  expect([String(stdout), signal]).toEqual(['503\n', null])
})

test('limits and statuses at their bounds', async () => {
  const app = intake({ endpoints: { one: endpoint('GET /{a}', { path: { a: text() } }) }, limits: { uri: 20 } })
  const statusOf = async (length: number) =>
    ((await judge(app, `GET /${'a'.repeat(length - 1)} HTTP/1.1`)) as { status?: number }).status
  expect([await statusOf(20), await statusOf(21)]).toEqual([undefined, 414])
  expect(() => give(1, { status: 399 })).not.toThrow()
  expect(() => give(1, { status: 400 })).toThrow()
})

test('settings of a group and of an endpoint are one, code by code', async () => {
  const inner = endpoint('GET /{a}', { path: { a: integer() }, statuses: { codes: { wrong_type: 404, missing: 409 } } })
  const { a } = intake({
    endpoints: group({ statuses: { path: 410, codes: { wrong_type: 403, out_of_range: 423 } } }, { a: inner }),
  }).endpoints
  const statusOf = (sent: string) => (judgeParts(a, { path: { a: sent } }) as { status?: number }).status
  expect([statusOf('x'), statusOf('9007199254740992'), statusOf('')]).toEqual([404, 423, 409])
})

test('what is undefined was not said, and leaves what is farther', () => {
  const inner = endpoint('GET /', { query: { a: integer(), b: integer() }, limits: { errors: undefined } as never })
  const { a } = intake({
    endpoints: { a: inner },
    limits: { errors: 1 },
    statuses: { query: 418, path: undefined } as never,
  }).endpoints
  expect(judgeParts(a, { query: { a: 'x', b: 'x' } })).toMatchObject({ status: 418, more: 1 })
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

test('the signal of a handler that is over its time says so', async () => {
  let reason: unknown
  const app = intake({
    endpoints: { a: endpoint('GET /', {}) },
    limits: { handle: '20ms' },
    journal: { write: () => 0 },
  })
  const handle = serve(app, {
    a: (_, { signal }) =>
      new Promise((resolve) =>
        signal.addEventListener('abort', () => {
          reason = signal.reason
          resolve(1)
        }),
      ),
  })
  expect((await handle(new Request('http://kr.example/'))).status).toBe(503)
  expect(String(reason)).toBe('TimeoutError: The handler is over its time')
})

test('what a query has no way to carry is not written', () => {
  const get = endpoint('GET /', { query: { a: integer({ nullable: true, optional: true }), b: integer() } })
  const sent = (a: null | undefined) => ({ path: {}, query: a === null ? { a, b: 1 } : { b: 1 }, body: undefined })
  expect(write(get, 'http://kr.example', sent(undefined)).url).toBe('http://kr.example/?b=1')
  expect(() => write(get, 'http://kr.example', sent(null))).toThrow('query.a has a value that cannot be sent here')
})

describe('bounds and caps', () => {
  const tree: Field<unknown> = either([
    record({ of: later(() => tree) }),
    record({ of: later(() => tree), b: integer() }),
    integer(),
  ]) as never
  const nested = (depth: number) => JSON.parse(`${'{"of":'.repeat(depth)}1${'}'.repeat(depth)}`)
  test.each<[string, () => object, object]>([
    [
      '2^53−1 from text',
      () => judgeParts(one(record({}), { query: { n: integer() } }), { query: { n: '9007199254740991' }, body: {} }),
      { input: { query: { n: 9007199254740991 } } },
    ],
    [
      'an instant, a day and a decimal at their bounds',
      () =>
        judgeParts(
          one(
            record({
              at: instant({ from: '2031-01-01T00:00:00Z', until: '2031-01-01T00:00:00Z' }),
              on: day({ from: '2031-01-01', until: '2031-01-01' }),
              price: decimal({ min: '1', max: '1.0' }),
              yes: flag(),
            }),
          ),
          { body: { at: '2031-01-01T00:00:00Z', on: '2031-01-01', price: '1.00', yes: true } },
          { trace: true },
        ),
      { input: { body: { on: '2031-01-01', price: '1.00', yes: true } } },
    ],
    [
      '2^53 from text',
      () => judgeParts(one(record({}), { query: { n: integer() } }), { query: { n: '9007199254740992' }, body: {} }),
      { errors: [{ code: 'out_of_range' }] },
    ],
    [
      'a sum at its bound',
      () =>
        judgeParts(
          one(list(number()), {
            rules: (on: never) => [(on as { sumWithin: (...all: unknown[]) => never }).sumWithin('body[]', [3, 6])],
          }),
          { body: [1, 2, 3] },
        ),
      { outcome: 'accepted' },
    ],
    [
      'a sum at its lower bound',
      () =>
        judgeParts(
          one(list(number()), {
            rules: (on: never) => [(on as { sumWithin: (...all: unknown[]) => never }).sumWithin('body[]', [3, 6])],
          }),
          { body: [1, 2] },
        ),
      { outcome: 'accepted' },
    ],
    [
      'errors of many elements, in their order',
      () =>
        judgeParts(one(list(either([text(), record({ a: integer() })]))), {
          body: Array.from({ length: 12 }, (_, index) => (index % 3 === 2 ? 7 : 'x')),
        }),
      { errors: [2, 5, 8, 11].map((index) => ({ address: `body[${index}]` })) },
    ],
    ...[
      ['accepted', `${'a'.repeat(64)}@kr.example`],
      ['rejected', `${'a'.repeat(65)}@kr.example`],
      ['accepted', `a@${'b'.repeat(60)}.${'c'.repeat(60)}.${'d'.repeat(60)}.${'e'.repeat(60)}.${'f'.repeat(8)}`],
      ['rejected', `a@${'b'.repeat(60)}.${'c'.repeat(60)}.${'d'.repeat(60)}.${'e'.repeat(60)}.${'f'.repeat(9)}`],
    ].map(([outcome = '', body = '']): [string, () => object, object] => [
      `an address of ${body.length} characters is ${outcome}`,
      () => judgeParts(one(text({ format: 'email' })), { body }),
      { outcome },
    ]),
    [
      'numbers tell nothing apart where all is text',
      () =>
        judgeParts(
          one(record({}), {
            query: {
              q: either([
                record({ by: choice([1, 2]), a: integer() }),
                record({ by: choice(['x']), b: integer({ optional: true }) }),
              ]),
            },
          }),
          { query: { q: { by: '2', a: '3' } }, body: {} },
        ),
      { input: { query: { q: { by: 2, a: 3 } } } },
    ],
    [
      'in a union beside a secret, −0 and 0 of unlisted names are told apart',
      () =>
        judgeParts(
          one(either([text(), record({ a: integer({ optional: true }) }, { secret: true, unlisted: 'keep' })])),
          { body: { x: -0, d: 0 } },
        ),
      { input: { body: { x: -0, d: 0 } } },
    ],
    ...['.5', '.05', '.005', '.1234567'].map((fraction): [string, () => object, object] => [
      `a fraction ${fraction} of a second`,
      () => judgeParts(one(instant()), { body: `2031-03-01T00:00:00${fraction}Z` }),
      { input: { body: new Date(Date.UTC(2031, 2, 1) + Math.floor(Number(`0${fraction}`) * 1000)) } },
    ]),
    ...['2031-03-0:', '2031-0:-01', '203:-03-01', '2031-03-0/', '2031-03-01T0:00:00Z'].map(
      (body): [string, () => object, object] => [
        `${body} is no day`,
        () => judgeParts(one(day()), { body }),
        { errors: [{ code: 'wrong_format' }] },
      ],
    ),
    [
      'what may be anything is compared with a number',
      () =>
        judgeParts(
          one(record({ a: anything(), b: integer() }), {
            rules: (on: never) => [(on as { equal: (...all: string[]) => never }).equal('body.a', 'body.b')],
          }),
          { body: { a: 'x', b: 1 } },
        ),
      { errors: [{ code: 'unequal' }] },
    ],
    ['levels inside a union', () => judgeParts(one(tree), { body: nested(64) }), { outcome: 'accepted' }],
    [
      'a level too many inside a union',
      () => judgeParts(one(tree), { body: nested(65) }),
      { errors: [{ code: 'too_large' }] },
    ],
    [
      'a thousand faults are kept, and all are counted',
      () => judgeParts(one(list(integer())), { body: Array.from({ length: 1100 }, () => 'x') }),
      { more: 1050 },
    ],
    [
      'with faults that were not kept no rule runs',
      () =>
        judgeParts(
          one(record({ l: list(integer()), a: integer(), b: integer() }), {
            rules: (on: never) => [(on as { equal: (...all: unknown[]) => never }).equal('body.a', 'body.b')],
            limits: { errors: 2000 },
          }),
          { body: { l: Array.from({ length: 1100 }, () => 'x'), a: 1, b: 2 } },
        ),
      { more: 100, errors: expect.not.arrayContaining([expect.objectContaining({ code: 'unequal' })]) },
    ],
  ])('%s', (_, judged, wanted) => {
    expect(judged()).toMatchObject(wanted)
  })
  test('a trace keeps ten thousand readings, and a problem document says how many errors it leaves out', async () => {
    const { trace } = judgeParts(
      one(list(integer())),
      { body: Array.from({ length: 11_000 }, () => 1) },
      { trace: true },
    )
    expect(trace?.readings).toHaveLength(10_000)
    const verdict = judgeParts(one(list(integer())), { body: Array.from({ length: 1100 }, () => 'x') })
    const { detail, fields } = (await answer(verdict as never).json()) as { detail: string; fields: object }
    expect([Object.keys(fields).length, detail]).toEqual([
      50,
      'body[0] must be a whole number; "x" was sent, and 1099 more',
    ])
  })
  test('an Accept field is looked at to its end', () => {
    expect(weightOf('text/html', `${'a/b,'.repeat(2500)}text/html`)).toBe(1)
    expect(weightOf('text/html', 'a/b,'.repeat(2500))).toBe(0)
  })
  test('a form has a thousand parts at most', async () => {
    const app = intake({
      endpoints: {
        form: endpoint('POST /', {
          body: { 'multipart/form-data': record({ a: list(text()), f: file({ optional: true }) }) },
        }),
      },
    })
    const send = (count: number) => {
      const body = new FormData()
      for (let i = 0; i < count; i++) body.append('a', 'x')
      return judge(app, new Request('http://kr.example/', { method: 'POST', body }))
    }
    expect([(await send(999)).outcome, await send(1200)]).toEqual([
      'accepted',
      expect.objectContaining({ status: 413 }),
    ])
  })
  test('an instant is read with its offset, and written without', () => {
    const day = one(record({ at: instant() }))
    expect(judgeParts(day, { body: { at: '2031-03-01T01:30:00+01:30' } })).toMatchObject({
      input: { body: { at: new Date('2031-03-01T00:00:00Z') } },
    })
  })
})

describe('lookups, refusals and turns', () => {
  const get = new Request('http://kr.example/a')
  test('what follows a lookup that failed is not asked, and a refusal brings its header fields', async () => {
    let asked = 0
    const x = endpoint('GET /{id}', {
      path: { id: text() },
      lookups: (on) => {
        const first = on.lookup({ reads: ['path.id'], ask: () => Promise.reject(new Error('away')) })
        return { first, second: on.lookup({ reads: ['path.id'], follows: { first }, ask: () => ++asked }) }
      },
    })
    expect(
      (await serve(intake({ endpoints: { x }, journal: { write: () => undefined } }), { x: () => 1 })(get)).status,
    ).toBe(503)
    expect(asked).toBe(0)
    const headers = { 'retry-after': '7' }
    const y = endpoint('GET /{id}', {
      path: { id: text() },
      lookups: (on) => ({
        one: on.lookup({
          reads: ['path.id'],
          ask: () => null,
          refusal: { status: 429, code: 'spent', message: 'is spent', headers },
        }),
      }),
    })
    const refused = await serve(intake({ endpoints: { y } }), { y: () => 1 })(get)
    const handled = await serve(intake({ endpoints: { z: endpoint('GET /{id}', { path: { id: text() } }) } }), {
      z: () => refuse({ status: 429, code: 'spent', message: 'is spent', headers }),
    })(get)
    expect([refused.status, refused.headers.get('retry-after'), handled.headers.get('retry-after')]).toEqual([
      429,
      '7',
      '7',
    ])
  })
  test('scopes of different names are different turns, and who loses one is told why', async () => {
    const slot = (of: string) =>
      endpoint(`GET /${of}/{id}`, { path: { id: text() }, turn: { of, by: ['path.id' as never], lease: '400ms' } })
    let reason: unknown
    let renews = true
    const memory = memoryTurns()
    const turns = {
      take: async (...all: Parameters<typeof memory.take>) => {
        const taken = await memory.take(...all)
        return typeof taken === 'string' ? taken : { ...taken, renew: async () => renews && taken.renew() }
      },
    }
    const app = intake({ endpoints: { a: slot('a'), b: slot('b') }, turns })
    const wait = (_: unknown, { signal }: { signal: AbortSignal }) =>
      new Promise<void>((resolve) =>
        signal.addEventListener('abort', () => {
          reason = signal.reason
          resolve()
        }),
      )
    const handle = serve(app, { a: wait, b: () => 'free' } as never)
    const first = handle(new Request('http://kr.example/a/1'))
    await sleep(50)
    expect([
      (await handle(new Request('http://kr.example/a/1'))).status,
      (await handle(new Request('http://kr.example/b/1'))).status,
    ]).toEqual([409, 200])
    renews = false
    await first
    expect(String(reason)).toBe('TimeoutError: The turn went to somebody else')
  })
})

test('sums of decimals, in the code that is made too', () => {
  for (const [limits, prices, holds] of [
    [{ atMost: '10' }, ['5', '4.5', '0.5'], true],
    [{ atMost: '10' }, ['5', '4.5', '0.51'], false],
    [{ atMost: '10' }, ['11'], false],
    [{ atMost: '10' }, ['10'], true],
    [{ atMost: '0.3' }, ['0.1', '0.2'], true],
    [{ atMost: '0.3' }, ['0.1', '0.2', '0.001'], false],
    [{ atMost: '-1' }, ['-2', '0.5'], true],
    [{ atMost: '-1' }, ['-2', '1.5'], false],
    [{ atLeast: '-1' }, ['-2', '0.5'], false],
    [{ atLeast: '-1' }, ['-0.5', '-0.5'], true],
    [{ atLeast: '1' }, ['0.25', '0.5', '0.250'], true],
    [{ exactly: '0.05' }, ['0.01', '0.04'], true],
    [{ exactly: '0.05' }, ['0.1', '0.4'], false],
    [{ atMost: '3000' }, ['1234.5678', '1765.4321'], true],
    [{ atMost: '3000' }, ['1234.5678', '1765.4323'], false],
  ] as const) {
    const rows = endpoint('POST /', {
      body: record({ rows: list(record({ price: decimal(), times: integer({ optional: true }) })) }),
      rules: (on) => [on.sumWithin('body.rows[].price', limits as never)],
    })
    const verdict = judgeParts(rows, { body: { rows: prices.map((price) => ({ price })) } })
    expect([limits, prices, verdict.outcome]).toEqual([limits, prices, holds ? 'accepted' : 'rejected'])
  }
})

test('what is thrown that is no error is written down as it is', async () => {
  const events: unknown[] = []
  const logger = { info: () => undefined, error: (event: { cause: unknown }) => void events.push(event.cause) }
  const handle = serve(
    intake({
      endpoints: { a: endpoint('GET /{id}', { path: { id: text() } }) },
      journal: loggerJournal(logger as never),
    }),
    {
      a: ({ path }) => {
        throw path.id === 'text' ? 'the text' : { a: 1 }
      },
    },
  )
  for (const id of ['text', 'object']) await handle(new Request(`http://kr.example/${id}`))
  expect(events).toEqual(['the text', '[object Object]'])
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

test('of two records with one rule, that one alone tells nothing that has a secret', () => {
  const rules = (on: never) => [(on as { equal: (...all: string[]) => never }).equal('a', 'b')]
  const room = record({ a: text({ secret: true }), b: text() }, { rules } as never)
  const hall = record({ a: text(), b: text() }, { rules } as never)
  const sent = { a: 'hush', b: 'x' }
  for (const fields of [
    { room, hall },
    { hall, room },
  ])
    expect(told(judgeParts(one(record(fields)), { body: { room: sent, hall: sent } }))?.sort()).toEqual([
      'body.hall.b unequal: must be the same as body.hall.a ("hush"); "x" was sent',
      'body.room.b unequal: must be the same as body.room.a; "x" was sent',
    ])
})

test('of elements that must differ by a field, those are compared whose field is right', () => {
  const rows = one(list(record({ f: text(), n: integer() }), { distinct: 'f' }))
  const many = Array.from({ length: 20 }, (_, n) => ({ f: `f${n}`, n }))
  const addresses = (body: unknown) => {
    const verdict = judgeParts(rows, { body })
    return verdict.outcome === 'rejected' ? verdict.errors.map(({ address }) => address) : []
  }
  expect(
    addresses([
      { f: 'a', n: 'x' },
      { f: 'a', n: 1 },
      { f: 3, n: 1 },
      { f: 3, n: 1 },
    ]),
  ).toEqual(['body[0].n', 'body[1].f', 'body[2].f', 'body[3].f'])
  expect([addresses(many), addresses([...many, { f: 'f3', n: 1 }])]).toEqual([[], ['body[20].f']])
})

test('what may be anything is copied to its depth, in the code that is made too', async () => {
  for (const engine of ['compiled', 'interpreted'] as const) {
    const app = intake({ engine, endpoints: { one: one(record({ free: anything() })) } })
    const nested = (depth: number) => `{"free":${'{"a":['.repeat(depth / 2)}1,null,"x",true${']}'.repeat(depth / 2)}}`
    const verdicts = await Promise.all([nested(4), nested(64), nested(66)].map((body) => put(app, body)))
    expect(verdicts.map(({ outcome }) => outcome)).toEqual(['accepted', 'accepted', 'rejected'])
    expect(verdicts[0]).toMatchObject({ input: { body: JSON.parse(nested(4)) } })
    expect(verdicts[2]).toMatchObject({ errors: [{ address: 'body.free', code: 'too_large' }] })
  }
})

test('a lookup is told who is asking, what was found before, and when nobody waits any more', async () => {
  const asked: unknown[] = []
  const get = endpoint('GET /{id}', {
    who: record({ role: text() }),
    path: { id: text() },
    lookups: (on) => {
      const first = on.lookup({ reads: ['path.id'], ask: async (_, [id]) => `${id}1` })
      const second = on.lookup({
        reads: ['path.id'],
        follows: { first },
        ask: async (_, __, { who, found, signal }) => {
          asked.push(who, found, signal.aborted)
          return true
        },
      })
      return { first, second }
    },
  })
  const app = intake({ endpoints: { get }, identify: () => undefined as never })
  const verdict = await judge(app, 'GET /a HTTP/1.1\n', { who: { role: 'clerk' }, services: {} })
  expect([verdict.outcome, asked]).toEqual([
    'accepted',
    [{ role: 'clerk' }, expect.objectContaining({ first: 'a1' }), false],
  ])
})

describe.each(['compiled', 'interpreted'] as const)('%s', (engine) => {
  const judged = (body: Field, sent: unknown) =>
    judgeParts(intake({ engine, endpoints: { one: one(body) } }).endpoints.one, { body: sent })
  const places = (body: Field, sent: unknown) => told(judged(body, sent))?.map((text) => text.split(':')[0])
  test('objects that must differ are told apart by what they have', () => {
    const rows = list(record({ a: integer(), b: text({ optional: true }) }), { distinct: true })
    expect([
      places(rows, [{ a: 1 }, { a: 2 }, { a: 1, b: 'x' }]),
      places(rows, [{ a: 1, b: undefined }, { a: 1 }]),
    ]).toEqual([undefined, ['body[1] repeated']])
  })
  test('what holds itself may be null where that is said', () => {
    const chain: Field<{ next: unknown }> = record({ next: later(() => chain, { nullable: true }) }) as never
    expect(judged(chain, { next: { next: null } })).toMatchObject({ input: { body: { next: { next: null } } } })
    const optional: Field<{ next?: unknown }> = record({ next: later(() => optional, { optional: true }) }) as never
    expect(judged(optional, { next: {} })).toMatchObject({ input: { body: { next: {} } } })
  })
  test('times of day are apart to the second, instants to the millisecond, and texts of times compare as times', () => {
    const gap = (max: string) =>
      record(
        { from: timeOfDay(), until: timeOfDay() },
        { rules: (on) => [on.gap('from', 'until', { atMost: max as '1s' })] },
      )
    for (const [max, from, until, holds] of [
      ['30s', '09:00', '09:00:30', true],
      ['30s', '09:00:00', '09:00:31', false],
      ['15m', '09:50', '10:05', true],
      ['15m', '09:50', '10:05:01', false],
    ] as const)
      expect([max, from, until, places(gap(max), { from, until })]).toEqual([
        max,
        from,
        until,
        holds ? undefined : ['body.until too_far'],
      ])
    const pulse = record(
      { from: instant(), until: instant() },
      { rules: (on) => [on.gap('from', 'until', { atMost: '500ms' })] },
    )
    const [from, last] = ['2031-03-01T00:00:00Z', '2031-03-01T00:00:00.500Z']
    expect(places(pulse, { from, until: last })).toBeUndefined()
    expect(places(pulse, { from, until: '2031-03-01T00:00:00.501Z' })).toEqual(['body.until too_far'])
    const when = record(
      { when: text({ format: 'date-time' }), why: text({ optional: true }) },
      { rules: (on) => [on.needed('why', on.above('when', '2031-03-01T12:00:00+01:00'))] },
    )
    expect(places(when, { when: '2031-03-01T11:00:00Z' })).toBeUndefined()
    expect(places(when, { when: '2031-03-01T11:00:01Z' })).toEqual(['body.why needed'])
  })
  test('sums of binary fractions are those of the decimals that were sent', () => {
    const shares = record({ all: list(number()) }, { rules: (on) => [on.sumWithin('all[]', { atMost: 1 })] })
    // Their sum by floating point is 1.
    const all = [0.21263858088794288, 0.0028459395492164653, 0.7845154795628407]
    expect([places(shares, { all }), places(shares, { all: [0.5, 0.25, 0.25] })]).toEqual([
      ['body.all above_max'],
      undefined,
    ])
  })
  test('of what a reader makes it may be asked how many were sent', () => {
    const range = readAs(text({ optional: true }), (value) => ({ value }), { code: 'odd' })
    const some = record({ a: range, b: text({ optional: true }) }, { rules: (on) => [on.exactlyOne('a', 'b')] })
    expect([places(some, { a: 'x' }), places(some, { a: 'x', b: 'y' })]).toEqual([undefined, ['body more_than_one']])
  })
  test('a condition that holds elements against each other holds for pairs of one element', () => {
    const row = record({ n: integer({ optional: true }), m: integer({ optional: true }) })
    const ruled = endpoint('POST /', {
      query: { q: text({ optional: true }) },
      body: record({ a: integer(), b: integer(), rows: list(row) }),
      rules: (on) => [
        on.needed('query.q', on.below('body.rows[].n', on.other('body.rows[].m'))),
        on.while(on.below('body.rows[].n', on.other('body.rows[].m')), [on.ascending('body.a', 'body.b')]),
      ],
    })
    const app = intake({ engine, endpoints: { ruled } })
    const codes = (rows: object[]) =>
      told(judgeParts(app.endpoints.ruled, { query: {}, body: { a: 2, b: 1, rows } }))?.map(
        (text) => text.split(':')[0],
      )
    expect(codes([{ m: 1 }, { n: 0 }])).toBeUndefined()
    expect(codes([{ m: 1, n: 0 }])).toEqual(['query.q needed', 'body.b out_of_order'])
  })
  test('an own check is not asked of what is wrong, inside of it or around it, though nobody may say where', () => {
    const asked: unknown[] = []
    const ruled = endpoint('POST /', {
      body: record({
        window: record({ opens: integer(), closes: integer() }),
        rows: list(record({ n: integer() })),
        vault: record({ a: integer() }, { secret: true }),
        z: integer(),
      }),
      rules: (on) =>
        (['body.window.opens', 'body.window', 'body.rows[].n', 'body.vault.a', 'body.z'] as const).map((address) =>
          on.check({ reads: [address], code: 'x', holds: () => asked.push(address) > 0 }),
        ),
    })
    const app = intake({ engine, endpoints: { ruled } })
    const right = { window: { opens: 1, closes: 2 }, rows: [{ n: 1 }], vault: { a: 1 }, z: 1 }
    for (const [wrong, spared] of [
      [{}, []],
      [{ window: 1 }, ['body.window.opens', 'body.window']],
      [{ window: { opens: 1, closes: 'x' } }, ['body.window']],
      [{ rows: [{ n: 1 }, { n: 'x' }] }, ['body.rows[].n']],
      [{ rows: 'x' }, ['body.rows[].n']],
      [{ vault: { a: 1, hush: 1 } }, ['body.vault.a']],
      [{ z: 'x' }, ['body.z']],
    ] as const) {
      asked.length = 0
      judgeParts(app.endpoints.ruled, { body: { ...right, ...wrong } })
      expect([
        wrong,
        ['body.window.opens', 'body.window', 'body.rows[].n', 'body.vault.a', 'body.z'].filter(
          (one) => !asked.includes(one),
        ),
      ]).toEqual([wrong, spared])
    }
  })
  test('a choice of numbers is compared as numbers', () => {
    const sized = record({ size: choice([2, 10]), most: integer() }, { rules: (on) => [on.ascending('size', 'most')] })
    expect([places(sized, { size: 2, most: 10 }), places(sized, { size: 10, most: 9 })]).toEqual([
      undefined,
      ['body.most out_of_order'],
    ])
  })
  test('what is missing says what it may be, where that is a choice', () => {
    const filters = record({ filter: choice(['red', 'blue']), name: text() })
    expect(told(judged(filters, {}))).toEqual([
      'body.filter missing: must be sent, and be one of red, blue',
      'body.name missing: must be sent',
    ])
  })
  test('errors under free names come in the order in which the names were sent', () => {
    const rates = table(record({ a: integer(), b: integer() }, { rules: (on) => [on.ascending('a', 'b')] }))
    expect(places(rates, { z: { a: 2, b: 1 }, y: { a: 'x', b: 1 }, x: { a: 3, b: 1 } })).toEqual([
      'body.z.b out_of_order',
      'body.y.a wrong_type',
      'body.x.b out_of_order',
    ])
  })
})

test('a trace says how long a lookup took', async () => {
  const app = intake({
    endpoints: {
      one: one(record({ id: text() }), {
        lookups: (on: never) => ({
          of: (on as { lookup: (given: object) => never }).lookup({ reads: ['body.id'], ask: () => ({}) }),
        }),
      }),
    },
  })
  const verdict = await judge(
    app as never,
    { method: 'POST', target: '/', headers: json, body: '{"id":"x"}' } as never,
    { trace: true, services: {} } as never,
  )
  const [step] = verdict.trace?.steps.filter(({ stage }) => stage === 'lookups') ?? []
  expect(step).toMatchObject({ outcome: 'passed' })
  expect((step as { took: number }).took).toBeGreaterThanOrEqual(0)
  expect((step as { took: number }).took).toBeLessThan(5000)
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

test('own words of a rule may name the other value, as a client writes it', () => {
  const window = record(
    { opens: instant(), closes: instant() },
    { rules: (on) => [on.ascending('opens', 'closes', { message: 'closes at {sent}, before {value}' })] },
  )
  expect(
    told(judgeParts(one(window), { body: { opens: '2031-03-01T12:00:00Z', closes: '2031-03-01T12:00:00+01:00' } })),
  ).toEqual(['body.closes out_of_order: closes at "2031-03-01T11:00:00Z", before 2031-03-01T12:00:00Z'])
})

test('a trace has of a reader what was sent and what it made of it, once', () => {
  const twice = readAs(integer(), (value) => value * 2, { code: 'odd' })
  const { trace } = judgeParts(one(record({ a: integer(), b: twice })), { body: { a: 1, b: 2 } }, { trace: true })
  expect(trace?.readings.map(({ address, sent, read }) => [address, sent, read])).toEqual([
    ['body.a', 1, 1],
    ['body.b', 2, 4],
  ])
})

test('the texts of a form with files are taken to the last byte of their limit', async () => {
  const upload = endpoint('POST /', {
    limits: { body: '100B' },
    body: { 'multipart/form-data': record({ note: text(), plate: file({ bytes: '1kB', optional: true }) }) },
  })
  const handle = serve(intake({ endpoints: { upload } }), { upload: () => 'kept' })
  const send = async (length: number) => {
    const body = new FormData()
    body.append('note', 'x'.repeat(length))
    return (await handle(new Request('http://kr.example/', { method: 'POST', body }))).status
  }
  // The name counts too.
  expect([await send(96), await send(97)]).toEqual([200, 413])
})

test('a list or a table may hold its own kind where it may be empty', () => {
  interface Many extends Array<Many> {}
  interface Named {
    [name: string]: Named
  }
  const tree: Field<Many> = list(later(() => tree)) as never
  const names: Field<Named> = table(later(() => names)) as never
  const least: Field<Many> = list(
    later(() => least),
    { length: [1, 9] },
  ) as never
  const named: Field<Named> = table(
    later(() => named),
    { length: [1, 9] },
  ) as never
  expect(judgeParts(one(tree), { body: [[], [[]]] }).outcome).toBe('accepted')
  expect(judgeParts(one(names), { body: { a: {} } }).outcome).toBe('accepted')
  for (const endless of [least, named]) expect(() => one(endless)).toThrow('holds itself without end')
})

test('a limit in calendar months that the clocks skip is the first instant behind', () => {
  const inParis = one(instant({ zone: 'Europe/Paris', from: '+1y' }))
  // A year later the clocks go from two to three at that night.
  const now = new Date('2030-03-30T01:30:00Z')
  const outcomes = ['2031-03-30T00:59:59Z', '2031-03-30T01:00:00Z'].map(
    (body) => judgeParts(inParis, { body }, { now }).outcome,
  )
  expect(outcomes).toEqual(['rejected', 'accepted'])
})

test('a sum is not held to what is no number, and own words are told to their first four thousand characters', () => {
  const limited = one(record({ all: list(integer()), most: anything() }), {
    rules: (on: never) => [
      (on as { sumWithin: (...all: unknown[]) => never }).sumWithin('body.all[]', { atMost: 'body.most' }),
    ],
  })
  const codes = (most: unknown) =>
    told(judgeParts(limited, { body: { all: [1, 2], most } }))?.map((text) => text.split(':')[0])
  expect([codes('x'), codes(2), codes(3)]).toEqual([['body.most wrong_type'], ['body.all above_max'], undefined])
  const spoken = one(text({ length: [9, 9], messages: { too_short: () => `a${'b'.repeat(5000)}` } } as never))
  const [long] = told(judgeParts(spoken, { body: 'x' })) ?? []
  expect(long).toBe(`body too_short: a${'b'.repeat(3999)}…`)
})

test('a file that no field of a form takes is told as unlisted, however long', async () => {
  const upload = endpoint('POST /', {
    limits: { body: '1kB' },
    body: { 'multipart/form-data': record({ note: text(), plate: file({ bytes: '9kB', optional: true }) }) },
  })
  const handle = serve(intake({ endpoints: { upload } }), { upload: () => 'kept' })
  const body = new FormData()
  body.append('note', 'x')
  body.append('other', new Blob(['x'.repeat(5000)]), 'other.bin')
  const response = await handle(new Request('http://kr.example/', { method: 'POST', body }))
  expect([response.status, await response.json()]).toMatchObject([
    422,
    { fields: { 'body.other': [{ code: 'unlisted' }] } },
  ])
})

test('an answer has the title of its status', async () => {
  const verdict = { outcome: 'rejected', endpoint: undefined, stage: 'read', headers: {}, errors: [], more: 0 }
  // Node has three that are unassigned or obsolete, and two by the names of an older RFC.
  const renamed: { [status: string]: string } = { 413: 'Content Too Large', 422: 'Unprocessable Content' }
  for (const [status, name] of Object.entries({ ...STATUS_CODES, ...renamed })) {
    if (Number(status) < 400 || ['418', '509', '510'].includes(status)) continue
    const { title } = (await answer({ ...verdict, status: Number(status) } as never).json()) as { title: string }
    expect([status, title]).toEqual([status, name])
  }
})

test('decimals of many digits are held to their bounds', () => {
  const [low, high] = ['12345678901234567.8', '12345678901234568.1']
  const priced = one(decimal({ min: low as string, max: high as string }))
  const codes = ['12345678901234567.7', low, high, '12345678901234568.2'].map(
    (body) => told(judgeParts(priced, { body }))?.[0]?.split(':')[0],
  )
  expect(codes).toEqual(['body below_min', undefined, undefined, 'body above_max'])
})

test('of a length it is said whether it is none, or one of two', async () => {
  const app = intake({ endpoints: { one: one(record({})) } })
  const detail = async (lengths: string) => told((await judge(app, `POST / HTTP/1.1\n${lengths}\n\n{}`)) as never)?.[0]
  expect(await detail('Content-Length: two')).toContain('header.content-length bad_syntax: must be')
  expect(await detail('Content-Length: 2\nContent-Length: 3')).not.toBe(await detail('Content-Length: two'))
})

test('a part of a form that is JSON by its field or its type is read as that', async () => {
  const upload = endpoint('POST /', {
    body: {
      'multipart/form-data': record({
        size: record({ x: integer() }),
        marks: list(integer()),
        any: integer({ coerce: false }),
      }),
    },
  })
  const handle = serve(intake({ endpoints: { upload } }), { upload: ({ body }) => body as never })
  const send = async (size: string) => {
    const body = new FormData()
    body.append('size', size)
    for (const mark of ['1', '2']) body.append('marks', mark)
    body.append('any', new Blob(['7'], { type: 'application/json' }))
    return (await handle(new Request('http://kr.example/', { method: 'POST', body }))).json()
  }
  expect(await send('{"x":1}')).toEqual({ size: { x: 1 }, marks: [1, 2], any: 7 })
  expect(await send('{"x":"1"}')).toMatchObject({ fields: { 'body.size.x': [{ code: 'wrong_type' }] } })
})

test('what a rule asks to be the same of what a service fills in needs a key', () => {
  const span = readAs(text({ optional: true }), (value) => ({ value }), { code: 'odd' })
  const rows = record({ from: span, until: span, by: text() })
  const filled = (rule: (on: { [name: string]: (...all: unknown[]) => never }) => never) => () =>
    one(rows, {
      rules: (on: never) => [
        (on as { fill: (...all: unknown[]) => never }).fill('body.from', ['body.by'], () => undefined),
        rule(on),
      ],
    })
  expect(
    filled((on) => (on.together as (...all: never[]) => never)('body.from' as never, 'body.until' as never)),
  ).not.toThrow()
  expect(filled((on) => (on.equal as (...all: never[]) => never)('body.from' as never, 'body.until' as never))).toThrow(
    'Give its readAs a key',
  )
})

test('numbers of all sizes are the same where they are', () => {
  const both = record(
    { a: integer(), big: bigInteger(), price: decimal() },
    { rules: (on) => [on.equal('a', 'big' as never), on.equal('a', 'price' as never)] },
  )
  expect(judgeParts(one(both), { body: { a: 1, big: '1', price: '1.0' } }).outcome).toBe('accepted')
  expect(told(judgeParts(one(both), { body: { a: 1, big: '2', price: '1.01' } }))).toHaveLength(2)
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

test('a lookup that says nothing of it is waited for two seconds', async () => {
  const ask = (_: unknown, [id]: readonly unknown[]) =>
    id === 'slow' ? new Promise(() => undefined) : sleep(60).then(() => true)
  const get = endpoint('GET /{id}', {
    path: { id: text() },
    lookups: (on) => ({ of: on.lookup({ reads: ['path.id'], ask }) }),
  })
  const app = intake({ endpoints: { get }, journal: { write: () => 0 } })
  const since = performance.now()
  const [quick, slow] = await Promise.all(
    ['quick', 'slow'].map((id) => judge(app, `GET /${id} HTTP/1.1\n`, { services: {} })),
  )
  expect([quick?.outcome, slow]).toMatchObject(['accepted', { outcome: 'rejected', status: 503 }])
  expect(performance.now() - since).toBeGreaterThan(1900)
})

test('a language that nobody speaks is answered in the first', async () => {
  const verdict = judgeParts(one(text()), { body: 1 })
  const languages = ['fr', 'de-AT-x-wien, fr;q=0.5', 'DE', '*', 'de;q=0'].map((field) =>
    answer(verdict as never, new Request('http://kr.example', { headers: { 'accept-language': field } })).headers.get(
      'content-language',
    ),
  )
  expect(languages).toEqual(['en', 'de', 'de', 'en', 'en'])
})

test('a first error has its place in an answer, however long its words are', async () => {
  const verdict = judgeParts(one(text({ length: [9, 9], messages: { too_short: 'ü'.repeat(4000) } })), { body: 'x' })
  const page = await answer(
    verdict as never,
    new Request('http://kr.example', { headers: { accept: 'text/html' } }),
  ).text()
  expect(page).toContain('ü'.repeat(4000))
})

test('a handler whose client has gone before it began is told so', async () => {
  const gone: boolean[] = []
  const app = intake({ endpoints: { a: endpoint('GET /', {}) }, journal: { write: () => 0 } })
  const handle = serve(app, { a: (_, { signal }) => void gone.push(signal.aborted) })
  await handle(new Request('http://kr.example/', { signal: AbortSignal.abort() }))
  await handle(new Request('http://kr.example/'))
  expect(gone).toEqual([true, false])
})

test('a size in bytes is that many', () => {
  const upload = one({ 'text/plain': text({ length: [0, 99] }) } as never, { limits: { body: '4B' } })
  const app = intake({ endpoints: { upload } })
  const send = async (body: string) =>
    (
      await judge(
        app as never,
        { method: 'POST', target: '/', headers: { 'content-type': 'text/plain' }, body } as never,
      )
    ).outcome
  return expect(Promise.all(['abcd', 'abcde', 'éé', 'ééa', '€', '€€'].map(send))).resolves.toEqual([
    ...['accepted', 'rejected', 'accepted', 'rejected', 'accepted', 'rejected'],
  ])
})

test('a turn that was given back is not held on to', async () => {
  let renewed = 0
  const turns = { take: async () => ({ fence: 1, renew: async () => void renewed++, release: async () => undefined }) }
  const book = endpoint('POST /{id}', { path: { id: text() }, turn: { of: 'thing', by: ['path.id'], lease: '100ms' } })
  const handle = serve(intake({ endpoints: { book }, turns: turns as never }), { book: () => sleep(120) } as never)
  expect((await handle(new Request('http://kr.example/a', { method: 'POST' }))).status).toBe(204)
  const then = renewed
  expect(then).toBeGreaterThan(0)
  await sleep(250)
  expect(renewed).toBe(then)
})

test('a syntax error inside of a list is told where it is, also behind a comma', async () => {
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

test('the code of an endpoint has its rule, though it is the only one', () => {
  const ruled = endpoint('POST /', {
    body: record({ from: integer(), until: integer() }),
    rules: (on) => [on.ascending('body.from', 'body.until')],
  })
  const plain = endpoint('POST /', { body: record({ from: integer(), until: integer() }) })
  expect(codeOf(ruled).length).toBeGreaterThan(codeOf(plain).length + 50)
  expect(codeOf(ruled)).toContain('until')
})

test('where all is text, the branch that a constant names speaks alone', () => {
  const body = either([
    record({ by: constant('card'), number: text(), name: text(), until: text() }),
    record({ by: constant('transfer'), iban: text() }),
  ])
  const verdict = judgeParts(one(body), { body: { by: 'card', iban: 'x' } }, { text: true })
  expect(verdict.outcome === 'rejected' && verdict.errors.map(({ address, code }) => `${address} ${code}`)).toEqual([
    'body.number missing',
    'body.name missing',
    'body.until missing',
    'body.iban unlisted',
  ])
})

test('JSON in a part that has the name of a file is held to the limit of texts', async () => {
  const upload = endpoint('POST /', {
    limits: { body: '1kB' },
    body: {
      'multipart/form-data': record({
        plate: file({ bytes: '1MB', optional: true }),
        meta: record({ title: text({ length: [0, 9000] }) }),
      }),
    },
  })
  const handle = serve(intake({ endpoints: { upload } }), { upload: () => 'kept' })
  const send = async (length: number) => {
    const body = new FormData()
    body.append('meta', new Blob([JSON.stringify({ title: 'x'.repeat(length) })], { type: 'application/json' }), 'blob')
    return (await handle(new Request('http://kr.example/', { method: 'POST', body }))).status
  }
  expect([await send(100), await send(5000)]).toEqual([200, 413])
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

test('a number that only rounding makes whole is told, also below one', async () => {
  const app = intake({ endpoints: { put: one(record({ n: integer() })) } })
  for (const n of ['0.99999999999999999999', '1.00000000000000000001', '-0.99999999999999999999'])
    expect(told((await put(app, `{"n":${n}}`)) as never)?.[0]).toContain('body.n not_whole')
  expect((await put(app, '{"n":0.0}')).outcome).toBe('accepted')
})

test('a month from the last day of one is the last day of the next', () => {
  const due = one(record({ on: day({ from: '+1mo', until: '+3mo' }) }))
  const at = (on: string) => told(judgeParts(due, { body: { on } }, { now: new Date('2031-01-31T12:00:00Z') }) as never)
  expect(['2031-02-27', '2031-02-28', '2031-04-30', '2031-05-01'].map((on) => at(on)?.[0]?.split(':')[0])).toEqual([
    'body.on too_early',
    undefined,
    undefined,
    'body.on too_late',
  ])
})

test('what a rule finds wrong with a tag comes before what it finds behind it', () => {
  const never = (blames: string) => ({ reads: ['body.shape'], blames: [blames], code: 'odd', holds: () => false })
  const drawn = endpoint('POST /', {
    body: record({ shape: tagged('of', { disc: record({ size: integer() }), line: record({}) }) }),
    rules: (on) => [on.check(never('body.shape.size') as never), on.check(never('body.shape.of') as never)],
  })
  const verdict = judgeParts(drawn, { body: { shape: { of: 'disc', size: 1 } } })
  expect(told(verdict as never)?.map((line) => line.split(' ')[0])).toEqual(['body.shape.of', 'body.shape.size'])
})

test('a form without a chosen file is taken where the file is optional', async () => {
  const upload = endpoint('POST /', {
    body: { 'multipart/form-data': record({ plate: file({ bytes: '1MB', optional: true }), name: text() }) },
  })
  const handle = serve(intake({ endpoints: { upload } }), { upload: ({ body }) => Object.keys(body) })
  const body = new FormData()
  body.append('plate', new File([], '', { type: 'application/octet-stream' }))
  body.append('name', 'kr')
  const response = await handle(new Request('http://kr.example/', { method: 'POST', body }))
  expect([response.status, await response.json()]).toEqual([200, ['name']])
})

test('a turn that was lost is not asked for again', async () => {
  let asked = 0
  const renew = async () => {
    asked++
    return false
  }
  const turns = { take: async () => ({ fence: 1, renew, release: async () => undefined }) }
  const book = endpoint('POST /{id}', { path: { id: text() }, turn: { of: 'thing', by: ['path.id'], lease: '90ms' } })
  const handle = serve(intake({ endpoints: { book }, turns: turns as never }), { book: () => sleep(250) } as never)
  await handle(new Request('http://kr.example/a', { method: 'POST' }))
  expect(asked).toBe(1)
})

test('a line that is no request line is told as a whole where it is short', () => {
  for (const [line, said] of [
    ['x'.repeat(40), 'x'.repeat(40)],
    ['x'.repeat(41), `${'x'.repeat(39)}…`],
  ] as const)
    expect(parseMessage(line)).toMatchObject({ reason: expect.stringContaining(`"${said}" is no request line`) })
})

test('an envelope that is a text goes out as it is where its type is one, and as JSON elsewhere', async () => {
  const answered = async (body: unknown, type?: string) => {
    const app = intake({
      endpoints: { get: endpoint('GET /', {}) },
      envelope: () => ({ body, ...(type === undefined ? {} : { type }) }) as never,
    })
    return (await serve(app, { get: () => 1 })(new Request('http://kr.example/none'))).text()
  }
  expect(
    await Promise.all([answered('as it is', 'text/plain'), answered('in marks'), answered([1], 'text/csv')]),
  ).toEqual(['as it is', '"in marks"', '[1]'])
})

test('an own check may look at an object that may be filled in; a comparison may not', () => {
  const made = () => readAs(text({ optional: true }), (sent) => ({ sent }), { code: 'odd' })
  const with_ = (rule: (on: never) => unknown) =>
    endpoint('POST /', {
      body: record({ a: made(), b: made(), c: text() }),
      rules: ((on: never) => [
        (on as { fill: (...all: unknown[]) => unknown }).fill('body.a', ['body.c'], () => 'x'),
        rule(on),
      ]) as never,
    })
  type On = { [rule: string]: (...all: unknown[]) => unknown }
  expect(() => with_((on) => (on as On).check?.({ reads: ['body.a'], code: 'odd', holds: () => true }))).not.toThrow()
  expect(() => with_((on) => (on as On).equal?.('body.a', 'body.b'))).toThrow('may be filled in here')
})

test('the one method of a path is told with what any path takes', async () => {
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

test('half of a pair counts as a character, a pair as one', () => {
  const three = one(record({ a: text({ length: [3, 3] }) }))
  const outcome = (a: string) => judgeParts(three, { body: { a } }).outcome
  const all = ['a\ud800b', 'a\udc00b', '\ud83d\ude00ab', 'ab\ud83d', '\ud83dab', '\ude00\ud83da', '\ud83d\ude00a']
  expect(all.map(outcome)).toEqual([...Array(6).fill('accepted'), 'rejected'])
})

test('suggestions come to their end at the same error, whichever engine reads', () => {
  const rows = list(
    either([record({ alpha: integer(), gamma: integer() }), record({ beta: record({}), delta: text() })]),
  )
  const [compiled, interpreted] = (['compiled', 'interpreted'] as const).map((engine) => {
    const { put } = intake({ engine, endpoints: { put: one(record({ rows })) } }).endpoints
    const body = { rows: Array.from({ length: 7 }, () => ({ alpha: 'x', gamme: 1 })) }
    return told(judgeParts(put as never, { body } as never) as never)
  })
  expect(compiled).toEqual(interpreted)
  expect(compiled?.filter((line) => line.endsWith('; gamma is')).length).toBe(3)
})
