import { describe, expect, jest, test } from '@jest/globals'
import {
  answer,
  bigInteger,
  choice,
  DeclarationError,
  day,
  decimal,
  duration,
  endpoint,
  type Field,
  flag,
  group,
  instant,
  intake,
  integer,
  judge,
  judgeParts,
  later,
  list,
  number,
  only,
  outline,
  type Rule,
  type RuleMaker,
  readAs,
  record,
  serve,
  tagged,
  text,
  timeOfDay,
  without,
} from 'yosei'

const item = record({
  low: integer({ optional: true }),
  high: integer({ optional: true }),
  label: text({ optional: true }),
  kind: choice(['a', 'b'], { optional: true }),
})
const parts = {
  query: { from: integer({ optional: true }), until: integer({ optional: true }), word: text({ optional: true }) },
  header: { key: text({ optional: true }), accept: text({ optional: true }) },
  body: record({
    a: integer({ optional: true }),
    b: integer({ optional: true, nullable: true }),
    c: text({ optional: true }),
    d: integer({ default: 7 }),
    at: instant({ optional: true }),
    price: decimal({ optional: true }),
    cost: decimal({ optional: true }),
    items: list(item, { optional: true }),
    mode: tagged('kind', { fast: record({ speed: integer() }), slow: record({ pause: integer({ optional: true }) }) }, {
      optional: true,
    } as never),
    secret: text({ optional: true, secret: true }),
  }),
} as const
const declared = (rules: (on: RuleMaker<Input>) => readonly Rule[]) =>
  endpoint('POST /', { ...parts, rules: rules as never })
interface Input {
  query: { from?: number; until?: number; word?: string }
  header: { key?: string; accept?: string }
  body: {
    a?: number
    b?: number | null
    c?: string
    d: number
    at?: Date
    price?: string
    cost?: string
    items?: { low?: number; high?: number; label?: string; kind?: 'a' | 'b' }[]
    mode?: { kind: 'fast'; speed: number } | { kind: 'slow'; pause?: number }
    secret?: string
  }
}
type Sent = { query?: object; header?: object; body?: object }
const judged = (rule: (on: RuleMaker<Input>) => Rule, { query = {}, header = {}, body = {} }: Sent) => {
  const verdict = judgeParts(
    declared((on) => [rule(on)]),
    { query, header, body },
  )
  return verdict.outcome === 'rejected'
    ? verdict.errors.map(({ address, code, message }) => `${address} ${code}: ${message}`)
    : []
}

describe('each rule tells what does not hold, at the field that it blames', () => {
  test.each<[string, (on: RuleMaker<Input>) => Rule, Sent, string[]]>([
    [
      'ascending, equal values',
      (on) => on.ascending('body.a', 'body.b'),
      { body: { a: 2, b: 2 } },
      ['body.b out_of_order: must be more than body.a (2); 2 was sent'],
    ],
    ['ascending or equal', (on) => on.ascending('body.a', 'body.b', { orEqual: true }), { body: { a: 2, b: 2 } }, []],
    [
      'ascending across parts',
      (on) => on.ascending('query.from', 'body.b'),
      { query: { from: '5' }, body: { b: 4 } },
      ['body.b out_of_order: must be more than query.from (5); 4 was sent'],
    ],
    ['ascending, one not sent', (on) => on.ascending('body.a', 'body.b'), { body: { a: 2 } }, []],
    ['ascending, one null', (on) => on.ascending('body.a', 'body.b'), { body: { a: 2, b: null } }, []],
    [
      'ascending, decimals by their value',
      (on) => on.ascending('body.price', 'body.cost'),
      { body: { price: '9.50', cost: '10.1' } },
      [],
    ],
    [
      'ascending, element by element',
      (on) => on.ascending('body.items[].low', 'body.items[].high'),
      { body: { items: [{ low: 1, high: 2 }, { low: 3, high: 3 }, { low: 9 }] } },
      ['body.items[1].high out_of_order: must be more than body.items[1].low (3); 3 was sent'],
    ],
    [
      'ascending, blaming both in own words',
      (on) =>
        on.ascending('body.a', 'body.b', {
          blames: ['body.a', 'body.b'],
          message: 'clash with {other}',
          code: 'clash',
        }),
      { body: { a: 2, b: 1 } },
      ['body.a clash: clash with body.b (1)', 'body.b clash: clash with body.a (2)'],
    ],
    [
      'equal',
      (on) => on.equal('body.a', 'body.d'),
      { body: { a: 3 } },
      ['body.d unequal: must be the same as body.a (3); 7 was sent'],
    ],
    [
      'different',
      (on) => on.differ('query.word', 'body.c'),
      { query: { word: 'x' }, body: { c: 'x' } },
      ['body.c equal_not_allowed: must not be the same as query.word ("x"); "x" was sent'],
    ],
    [
      'different, and so they are',
      (on) => on.differ('query.word', 'body.c'),
      { query: { word: 'x' }, body: { c: 'y' } },
      [],
    ],
    [
      'a secret is not echoed',
      (on) => on.equal('body.c', 'body.secret'),
      { body: { c: 'x', secret: 'hush' } },
      ['body.secret unequal: must be the same as body.c ("x")'],
    ],
    [
      'together, one is missing',
      (on) => on.together('body.a', 'body.b'),
      { body: { a: 1 } },
      ['body not_together: needs all of body.a, body.b, or none of them'],
    ],
    ['together, none', (on) => on.together('body.a', 'body.b'), {}, []],
    ['together, null is sent', (on) => on.together('body.a', 'body.b'), { body: { a: 1, b: null } }, []],
    [
      'exactly one, none',
      (on) => on.exactlyOne('body.a', 'body.b'),
      {},
      ['body none_present: needs one of body.a, body.b'],
    ],
    [
      'exactly one, two',
      (on) => on.exactlyOne('body.a', 'body.b', 'body.c'),
      { body: { a: 1, c: 'x' } },
      ['body more_than_one: takes only one of body.a, body.b, body.c'],
    ],
    [
      'at least one, across parts: the first is blamed',
      (on) => on.atLeastOne('query.word', 'body.c'),
      {},
      ['query.word none_present: needs one of query.word, body.c'],
    ],
    ['at most one, none', (on) => on.atMostOne('body.a', 'body.b'), {}, []],
    [
      'at most one, two',
      (on) => on.atMostOne('query.from', 'query.until'),
      { query: { from: '1', until: '2' } },
      ['query more_than_one: takes only one of query.from, query.until'],
    ],
    ['a default is not sent', (on) => on.atMostOne('body.a', 'body.d'), { body: { a: 1 } }, []],
    [
      'needed',
      (on) => on.needed('header.key', on.above('body.a', 10)),
      { body: { a: 11 } },
      ['header.key needed: must be sent when body.a is more than 10'],
    ],
    [
      'needed, the condition does not hold',
      (on) => on.needed('header.key', on.above('body.a', 10)),
      { body: { a: 10 } },
      [],
    ],
    [
      'needed, and sent',
      (on) => on.needed('header.key', on.above('body.a', 10)),
      { header: { key: 'k' }, body: { a: 11 } },
      [],
    ],
    [
      'needed, a condition on a filled value',
      (on) => on.needed('body.c', on.is('body.d', 7)),
      {},
      ['body.c needed: must be sent when body.d is 7'],
    ],
    [
      'needed, within a branch',
      (on) => on.needed('body.c', on.is('body.mode.kind', 'fast')),
      { body: { mode: { kind: 'fast', speed: 1 } } },
      ['body.c needed: must be sent when body.mode.kind is fast'],
    ],
    [
      'needed, element by element',
      (on) => on.needed('body.items[].label', on.is('body.items[].kind', 'a')),
      { body: { items: [{ kind: 'b' }, { kind: 'a' }, { kind: 'a', label: 'x' }] } },
      ['body.items[1].label needed: must be sent when body.items[1].kind is a'],
    ],
    [
      'needed, any element outside a list',
      (on) => on.needed('body.c', on.in('body.items[].kind', ['a'])),
      { body: { items: [{ kind: 'b' }, { kind: 'a' }] } },
      ['body.c needed: must be sent when body.items[].kind is a'],
    ],
    [
      'absent',
      (on) => on.absent('body.c', on.sent('query.word')),
      { query: { word: 'w' }, body: { c: 'x' } },
      ['body.c not_allowed_here: must not be sent when query.word is sent'],
    ],
    [
      'absent, an empty text counts as not sent',
      (on) => on.absent('body.c', on.sent('query.word')),
      { query: { word: '' }, body: { c: 'x' } },
      [],
    ],
    [
      'all, any, not',
      (on) =>
        on.needed(
          'body.c',
          on.all(on.below('body.a', 3), on.any(on.not(on.sent('body.b')), on.not(on.is('body.d', 7)))),
        ),
      { body: { a: 1 } },
      ['body.c needed: must be sent when body.a is less than 3 and (body.b is not sent or body.d is not 7)'],
    ],
    [
      'not of something else',
      (on) => on.absent('body.c', on.not(on.above('body.a', 5))),
      { body: { c: 'x' } },
      ['body.c not_allowed_here: must not be sent unless body.a is more than 5'],
    ],
    [
      'accepts',
      (on) => on.needed('body.c', on.accepts('text/csv')),
      { header: { accept: 'text/*;q=0.5' } },
      ['body.c needed: must be sent when the client accepts text/csv'],
    ],
    [
      'accepts, something else',
      (on) => on.needed('body.c', on.accepts('text/csv')),
      { header: { accept: 'application/json' } },
      [],
    ],
    [
      'a sum over a list',
      (on) => on.sumWithin('body.items[].low', [2, 10]),
      { body: { items: [{ low: 7 }, { low: 4 }] } },
      ['body.items above_max: must add up to at most 10; body.items[].low adds up to 11'],
    ],
    [
      'a sum that is too small',
      (on) => on.sumWithin('body.items[].low', [2, 10]),
      { body: { items: [] } },
      ['body.items below_min: must add up to at least 2; body.items[].low adds up to 0'],
    ],
    [
      'a sum within another field',
      (on) => on.sumWithin('body.items[].low', { atMost: 'body.d' }),
      { body: { items: [{ low: 8 }] } },
      ['body.items above_max: must add up to no more than body.d (7); body.items[].low adds up to 8'],
    ],
    [
      'check',
      (on) =>
        on.check({
          reads: ['body.a', 'body.items[].low'],
          code: 'odd',
          message: 'is odd',
          holds: (a, lows) => a === (lows as number[]).length,
        }),
      { body: { a: 1, items: [{ low: 1 }, { low: 2 }] } },
      ['body.items[0].low odd: is odd', 'body.items[1].low odd: is odd'],
    ],
    [
      'check, a code like what every object has',
      (on) => on.check({ reads: ['body.b'], code: 'constructor', holds: () => false }),
      { body: { b: 1 } },
      ['body.b constructor: is not accepted'],
    ],
    [
      'check, a null is sent',
      (on) => on.check({ reads: ['body.b'], code: 'odd', holds: (b) => b !== null }),
      { body: { b: null } },
      ['body.b odd: is not accepted'],
    ],
    [
      'find, at exact places',
      (on) =>
        on.find({
          reads: ['body.items'],
          code: 'twice',
          finds: (items) =>
            (items ?? []).flatMap((one, index) => (one.kind === 'b' ? [{ at: `body.items[${index}].kind` }] : [])),
        }),
      { body: { items: [{ kind: 'a' }, { kind: 'b' }] } },
      ['body.items[1].kind twice: is not accepted'],
    ],
    [
      'find, with words of its own, and no place',
      (on) => on.find({ reads: ['body.a'], code: 'x', finds: () => [{ at: '', code: 'y', message: 'is y' }] }),
      { body: { a: 1 } },
      ['body.a y: is y'],
    ],
  ])('%s', (_, rule, sent, told) => {
    expect(judged(rule, sent)).toEqual(told)
  })
})

describe('a rule waits for all that it reads', () => {
  test.each<[string, (on: RuleMaker<Input>) => Rule, Sent, string[]]>([
    [
      'one of two is wrong',
      (on) => on.ascending('body.a', 'body.b'),
      { body: { a: 'x', b: 1 } },
      ['body.a wrong_type'],
    ],
    [
      'something in an element is wrong',
      (on) => on.check({ reads: ['body.items'], code: 'odd', holds: () => false }),
      { body: { items: [{ low: 'x' }] } },
      ['body.items[0].low wrong_type'],
    ],
    [
      'what a condition reads is wrong',
      (on) => on.needed('header.key', on.above('body.a', 1)),
      { body: { a: 'x' } },
      ['body.a wrong_type'],
    ],
    [
      'something else is wrong',
      (on) => on.ascending('body.a', 'body.d'),
      { query: { from: 'x' }, body: { a: 9 } },
      ['query.from wrong_type', 'body.d out_of_order'],
    ],
  ])('%s', (_, rule, sent, told) => {
    expect(judged(rule, sent).map((one) => one.split(':')[0])).toEqual(told)
  })
})

test('fill makes values of others before any rule runs, element by element too', () => {
  const filled = declared((on) => [
    on.ascending('body.b', 'body.a'),
    on.fill('body.a', ['body.d'], (d) => d + 1),
    on.fill('body.items[].label', ['body.items[].kind'] as never, ((kind: string) => `of kind ${kind}`) as never),
    on.fill('body.c', ['query.word'], (word) => (word === 'none' ? undefined : (word as string))),
  ])
  const verdict = judgeParts(
    filled,
    { query: { word: 'w' }, body: { b: 9, items: [{ kind: 'a' }, { kind: 'b', label: 'own' }, {}] } },
    { trace: true },
  )
  expect(verdict).toMatchObject({ outcome: 'rejected', errors: [{ address: 'body.a', code: 'out_of_order' }] })
  expect(
    verdict.trace?.readings.filter(({ how }) => how === 'filled').map(({ address, read }) => [address, read]),
  ).toEqual([
    ['body.a', 8],
    ['body.items[0].label', 'of kind a'],
    ['body.items[2].label', 'of kind undefined'],
    ['body.c', 'w'],
  ])
  expect(judgeParts(filled, { query: { word: 'none' }, body: {} })).toMatchObject({
    outcome: 'accepted',
    input: { body: { a: 8, d: 7 } },
  })
})

test.each(['compiled', 'interpreted'] as const)(
  'fill is given a list of what lies in a list, however long: %s',
  (engine) => {
    const rows = list(record({ n: integer(), parts: list(integer()), most: integer({ optional: true }) }))
    const { put } = intake({
      engine,
      endpoints: {
        put: endpoint('PUT /', {
          body: record({ rows, sum: text({ optional: true }) }),
          rules: (on) => [
            on.fill('body.sum', ['body.rows[].n'], (all) => JSON.stringify(all)),
            on.fill('body.rows[].most', ['body.rows[].parts[]', 'body.rows[].n'], (parts, n) => parts.length * 10 + n),
          ],
        }),
      },
    }).endpoints
    const filled = (...rows: { n: number; parts: number[] }[]) => {
      const verdict = judgeParts(put, { body: { rows } })
      return (
        verdict.outcome === 'accepted' && [verdict.input.body.sum, ...verdict.input.body.rows.map(({ most }) => most)]
      )
    }
    expect(filled()).toEqual(['[]'])
    expect(filled({ n: 1, parts: [7] })).toEqual(['[1]', 11])
    expect(filled({ n: 1, parts: [] }, { n: 2, parts: [3, 4] })).toEqual(['[1,2]', 1, 22])
  },
)

const moment = new Date(0)
const open = { optional: true, readOnly: 'drop' } as const
test.each<[string, Field, unknown, unknown?]>([
  ['an instant, as one of its own', instant({ ...open, from: '1970-01-01T00:00:00Z' }), moment, new Date(0)],
  ['an instant before its limit', instant({ ...open, from: '1970-01-01T00:00:01Z' }), moment],
  ['an instant after its limit', instant({ ...open, until: '-1d' }), new Date(Date.now() - 60_000)],
  ['an instant that RFC 3339 cannot write', instant(open), new Date(253_402_300_800_000)],
  ['the last that it can', instant(open), new Date(253_402_300_799_999), new Date(253_402_300_799_999)],
  ['one before the year 0', instant(open), new Date(-62_167_219_200_001)],
  ['no time at all', instant(open), new Date(Number.NaN)],
  ['an instant as text', instant(open), '1970-01-01T01:00:00+01:00', new Date(0)],
  ['a duration', duration({ ...open, max: '1m' }), 60_000, 60_000],
  ['no duration', duration({ ...open, min: '0s' }), -0, 0],
  ['a duration over its limit', duration({ ...open, max: '1m' }), 60_001],
  ['a duration below zero', duration(open), -1],
  ['a part of a millisecond', duration(open), 0.5, 1],
  ['a big integer', bigInteger({ ...open, min: 1n, step: 5n }), 10n, 10n],
  ['a big integer between its steps', bigInteger({ ...open, step: 5n }), 11n],
  ['the least of so many digits', bigInteger(open), 1n - 10n ** 999n, 1n - 10n ** 999n],
  ['one of more', bigInteger(open), -(10n ** 1000n)],
  ['a time without seconds', timeOfDay({ ...open, until: '09:30' }), '09:30', '09:30:00'],
  ['a time after its limit', timeOfDay({ ...open, until: '09:30' }), '09:31'],
  ['a zero below zero', number(open), -0, 0],
  ['a record', record({ x: integer() }, open), { x: -0 }, { x: 0 }],
  ['a record with a name that is not declared', record({ x: integer() }, open), { x: 1, y: 2 }],
  ['null', integer({ ...open, nullable: true }), null, null],
])('what is filled in is held against its field by both engines: %s', (_, field, made, ...read) => {
  for (const engine of ['compiled', 'interpreted'] as const) {
    const { put } = intake({
      engine,
      endpoints: {
        put: endpoint('PUT /', {
          body: record({ a: integer(), b: field } as never) as Field,
          rules: (on) => [(on.fill as (...all: unknown[]) => never)('body.b', ['body.a'], () => made)],
        }),
      },
      journal: { write: () => undefined },
    }).endpoints
    const noted = jest.spyOn(console, 'error').mockImplementation(() => undefined)
    const verdict = judgeParts(put, { body: { a: 7 } })
    noted.mockRestore()
    if (read.length === 0) expect([engine, verdict]).toMatchObject([engine, { status: 500, errors: [] }])
    else {
      const { b } = (verdict as unknown as { input: { body: { b: unknown } } }).input.body
      expect([engine, b]).toStrictEqual([engine, ...read])
      // What the service goes on with is not handed out.
      if (typeof made === 'object' && made !== null) expect(b).not.toBe(made)
    }
  }
})

test.each(['compiled', 'interpreted'] as const)('one value is held against each element of its own: %s', (engine) => {
  const row = record({ m: integer(), k: text({ optional: true }) })
  const { put } = intake({
    engine,
    endpoints: {
      put: endpoint('PUT /', {
        body: record({ a: integer(), rows: list(row) }),
        rules: (on) => [on.needed('body.rows[].k', on.above('body.a', on.other('body.rows[].m')))],
      }),
    },
  }).endpoints
  const verdict = judgeParts(put, { body: { a: 2, rows: [{ m: 3 }, { m: 1 }, { m: 2 }, { m: 0 }, { m: 1, k: 'x' }] } })
  expect(verdict.outcome === 'rejected' && verdict.errors.map(({ address }) => address)).toEqual([
    'body.rows[1].k',
    'body.rows[3].k',
  ])
})

test.each(['compiled', 'interpreted'] as const)('the sum of what was not sent is not judged: %s', (engine) => {
  const body = record({
    rows: list(record({ n: integer({ optional: true }) }), { optional: true }),
    most: integer({ optional: true }),
    b: integer({ optional: true }),
  })
  const { put } = intake({
    engine,
    endpoints: {
      put: endpoint('PUT /', {
        body,
        rules: (on) => [
          on.sumWithin('body.rows[].n', { atLeast: 5 }),
          on.sumWithin('body.rows[].n', { atMost: 'body.most' }),
          on.sumWithin('body.b', { atLeast: 2 }),
        ],
      }),
    },
  }).endpoints
  const told = (body: object) => {
    const verdict = judgeParts(put, { body })
    return verdict.outcome === 'rejected' ? verdict.errors.map(({ address, code }) => `${address} ${code}`) : []
  }
  expect(told({})).toEqual([])
  expect(told({ rows: [{ n: 9 }] })).toEqual([])
  expect(told({ rows: [{}], most: 0 })).toEqual(['body.rows below_min'])
  expect(told({ rows: [{ n: 9 }], most: 8, b: 1 })).toEqual(['body.rows above_max', 'body.b below_min'])
})

describe('verdicts of rules on what others would not send', () => {
  const post = (body: Field, rules: (on: RuleMaker<never>) => readonly unknown[], more = {}) =>
    endpoint('POST /', { body, rules, ...more } as never)
  type Anything = (...all: unknown[]) => never
  const any = (on: unknown) => on as { readonly [R in keyof RuleMaker<never>]: Anything }
  const rows = list(
    record({
      a: integer({ optional: true }),
      b: integer({ optional: true }),
      s: text({ optional: true }),
      t: text({ optional: true }),
      hours: list(integer(), { optional: true }),
      most: integer({ optional: true }),
    }),
  )
  const told = (one: ReturnType<typeof post>, body: unknown, more = {}) => {
    const verdict = judgeParts(one, { body, ...more })
    return verdict.outcome === 'rejected' ? verdict.errors.map(({ address, message }) => `${address} ${message}`) : []
  }
  const sum = (item: Field, bounds: unknown, more = {}) =>
    post(record({ l: list(item), ...more } as never), (on) => [any(on).sumWithin('body.l[]', bounds)])
  test.each<[string, ReturnType<typeof post>, unknown, string[]]>([
    [
      'a sum of decimals',
      sum(decimal(), { atMost: 'body.m' }, { m: decimal() }),
      { l: ['0.10', '0.20'], m: '0.30' },
      [],
    ],
    [
      'a sum of decimals beyond',
      sum(decimal(), { atMost: 'body.m' }, { m: decimal() }),
      { l: ['0.10', '-0.00', '0.2000000000000000001'], m: '0.30' },
      ['body.l must add up to no more than body.m (0.30); it is 0.3000000000000000001'],
    ],
    [
      'a sum of big integers',
      sum(bigInteger(), { atMost: 'body.m' }, { m: bigInteger() }),
      { l: ['9007199254740993', '1'], m: '9007199254740993' },
      ['body.l must add up to no more than body.m (9007199254740993); it is 9007199254740994'],
    ],
    ['a sum of floats', sum(number(), [1, 1]), { l: [0.7, 0.2, 0.1] }, []],
    ['a sum of nothing', sum(number(), [0, 1]), { l: [] }, []],
    [
      'a sum of large and small',
      sum(number(), [0, 1]),
      { l: [1e21, 1e-7, -1e21, -2e-7] },
      ['body.l must add up to at least 0; it is -0.0000001'],
    ],
    [
      'a condition on a duration, in its own unit',
      post(record({ d: duration(), s: text({ optional: true }) }), (on) => [
        any(on).needed('body.s', any(on).not(any(on).below('body.d', 3_600_000))),
      ]),
      { d: 'PT2H' },
      ['body.s must be sent unless body.d is less than PT1H'],
    ],
    [
      'a sum of durations',
      sum(duration(), [0, 3_600_000]),
      { l: ['PT1H', 'PT1M'] },
      ['body.l must add up to at most PT1H; it is PT1H1M'],
    ],
    [
      'a sum in each element',
      post(rows, (on) => [any(on).sumWithin('body[].hours[]', { atMost: 'body[].most' })]),
      [
        { hours: [1, 2], most: 3 },
        { hours: [4], most: 3 },
        { hours: ['x'], most: 0 },
      ],
      [
        'body[1].hours must add up to no more than body[1].most (3); it is 4',
        'body[2].hours[0] must be a whole number; "x" was sent',
      ],
    ],
    [
      'times by their offsets',
      post(record({ a: text({ format: 'time' }), b: text({ format: 'time' }) }), (on) => [
        any(on).ascending('body.a', 'body.b'),
      ]),
      { a: '10:00:00+02:00', b: '09:00:00Z' },
      [],
    ],
    [
      'days in words',
      post(record({ a: day(), b: day() }), (on) => [any(on).ascending('body.a', 'body.b', { orEqual: true })]),
      { a: '2031-02-01', b: '2031-01-01' },
      ['body.b must not come before body.a ("2031-02-01"); "2031-01-01" was sent'],
    ],
    [
      'durations in words, by the first',
      post(record({ a: duration(), b: duration() }), (on) => [
        any(on).ascending('body.a', 'body.b', { blames: ['body.a'] }),
      ]),
      { a: 'PT1H', b: 'PT30M' },
      ['body.a must be less than body.b ("PT30M"); "PT1H" was sent'],
    ],
    [
      'instants, by both and by what holds them',
      post(record({ a: instant(), b: instant() }), (on) => [
        any(on).ascending('body.a', 'body.b', { orEqual: true, blames: ['body.a', 'body.b', 'body'] }),
      ]),
      { a: '2031-01-02T00:00:00Z', b: '2031-01-01T00:00:00Z' },
      [
        'body needs body.a not to come after body.b',
        'body.a must not come after body.b ("2031-01-01T00:00:00Z"); "2031-01-02T00:00:00Z" was sent',
        'body.b must not come before body.a ("2031-01-02T00:00:00Z"); "2031-01-01T00:00:00Z" was sent',
      ],
    ],
    [
      'elements against one, by the elements',
      post(record({ l: list(integer()), cap: integer() }), (on) => [
        any(on).ascending('body.l[]', 'body.cap', { orEqual: true, blames: ['body.l[]'] }),
      ]),
      { l: [1, 9, 'x', 2], cap: 2 },
      ['body.l[1] must not be more than body.cap (2); 9 was sent', 'body.l[2] must be a whole number; "x" was sent'],
    ],
    [
      'equal and different, by what holds them',
      post(record({ a: integer(), b: integer() }), (on) => [
        any(on).equal('body.a', 'body.b', { blames: ['body'] }),
        any(on).differ('body.a', 'body.a', { blames: ['body'] }),
      ]),
      { a: 1, b: 2 },
      ['body needs body.a to be the same as body.b', 'body needs body.a not to be the same as body.a'],
    ],
    [
      'rules on groups, element by element',
      post(rows, (on) => [any(on).exactlyOne('body[].a', 'body[].b')]),
      [{ a: 1 }, { b: 1 }, {}, { a: 1, b: 2 }],
      ['body[2] needs one of body[2].a, body[2].b', 'body[3] takes only one of body[3].a, body[3].b'],
    ],
    [
      'an error in one element holds back no other',
      post(rows, (on) => [
        any(on).ascending('body[].a', 'body[].b'),
        any(on).needed('body[].s', any(on).sent('body[].t')),
      ]),
      [{ a: 2, b: 1 }, { a: 2, b: 'x' }, { a: 2, b: 1, t: 5 }, { t: 'x' }],
      [
        'body[0].b must be more than body[0].a (2); 1 was sent',
        'body[1].b must be a whole number; "x" was sent',
        'body[2].b must be more than body[2].a (2); 1 was sent',
        'body[2].t must be text; 5 was sent',
        'body[3].s must be sent when body[3].t is sent',
      ],
    ],
    [
      'a rule on what is inside of nothing',
      post(
        record({ to: record({ mail: text({ optional: true }), phone: text({ optional: true }) }, { optional: true }) }),
        (on) => [
          any(on).atLeastOne('body.to.mail', 'body.to.phone'),
          any(on).together('body.to.mail', 'body.to.phone'),
        ],
      ),
      {},
      [],
    ],
    [
      'what is needed inside of nothing',
      post(
        record({ to: record({ mail: text({ optional: true }) }, { optional: true }) }),
        (on) => [any(on).needed('body.to.mail', any(on).not(any(on).sent('query.x')))],
        { query: { x: text({ optional: true }) } },
      ),
      {},
      ['body.to.mail must be sent when query.x is not sent'],
    ],
    [
      'what is needed in a body that was not sent',
      post(
        record({ mail: text({ optional: true }) }, { optional: true }),
        (on) => [any(on).needed('body.mail', any(on).not(any(on).sent('query.x')))],
        { query: { x: text({ optional: true }) } },
      ),
      undefined,
      ['body.mail must be sent when query.x is not sent'],
    ],
    [
      'unlisted names of a branch behind its errors',
      post(
        tagged('k', {
          y: record({ x: integer(), a: integer(), b: integer() }),
          z: record({ b: integer(), a: integer() }),
        }),
        () => [],
      ),
      { x: 1, a: 'x', k: 'z', b: 'x' },
      [
        'body.b must be a whole number; "x" was sent',
        'body.a must be a whole number; "x" was sent',
        'body.x is not known here',
      ],
    ],
  ])('%s', (_, one, body, errors) => {
    expect(told(one, body)).toEqual(errors)
    expect(outline(one)).toBeDefined()
  })
  test.each<[string, () => unknown, string]>([
    [
      'a decimal and a day',
      () => post(record({ a: decimal(), b: day() }), (on) => [any(on).equal('body.a', 'body.b')]),
      'body.a is a number and body.b a date, which do not compare',
    ],
    [
      'flags have no order',
      () => post(record({ a: flag(), b: flag() }), (on) => [any(on).ascending('body.a', 'body.b')]),
      'body.a holds values that have no order',
    ],
    ['a sum of texts', () => sum(text(), [0, 1]), 'body.l[] holds no numbers'],
  ])('%s, which is said where it is declared', (_, declare, words) => {
    expect(declare).toThrow(words)
  })
  test('objects that a reader makes are the same by their key, or by what was sent for them', async () => {
    const link = readAs(text({ tidy: ['trim'] }), (value) => new URL(value), { code: 'bad_link' })
    const keyed = readAs(text(), (value) => new URL(value), { code: 'bad_link', key: String })
    const pair = (field: Field, a: string, b: string) =>
      told(
        post(record({ a: field, b: field, l: list(field, { distinct: true }) } as never), (on) => [
          any(on).equal('body.a', 'body.b'),
        ]),
        { a, b, l: [a, b] },
      )
    const repeated = 'body.l[1] must not repeat body.l[0]'
    const unequal = 'body.b must be the same as body.a'
    expect(pair(link, 'http://kr.example/', 'http://other.example/')).toEqual([unequal])
    expect(pair(link, 'http://kr.example/', ' http://kr.example/')).toEqual([repeated])
    expect(pair(keyed, 'http://kr.example', 'http://kr.example/')).toEqual([repeated])
    const ask = async (_: unknown, [to]: readonly URL[]) => String(to)
    const send = endpoint('POST /', {
      body: record({ a: link, b: link }),
      lookups: (on) => ({ a: on.lookup({ reads: ['body.a'], ask }), b: on.lookup({ reads: ['body.b'], ask }) }),
    })
    const response = await serve(intake({ endpoints: { send } }), { send: (_, { found }) => found })(
      new Request('http://kr.example/', {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: '{"a":"http://good.example","b":"http://evil.example"}',
      }),
    )
    expect(await response.json()).toEqual({ a: 'http://good.example/', b: 'http://evil.example/' })
    const made = readAs(text({ optional: true }), (value) => new URL(value), { code: 'bad_link' })
    expect(() =>
      post(record({ a: text(), b: made }), (on) => [
        any(on).fill('body.b', ['body.a'], (a: string) => new URL(a)),
        any(on).equal('body.a', 'body.b'),
      ]),
    ).toThrow('body.b: an object may be filled in here')
  })
  test('what a service puts in is read like what is sent, and held against its field', () => {
    const filling = (field: Field, make: (...all: never[]) => unknown) =>
      judgeParts(
        post(record({ a: integer(), b: field } as never), (on) => [any(on).fill('body.b', ['body.a'], make)]),
        { body: { a: 7 } },
      )
    expect(filling(text({ optional: true, tidy: ['lower'] }), () => 'NEWS')).toMatchObject({
      input: { body: { b: 'news' } },
    })
    expect(filling(instant({ readOnly: 'drop', optional: true }), () => new Date(0))).toMatchObject({
      input: { body: { b: new Date(0) } },
    })
    const wrong: [Field, unknown][] = [
      [text({ optional: true, pattern: /^[a-z]{2,5}$/ }), 'NOT A SLUG AT ALL'],
      [integer({ optional: true }), 'text'],
      [text({ default: (() => 5) as never }), undefined],
      [list(integer(), { default: (() => ['x']) as never }), undefined],
    ]
    const noted = jest.spyOn(console, 'error').mockImplementation(() => undefined)
    for (const [field, made] of wrong)
      expect(filling(field, () => made)).toMatchObject({ outcome: 'rejected', status: 500, errors: [] })
    expect(String(noted.mock.calls.at(-1)?.[1])).toBe(
      'TypeError: body.b[0] was put in by the service, but must be a whole number; "x" was sent',
    )
    noted.mockRestore()
    expect(
      judgeParts(
        post(
          record({
            a: text({ default: 'NEWS', tidy: ['lower'] }),
            b: list(text({ tidy: ['trim'] }), { default: [' x '] }),
          }),
          () => [],
        ),
        { body: {} },
      ),
    ).toMatchObject({ input: { body: { a: 'news', b: ['x'] } } })
    const keeping = post(
      record({ a: integer(), b: record({}, { optional: true }) } as never),
      (on) => [any(on).fill('body.b', ['body.a'], (a: number) => ({ a }))],
      { unlisted: { body: 'keep' } },
    )
    expect(judgeParts(keeping, { body: { a: 7 } })).toMatchObject({ input: { body: { b: { a: 7 } } } })
    const perRow = endpoint('POST /', {
      body: list(record({ s: text({ optional: true }), t: text() })),
      rules: (on) => [on.fill('body[].s', ['body[].t'], (t) => t.toUpperCase())],
    })
    expect(judgeParts(perRow, { body: [{ t: 'a' }, { t: 'b', s: 'own' }] })).toMatchObject({
      input: { body: [{ s: 'A' }, { s: 'own' }] },
    })
  })
})

describe('rules of a record travel with it', () => {
  const span = record(
    { from: integer(), until: integer({ optional: true }), note: text({ optional: true }) },
    { rules: (on) => [on.ascending('from', 'until'), on.needed('note', on.above('from', 100))] },
  )
  const plan = endpoint('POST /plans', {
    body: record({
      span,
      spans: list(span, { optional: true }),
      choice: tagged('of', { day: span, none: record({}) }),
    }),
  })
  test('into lists and branches', () => {
    const body = {
      span: { from: 2, until: 1 },
      spans: [
        { from: 1, until: 2 },
        { from: 200, until: 3 },
      ],
      choice: { of: 'day', from: 101 },
    }
    const verdict = judgeParts(plan, { body })
    expect(verdict.outcome === 'rejected' && verdict.errors.map(({ address, code }) => `${address} ${code}`)).toEqual([
      'body.span.until out_of_order',
      'body.spans[1].until out_of_order',
      'body.spans[1].note needed',
      'body.choice.note needed',
    ])
    expect(judgeParts(plan, { body: { span: { from: 1 }, choice: { of: 'none' } } }).outcome).toBe('accepted')
  })
  test('and keep the fields that they read', () => {
    expect(() => without(span, ['until'])).toThrow(DeclarationError)
    expect(() => only(span, ['from'])).toThrow('its rule ascending reads this field')
    expect(() => only(span, ['from', 'until', 'note'])).not.toThrow()
    const inside: Field<unknown> = later(() => span) as Field<unknown>
    expect(() => endpoint('POST /x', { body: record({ span: readAs(inside, (one) => one, { code: 'x' }) }) })).toThrow(
      'have no place of their own',
    )
  })
  test('and are described in words', () => {
    const described = JSON.stringify(outline(plan))
    for (const words of ['until must be more than from', 'note must be sent when from is more than 100'])
      expect(described).toContain(words)
    const all = outline(
      declared((on) => [
        on.sumWithin('body.items[].low', [1, 9]),
        on.fill('body.a', ['body.d'], (d) => d),
        on.check({ reads: ['body.a'], code: 'x', holds: () => true }),
      ]),
    )
    expect(all.rules.map(({ words }) => words)).toEqual([
      'body.items must add up to at least 1 and at most 9',
      'body.a is made from body.d if it is not sent',
      'body.a is checked by a custom rule',
    ])
  })
})

describe('a group shares', () => {
  const show = endpoint('GET /nights/{night}', {
    path: { night: integer() },
    query: { limit: integer({ optional: true, max: 5 }) },
  })
  const plan = endpoint('PUT /nights/{night}', {
    path: { night: integer() },
    body: record({ hours: integer() }),
    limits: { body: 40 },
  })
  const teams = group(
    {
      prefix: '/teams/{team}/',
      path: { team: text({ length: [2, 9] }) },
      header: { 'X-Key': text({ optional: true }) },
      query: { limit: integer({ optional: true, max: 500 }), locale: text({ optional: true }) },
      tags: ['teams'],
      limits: { body: 20, uri: 60 },
      statuses: { path: 404 },
      rules: (on) => [on.needed('header.x-key', on.is('path.team', 'nebula'))],
      lookups: (on) => ({
        team: on.lookup({
          reads: ['path.team'],
          ask: (_: unknown, [team]) => (team === 'comet' ? undefined : { team }),
        }),
      }),
    },
    { show, plan },
  )
  const app = intake({ base: '/api', endpoints: group({ prefix: '/v1', statuses: { path: 410, rules: 409 } }, teams) })
  const told = async (request: string) => {
    const verdict = await judge(app, request, { services: {} })
    return verdict.outcome === 'rejected'
      ? [verdict.status, ...verdict.errors.map(({ address, code }) => `${address} ${code}`)]
      : verdict.input
  }
  test('its prefix, declarations, rules, lookups and policy; the nearest wins', async () => {
    expect(await told('GET /api/v1/teams/orion/nights/3?limit=4&locale=de HTTP/1.1')).toMatchObject({
      path: { team: 'orion', night: 3 },
      query: { limit: 4, locale: 'de' },
    })
    expect(await told('GET /api/v1/teams/orion/nights/3?limit=6 HTTP/1.1')).toEqual([400, 'query.limit above_max'])
    expect(await told('GET /api/v1/teams/o/nights/3 HTTP/1.1')).toEqual([404, 'path.team too_short'])
    expect(await told('GET /api/v1/teams/nebula/nights/3 HTTP/1.1')).toEqual([409, 'header.x-key needed'])
    expect(await told('GET /api/v1/teams/comet/nights/3 HTTP/1.1')).toEqual([422, 'path.team not_found'])
    expect(
      await told(
        `PUT /api/v1/teams/orion/nights/3 HTTP/1.1\nContent-Type: application/json\n\n{"hours": 4, "x": "${'y'.repeat(20)}"}`,
      ),
    ).toEqual([413, 'body too_large'])
    expect(
      await told(
        'PUT /api/v1/teams/orion/nights/3 HTTP/1.1\nContent-Type: application/json\n\n{"hours":4            }',
      ),
    ).toMatchObject({ body: { hours: 4 } })
    expect(JSON.stringify(outline(app))).toContain('"template":"/v1/teams/{team}/nights/{night}"')
    const rejected = await judge(app, 'GET /api/v1/teams/nebula/nights/3 HTTP/1.1')
    expect(
      (await answer(rejected as never, new Request('http://x', { headers: { 'accept-language': 'de' } })).json())
        .detail,
    ).toBe('header.x-key muss gesendet werden, wenn path.team gleich nebula ist')
  })
  test('nothing that an endpoint cannot take', () => {
    expect(() => group({ prefix: '/{night}', path: { night: integer() } }, { show })).toThrow(
      'the parameter {night} stands twice',
    )
    // @ts-expect-error: the prefix has no such parameter
    expect(() => group({ path: { team: text() } }, { show })).toThrow('this is no parameter of the template')
  })
})
