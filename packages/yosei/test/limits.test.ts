/** Limits at their bounds, of sizes, of time, and of what is kept. */
import { spawnSync } from 'node:child_process'
import { describe, expect, test } from '@jest/globals'
import {
  answer,
  anything,
  choice,
  day,
  decimal,
  either,
  endpoint,
  type Field,
  file,
  flag,
  give,
  group,
  instant,
  intake,
  integer,
  judge,
  judgeParts,
  later,
  list,
  number,
  record,
  serve,
  table,
  text,
} from 'yosei'
import { weightOf } from '../dist/internals.js'
import { json, one, told } from './shared.ts'

const _put = (app: object, body: string | Uint8Array, headers: object = json) =>
  judge(app as never, { method: 'POST', target: '/', headers: headers as never, body })

test('what declares an intake may change afterwards', () => {
  const limits = { body: '1kB', errors: 1 } as const
  const tags = ['a']
  const app = intake({ endpoints: { one: one(list(integer()), { tags }) }, limits })
  Object.assign(limits, { errors: 50 })
  tags.push('b')
  expect(judgeParts(app.endpoints.one, { body: ['x', 'y'] })).toMatchObject({ more: 1 })
  expect(Object.isFrozen(app.endpoints.one)).toBe(true)
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
      'in a union beside a secret, −0 and 0 of unlisted names differ',
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
          { body: { l: Array.from({ length: 1001 }, () => 'x'), a: 1, b: 2 } },
        ),
      { more: 1, errors: expect.not.arrayContaining([expect.objectContaining({ code: 'unequal' })]) },
    ],
    [
      'with a thousand faults, all of which are kept, rules run',
      () =>
        judgeParts(
          one(record({ l: list(integer()), a: integer(), b: integer() }), {
            rules: (on: never) => [(on as { equal: (...all: unknown[]) => never }).equal('body.a', 'body.b')],
            limits: { errors: 2000 },
          }),
          { body: { l: Array.from({ length: 999 }, () => 'x'), a: 1, b: 2 } },
        ),
      { more: 0, errors: expect.arrayContaining([expect.objectContaining({ code: 'unequal' })]) },
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
      'body[0] must be a whole number; "x" was sent, and 1099 more errors',
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

test('a list or a table may hold its own kind if it may be empty', () => {
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
