/** Probes: requests made from declarations, and what they say of what judges them. */
import { afterEach, expect, test } from '@jest/globals'
import fc from 'fast-check'
import {
  bigInteger,
  byteRanges,
  choice,
  constant,
  day,
  decimal,
  duration,
  either,
  endpoint,
  entityTags,
  epoch,
  type Field,
  type Fields,
  file,
  flag,
  foldAddress,
  httpDate,
  type Intake,
  instant,
  intake,
  integer,
  judge,
  later,
  list,
  number,
  readAs,
  record,
  sortKeys,
  table,
  tagged,
  text,
  timeOfDay,
  tuple,
} from 'yosei'
import { demandsOf, judgeProbe, type Probe, probesOf, requestFor, requestsOf, type Unprobed } from 'yosei/probe'
import { enginePairs } from './samples.ts'

/** What is not as it must be, and what could not be probed. */
async function tried(app: Intake, options: Parameters<typeof probesOf>[1] = {}) {
  const all: Probe[] = [...probesOf(app, options)]
  const wrong: string[] = []
  for (const probe of all) {
    const { fault } = probe.outcome === 'unprobed' ? {} : await judgeProbe(app, probe)
    if (fault !== undefined) wrong.push(`${probe.endpoint} ${probe.what}: ${fault}`)
  }
  const keys = (outcome: Probe['outcome']) =>
    all.flatMap((probe) =>
      probe.outcome === outcome && 'code' in probe ? [`${folded((probe as Unprobed).address)} ${probe.code}`] : [],
    )
  return { all, wrong, rejected: new Set(keys('rejected')), unprobed: keys('unprobed') }
}
const folded = (address: string) => address.replace(/\[\d+\]/g, '[]')

const node: Field<unknown> = record({
  name: text({ length: [1, 9] }),
  parts: list(later(() => node) as Field, { length: [0, 3] }),
})
/** It has itself as a branch. */
const union: Field<unknown> = either([
  integer({ min: 5 }),
  record({ note: text({ length: [3, 9] }) }),
  later(() => union) as Field,
])
const body = {
  slug: text({ pattern: /^[a-z][a-z0-9-]{1,30}$/ }),
  mail: text({ format: 'email', length: [6, 40] }),
  seats: integer({ min: 1, max: 12, step: 1 }),
  price: decimal({ digits: 6, scale: 2, min: '0.50', max: '999.99' }),
  share: number({ above: 0, below: 1 }),
  from: instant({ from: '+1h' }),
  until: instant({ until: '+90d' }),
  on: day({ from: '+1d', until: '+1y', zone: 'Europe/Vienna' }),
  at: timeOfDay({ from: '08:00', until: '20:00' }),
  took: duration({ min: '1m', max: '2h' }),
  kind: choice(['a', 'b', 'c']),
  version: constant(2),
  pair: tuple([integer(), text()]),
  rows: list(record({ sku: text({ length: [2, 8] }), count: integer({ min: 1, max: 9 }) }), {
    length: [1, 5],
    distinct: 'sku',
  }),
  rates: table(number({ min: 0 }), { length: [1, 3], names: /^[a-z]+$/ }),
  way: tagged('by', { road: record({ plate: text({ length: [4, 8] }) }), rail: record({ car: integer({ min: 1 }) }) }),
  either: union,
  tree: node,
  total: integer({ min: 0 }),
  note: text({ length: [0, 20], optional: true, nullable: true }),
  wish: text({ length: [1, 20], optional: true }),
  seen: instant({ readOnly: true }),
}
const shop = intake({
  base: '/v1',
  identify: () => undefined,
  endpoints: {
    order: endpoint('POST /shops/{shop}/orders', {
      path: { shop: text({ pattern: /^s-\d{4}$/ }) },
      query: {
        dry: flag({ default: false }),
        tags: list(text({ length: [1, 5] }), { length: [1, 3], optional: true, explode: false }),
      },
      header: { 'x-client': choice(['web', 'kiosk']) },
      cookie: { session: text({ length: [8, 64] }) },
      who: record({ role: choice(['clerk', 'guest']), shop: text({ length: [1, 20] }) }),
      may: (on) => on.is('who.role', 'clerk'),
      limits: { uri: '2kB', body: '20kB', queryValues: 20 },
      body: record(body),
      rules: (on) => [
        on.ascending('body.from', 'body.until'),
        on.gap('body.from', 'body.until', { atMost: '30d' }),
        on.sumWithin('body.rows[].count', { exactly: 'body.total' }),
        on.inOrder('body.rows[].count', { orEqual: true }),
        on.needed('body.note', on.above('body.seats', 8)),
        on.while(on.is('header.x-client', 'kiosk'), [on.fits('body.seats', integer({ max: 4 }))]),
        on.atMostOne('body.note', 'body.wish'),
      ],
    }),
    plate: endpoint('PUT /plates/{id}', {
      path: { id: integer({ min: 1 }) },
      body: {
        'multipart/form-data': record({
          plate: file({ bytes: '2kB', types: ['image/png'] }),
          about: record({ title: text({ length: [1, 9] }) }),
        }),
        'text/plain': text({ length: [1, 100] }),
      },
    }),
  } as never,
})

test('everything that is declared is broken at its address, and nothing else is told', async () => {
  const { all, wrong, rejected, unprobed } = await tried(shop)
  expect(wrong).toEqual([])
  // What a branch of a union has wrong is reported there only where no other branch is closer.
  expect(unprobed.filter((one) => !one.startsWith('body.either'))).toEqual([])
  const demanded = demandsOf(shop).map(({ address, code }) => `${address} ${code}`)
  const untold = demanded.filter(
    (one) => !rejected.has(one) && !one.startsWith('body.either') && !/unlisted|\{\}/.test(one),
  )
  expect(untold).toEqual([])
  expect(demanded.length).toBeGreaterThan(110)
  // Most break one thing alone.
  const verdicts = await Promise.all(
    all.map((probe) => (probe.outcome === 'rejected' ? judgeProbe(shop, probe) : undefined)),
  )
  const alone = verdicts.filter((one) => one?.verdict.outcome === 'rejected' && one.verdict.errors.length === 1).length
  expect(alone / verdicts.filter(Boolean).length).toBeGreaterThan(0.9)
})

test('what a rule holds a list against is broken in its elements, under its condition', async () => {
  const frames = list(
    record({ side: choice(['l', 'r']), brood: integer({ min: 0, max: 10 }), honey: decimal({ min: '0' }) }),
    { length: [1, 12] },
  )
  const rich = list(record({ side: constant('l'), honey: decimal({ min: '1' }) }))
  const put = endpoint('PUT /', {
    body: record({ frames, total: integer({ optional: true }) }),
    rules: (on) => [
      on.fill('body.total', ['body.frames[].brood'], (all) => all.reduce((sum, one) => sum + one, 0)),
      on.while(on.above('body.total', 5), [on.fits('body.frames', rich)]),
    ],
  })
  const { wrong, all, unprobed } = await tried(intake({ endpoints: { put } }))
  expect([wrong, unprobed]).toEqual([[], []])
  const broken = all.flatMap((probe) =>
    probe.outcome === 'rejected' && probe.what === 'fits body.frames' ? [probe] : [],
  )
  expect(broken.map(({ address, code }) => `${foldAddress(address)} ${code}`).sort()).toEqual([
    'body.frames[].honey below_min',
    'body.frames[].side not_constant',
  ])
})

test('the same each time, and otherwise with another seed', () => {
  const written = (seed?: number) => JSON.stringify([...probesOf(shop, seed === undefined ? {} : { seed })])
  expect(written()).toBe(written(1))
  expect(written(2)).not.toBe(written(1))
})

test('requests at random come as they are said to', async () => {
  const { order } = shop.endpoints as Record<string, never>
  const app = intake({ endpoints: { endpoint: order }, identify: () => undefined } as never)
  const counts = { accepted: 0, rejected: 0 }
  let left = 100
  for (const probe of requestsOf(order as never, { seed: 3 })) {
    counts[probe.outcome]++
    expect(await judgeProbe(app, probe)).toMatchObject({ fault: undefined })
    if (--left === 0) break
  }
  expect(Math.min(counts.accepted, counts.rejected)).toBeGreaterThan(20)
})

test('probes of whatever can be declared never accuse the judgement falsely', async () => {
  const declared = fc.sample(enginePairs, { seed: 20310301, numRuns: 60 })
  for (const [field, inQuery, , unlisted, coerce] of declared) {
    const put = endpoint('PUT /{id}', {
      path: { id: integer() },
      query: { a: inQuery },
      header: { a: inQuery },
      body: record({ value: field }),
      coerce,
      unlisted: { body: unlisted },
    } as never)
    expect((await tried(intake({ endpoints: { put } } as never))).wrong).toEqual([])
  }
})

test('probes at the ends of numbers and of the calendar, in another branch, of defaults that repeat, and beside a rule with the same code', async () => {
  const [first, last] = ['0000-01-01', '9999-12-31']
  const put = endpoint('PUT /', {
    query: {
      tens: number({ max: 1e23, step: 10, optional: true }),
      large: number({ min: -Number.MAX_VALUE, max: Number.MAX_VALUE, optional: true }),
      safe: integer({ min: Number.MIN_SAFE_INTEGER, max: Number.MAX_SAFE_INTEGER, optional: true }),
      day: day({ from: first, until: last, optional: true }),
      friday: day({ from: '9999-12-31', until: last, weekdays: ['fri'], optional: true }),
      early: day({ until: '0000-01-03', optional: true }),
      at: instant({ from: `${first}T00:00:00Z`, until: `${last}T23:59:59Z`, optional: true }),
      soon: instant({ until: `${first}T00:00:00Z`, optional: true }),
      late: instant({ from: `${last}T23:59:59Z`, optional: true }),
      word: either([instant(), text()], { optional: true }),
      count: integer({ max: 9, optional: true }),
    },
    body: record({
      craft: tagged('kind', {
        kayak: record({ seats: list(text(), { optional: true }) }),
        ferry: record({ seats: record({ deck: text() }, { nullable: true }) }),
      }),
      crew: list(text(), { length: [1, 3] }),
      lights: list(record({ lit: flag({ default: true }) }), { distinct: true, length: [1, 3] }),
    }),
    rules: (on) => [
      on.differ('query.word', 'query.soon'),
      on.sumWithin('query.count', { atMost: 3 }),
      on.together('body.crew[]', 'body.craft.seats[]'),
    ],
  })
  const { wrong, rejected } = await tried(intake({ endpoints: { put } }))
  expect(wrong).toEqual([])
  expect([...rejected]).toEqual(expect.arrayContaining(['query.tens above_max', 'body.craft.seats.deck missing']))
})

test('where a function says what is taken, examples and accepted samples do; what is left is listed', async () => {
  const even = readAs(text({ length: [1, 9] }), (sent) => (/^\d*[02468]$/.test(sent) ? Number(sent) : undefined), {
    code: 'odd',
  })
  const put = endpoint('PUT /things', {
    body: record({ n: even, a: integer() }),
    rules: (on) => [
      on.check({ reads: ['body.n', 'body.a'], blames: ['body.a'], code: 'unlike', holds: (n, a) => n === a }),
    ],
    lookups: (on) => ({ thing: on.lookup({ reads: ['body.a'], ask: () => undefined }) }),
  })
  const app = intake({ endpoints: { put } })
  const without = await tried(app)
  expect(without.unprobed).toEqual(expect.arrayContaining([' accepted', 'body.a not_found']))
  expect(without.all.filter(({ outcome }) => outcome === 'accepted')).toEqual([])
  const message = {
    method: 'PUT',
    target: '/things',
    headers: [['content-type', 'application/json']] as const,
    body: '{"n":"42","a":42}',
  }
  const withSamples = await tried(app, { samples: [message] })
  expect(withSamples.wrong).toEqual([])
  expect(withSamples.unprobed).toEqual(expect.arrayContaining(['body.a not_found']))
  expect([...withSamples.rejected]).toEqual(expect.arrayContaining(['body.n odd', 'body.a unlike', 'body.n too_long']))
})

test.each<[what: string, parts: object]>([
  ['a list', { query: { f: list(text()) } }],
  ['different elements', { query: { f: list(choice(['a', 'b']), { explode: false, distinct: true }) } }],
  ['a record', { query: { f: record({ a: text({ optional: true }) }) } }],
  ['a table', { query: { f: table(text()) } }],
  ['a list later', { query: { f: later(() => list(integer())) } }],
  ['a form', { body: { 'application/x-www-form-urlencoded': record({ a: integer({ optional: true }) }) } }],
])('what is empty cannot be sent as text, and is not made: %s', async (_, parts) => {
  const { wrong, rejected } = await tried(intake({ endpoints: { put: endpoint('PUT /', parts) } }))
  expect([wrong, rejected.size > 0]).toEqual([[], true])
})

test('readers of the library are probed by the limits of their texts', async () => {
  const header = { 'if-match': entityTags(), range: byteRanges(), 'if-modified-since': httpDate() }
  const query = { sort: sortKeys(['a', 'b']), since: epoch({ unit: 's' }) }
  const { wrong, unprobed, rejected } = await tried(
    intake({ endpoints: { get: endpoint('GET /', { header, query }) } }),
  )
  expect([wrong, unprobed]).toEqual([[], []])
  expect([...rejected]).toEqual(
    expect.arrayContaining([
      'header.if-match wrong_format',
      'header.range wrong_format',
      'header.if-modified-since wrong_format',
      'query.sort[] not_a_choice',
      'query.since wrong_type',
    ]),
  )
})

/** No text is both. */
const never = text({ pattern: /^(?=x)y$/ })
test.each([
  ['tuple', tuple([never, integer()]), ['too_few', 'too_many']],
  ['table', table(never, { length: [1, 2], names: /^[a-z]+$/ }), ['too_many']],
  ['list', list(never, { length: [2, 3], distinct: true }), ['too_few', 'too_many']],
  ['integer', integer({ min: 1, max: 2, step: 5 }), ['not_whole', 'not_a_step']],
  ['bigInteger', bigInteger({ min: 1n, max: 2n, step: 5n }), ['not_a_step']],
])('of a value that cannot be made, what cannot be broken is listed: %s', async (_, value, codes) => {
  const put = endpoint('PUT /', { body: record({ value, other: integer() }) } as never)
  const { wrong, rejected, unprobed } = await tried(intake({ endpoints: { put } } as never))
  expect(wrong).toEqual([])
  expect([...rejected]).toEqual(expect.arrayContaining(['body.value missing', 'body.value wrong_type']))
  expect(unprobed).toEqual(expect.arrayContaining([' accepted', ...codes.map((code) => `body.value ${code}`)]))
  expect([...requestsOf(put as never)]).toEqual([])
})

test('a step of whole numbers is broken by a whole number', async () => {
  const put = endpoint('PUT /', { body: record({ value: number({ step: 15, whole: true }) }) })
  const { wrong, rejected } = await tried(intake({ endpoints: { put } }))
  expect([wrong, [...rejected]]).toEqual([
    [],
    expect.arrayContaining(['body.value not_a_step', 'body.value not_whole']),
  ])
})

test('a request is made around what is said of it', async () => {
  const now = new Date('2031-03-01T12:00:00Z')
  const said = {
    method: 'POST',
    target: '/v1/shops/s-1234/orders?dry=true',
    headers: [
      ['x-client', 'kiosk'],
      ['x-odd', '1'],
    ] as const,
  }
  const {
    message,
    who,
    endpoint: name,
  } = requestFor(
    shop,
    {
      ...said,
      values: [
        ['body.seats', 4],
        ['body.rows[1].sku', 'zz'],
      ],
    },
    { now },
  )
  expect(name).toBe('order')
  expect(message.target).toBe('/v1/shops/s-1234/orders?dry=true')
  expect(Object.fromEntries(message.headers)).toMatchObject({
    'x-client': 'kiosk',
    'x-odd': '1',
    'content-type': 'application/json',
  })
  expect(JSON.parse(message.body as string)).toMatchObject({ seats: 4, rows: [{}, { sku: 'zz' }] })
  expect(await judge(shop, message, { now, who: who?.read })).toMatchObject({ outcome: 'accepted' })
  // What is wrong stays as it is said.
  const wrong = requestFor(
    shop,
    {
      ...said,
      values: [
        ['body.seats', 5],
        ['header.x-client', 'kiosk'],
      ],
    },
    { now },
  )
  expect(await judge(shop, wrong.message, { now, who: wrong.who?.read })).toMatchObject({
    errorsByField: { 'body.seats': [{ code: 'above_max' }] },
  })
  expect(requestFor(shop, { method: 'GET', target: '/nowhere' }, { now })).toEqual({
    message: { method: 'GET', target: '/nowhere', headers: [], body: null },
  })
  // No gaps are left before an element.
  const fourth = requestFor(shop, { ...said, values: [['body.rows[3].sku', 'zz']] }, { now })
  expect(await judge(shop, fourth.message, { now, who: fourth.who?.read })).toMatchObject({ outcome: 'accepted' })
  for (const [address, reason] of [
    ['body.nowhere.else', 'no such field'],
    ['body.mail.x', 'no such field'],
    ['body.pair[7]', 'no such field'],
    ['body.either.x', 'no such field'],
    ['path.other', 'no such field'],
    ['body.rows[].sku', 'index'],
    ['body.rates{}', 'name'],
    ['body.rows[10000].sku', 'more than 10000'],
    ['body.rows[1e9].sku', 'is no address'],
    [`body.tree${'.parts[0]'.repeat(40)}`, 'deeper than 64'],
    ['..', 'is no address'],
  ] as const)
    expect(() => requestFor(shop, { ...said, values: [[address, 1]] }, { now })).toThrow(
      expect.objectContaining({ name: 'RangeError', message: expect.stringContaining(reason) }),
    )
})

/** Limits in the code that is made, each with a looser one in its place. */
const limits: { readonly [name: string]: readonly [field: Field, tight: RegExp | string, loose: string] } = {
  'the least number': [integer({ min: 7 }), '>= 7', '>= 6'],
  'the greatest number': [integer({ max: 7 }), '<= 7', '<= 8'],
  'a number above': [number({ above: 7 }), '> 7', '>= 7'],
  'a number below': [number({ below: 7 }), '< 7', '<= 7'],
  'a step': [integer({ step: 7 }), /\w+ % 7 === 0/, 'true'],
  'a whole number': [integer(), /Number\.isSafeInteger\(\w+\)/, 'true'],
  'the type of a number': [number(), /Number\.isFinite\((\w+)\)/, '$1 !== undefined'],
  'the type of a text': [text(), /typeof (\w+) === "string"/, '$1 !== undefined'],
  'the type of a flag': [flag(), /(\w+) === true \|\|/, '$1 === "maybe" || $1 === true ||'],
  'the least length': [text({ length: [3, 9] }), /\b3\b/g, '2'],
  'the greatest length': [text({ length: [3, 9] }), /\b9\b/g, '10'],
  'a pattern': [text({ pattern: /^a+$/, length: [1, 9] }), /matches\([^)]*\)/, 'true'],
  'a choice': [choice(['a', 'b']), '=== "b"', '!== undefined'],
  'a constant': [constant('a'), '=== "a"', '!== undefined'],
  'the least of a decimal': [decimal({ min: '7.00' }), />= (?:7|0)/, '>= -1e9'],
  'the digits of a decimal': [decimal({ digits: 5, scale: 2 }), /isDecimalOf\((\w+), 5, 2\)/, 'isDecimalOf($1, 6, 2)'],
  'the scale of a decimal': [decimal({ digits: 5, scale: 2 }), /isDecimalOf\((\w+), 5, 2\)/, 'isDecimalOf($1, 5, 3)'],
  'the earliest day': [day({ from: '2031-01-01' }), '>= "2031-01-01"', '>= "2030-01-01"'],
  'the latest time': [timeOfDay({ until: '20:00' }), '<= "20:00:00"', '<= "20:00:01"'],
  'the longest duration': [duration({ max: '2h' }), '<= 7200000', '<= 7201000'],
  'the latest instant': [instant({ until: '2031-06-01T00:00:00Z' }), /<= (\d+)/, '<= $1 + 1000'],
  'the fewest elements': [list(integer(), { length: [2, 4] }), '.length >= 2', '.length >= 1'],
  'the most elements': [list(integer(), { length: [2, 4] }), '.length <= 4', '.length <= 5'],
  'what must be distinct': [list(integer(), { distinct: true }), /mayRepeat\([^)]*\)/, 'false'],
  'the count of a tuple': [tuple([integer(), integer()]), '.length === 2', '.length >= 2'],
  'the count of a table': [table(integer(), { length: [1, 3] }), '<= 3', '<= 4'],
  'unlisted names': [record({ a: integer() }), /if \((\w+) !== 0\) unlistedIn/, 'if (false) unlistedIn'],
}
const { Function: own } = globalThis
afterEach(() => {
  globalThis.Function = own
})

test.each(Object.entries(limits))(
  'a compiled engine that loosens %s is found out',
  async (_, [field, tight, loose]) => {
    const make = () => intake({ endpoints: { put: endpoint('PUT /', { body: record({ value: field } as Fields) }) } })
    expect((await tried(make())).wrong).toEqual([])
    let spoilt = 0
    globalThis.Function = new Proxy(own, {
      construct(target, given: string[]) {
        const source = given.at(-1) as string
        const other = source.replace(tight, loose)
        if (other !== source) spoilt++
        return Reflect.construct(target, [...given.slice(0, -1), other])
      },
    })
    const { wrong } = await tried(make())
    expect([spoilt > 0, wrong.length > 0]).toEqual([true, true])
  },
)

// Counted by ways, they would have more places than can be listed.
test('twelve records that hold each other are named, shown and probed', async () => {
  const records: Field[] = []
  const fields = Object.fromEntries(
    Array.from({ length: 12 }, (_, index) => [`f${index}`, later(() => records[index] as Field, { optional: true })]),
  )
  for (let count = 0; count < 12; count++) records.push(record({ v: integer({ max: 5, optional: true }), ...fields }))
  const post = endpoint('POST /', { body: records[0] as Field })
  const app = intake({ endpoints: { post }, naming: (path) => path.join('/') })
  const { wrong } = await tried(app)
  expect(wrong).toEqual([])
  expect(demandsOf(app).filter(({ code }) => code === 'above_max').length).toBeGreaterThan(12)
  expect(() => intake({ endpoints: { post }, naming: ([part]) => String(part) })).toThrow('the same name "body"')
})
