import { describe, expect, test } from '@jest/globals'
import {
  anything,
  bigInteger,
  choice,
  codeOf,
  constant,
  day,
  decimal,
  endpoint,
  type Field,
  instant,
  intake,
  integer,
  judgeParts,
  later,
  list,
  number,
  readAs,
  record,
  table,
  tagged,
  text,
  timeOfDay,
} from 'yosei'
import { one, put, told } from './shared.ts'

test('the code of a rule does not grow with a declaration that is shared', () => {
  let shared: Field = record({ x: integer() })
  for (let level = 0; level < 16; level++) shared = record({ a: shared, b: shared } as never) as Field
  const rules = (on: { fits(address: string, field: Field): never }) => [on.fits('body.v', shared)]
  expect(codeOf(endpoint('POST /', { body: record({ v: shared } as never), rules } as never)).length).toBeLessThan(4e6)
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

describe.each(['compiled', 'interpreted'] as const)('%s', (engine) => {
  const judged = (body: Field, sent: unknown) =>
    judgeParts(intake({ engine, endpoints: { one: one(body) } }).endpoints.one, { body: sent })
  const places = (body: Field, sent: unknown) => told(judged(body, sent))?.map((text) => text.split(':')[0])
  test('a zero that is negative is read as the zero that is declared', () => {
    const zeros = intake({
      engine,
      endpoints: { one: endpoint('PUT /one', { body: record({ a: choice([1, 0]), b: constant(0) }) }) },
    }).endpoints
    const verdict = judgeParts(zeros.one, { body: { a: -0, b: -0 } })
    expect(
      verdict.outcome === 'accepted' && Object.values(verdict.input.body).map((zero) => Object.is(zero, 0)),
    ).toEqual([true, true])
  })
  test('objects that must differ are compared by what they have', () => {
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
  test('an own check does not run if what it reads is wrong, at any depth', () => {
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
      'body.filter missing: must be sent, as one of red, blue',
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

test('numbers of all sizes compare by their value', () => {
  const both = record(
    { a: integer(), big: bigInteger(), price: decimal() },
    { rules: (on) => [on.equal('a', 'big' as never), on.equal('a', 'price' as never)] },
  )
  expect(judgeParts(one(both), { body: { a: 1, big: '1', price: '1.0' } }).outcome).toBe('accepted')
  expect(told(judgeParts(one(both), { body: { a: 1, big: '2', price: '1.01' } }))).toHaveLength(2)
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

test('a number that only rounding makes whole is an error, also below one', async () => {
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
