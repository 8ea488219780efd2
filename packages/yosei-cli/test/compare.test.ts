/** Forty changes of one declaration: what a client would notice of each, by requests that are judged again here. */
import { expect, test } from '@jest/globals'
import {
  choice,
  day,
  decimal,
  endpoint,
  type Field,
  type Fields,
  flag,
  group,
  type Intake,
  instant,
  intake,
  integer,
  judge,
  list,
  number,
  readAs,
  record,
  table,
  tagged,
  text,
} from 'yosei'
import { compareIntakes } from '../dist/compare.js'

const slug = text({ pattern: /^[a-z]{2,9}$/ })
const row = { sku: text({ length: [2, 8] }), count: integer({ min: 1, max: 9, default: 1 }) }
const body: Fields = {
  name: text({ length: [1, 20] }),
  mail: text({ format: 'email' }),
  slug,
  kind: choice(['a', 'b', 'c']),
  seats: integer({ min: 2, max: 10 }),
  share: number({ above: 0, max: 1 }),
  price: decimal({ scale: 2, max: '99.99' }),
  from: instant(),
  until: instant(),
  on: day({ from: '+1d' }),
  rows: list(record(row), { length: [1, 4] }),
  rates: table(number(), { length: [0, 3], optional: true }),
  way: tagged('by', {
    road: record({ plate: text({ length: [2, 9] }) }),
    rail: record({ car: integer({ min: 1, max: 9 }) }),
  }),
  note: text({ length: [1, 50], optional: true, nullable: true }),
  old: integer({ optional: true }),
}
interface Parts {
  readonly body?: Fields
  readonly query?: Fields
  readonly header?: Fields
  readonly more?: object
  readonly around?: object
}
function shop({ body: own = {}, query = {}, header = {}, more = {}, around = {} }: Parts = {}): Intake {
  const fields = Object.fromEntries(Object.entries({ ...body, ...own }).filter(([, field]) => field))
  const order = endpoint('POST /orders/{id}', {
    path: { id: integer({ min: 1 }) },
    query: { dry: flag({ default: false }), limit: integer({ min: 1, max: 50, default: 10 }), ...query },
    header: { 'x-client': choice(['web', 'app'], { optional: true }), ...header },
    rules: (on: { ascending(...of: string[]): unknown }) => [on.ascending('body.from', 'body.until')],
    body: record(fields),
    ...more,
  } as never)
  return intake({
    endpoints: { order, list: endpoint('GET /orders', { query: { q: text({ optional: true }) } }) },
    ...around,
  } as never)
}
const gone = undefined as unknown as Field
const ruled = (rules: (on: never) => unknown) => ({ more: { rules } })

/** Changes, what comes of them, and where it is seen. */
const table40: { readonly [change: string]: readonly [parts: Parts, changes: string, seen: readonly string[]] } = {
  nothing: [{}, '', []],
  'a title': [{ body: { name: text({ length: [1, 20], title: 'Name' }) } }, '', []],
  'other words': [{ body: { seats: integer({ min: 2, max: 10, messages: 'is odd' }) } }, '', []],
  'a shorter length': [{ body: { name: text({ length: [1, 19] }) } }, 'breaking', ['body.name too_long']],
  'a longer length': [{ body: { name: text({ length: [1, 21] }) } }, 'widening', ['body.name too_long']],
  'a greater least length': [{ body: { name: text({ length: [2, 20] }) } }, 'breaking', ['body.name too_short']],
  'a format that is gone': [{ body: { mail: text() } }, 'widening', ['body.mail wrong_format']],
  'a new format': [
    { body: { name: text({ length: [1, 20], format: 'hostname' }) } },
    'breaking',
    ['body.name wrong_format'],
  ],
  'another format': [{ body: { mail: text({ format: 'uuid' }) } }, 'breaking', ['body.mail wrong_format']],
  'a narrower pattern': [
    { body: { slug: text({ pattern: /^[a-y]{2,9}$/ }) } },
    'breaking',
    ['body.slug wrong_pattern'],
  ],
  'a shorter pattern': [{ body: { slug: text({ pattern: /^[a-z]{2,8}$/ }) } }, 'breaking', ['body.slug wrong_pattern']],
  'a wider pattern': [{ body: { slug: text({ pattern: /^[a-z!]{2,9}$/ }) } }, 'widening', ['body.slug wrong_pattern']],
  'a choice less': [{ body: { kind: choice(['a', 'c']) } }, 'breaking', ['body.kind not_a_choice']],
  'a choice more': [{ body: { kind: choice(['a', 'b', 'c', 'd']) } }, 'widening', ['body.kind not_a_choice']],
  'a smaller greatest': [{ body: { seats: integer({ min: 2, max: 9 }) } }, 'breaking', ['body.seats above_max']],
  'a larger least': [{ body: { seats: integer({ min: 3, max: 10 }) } }, 'breaking', ['body.seats below_min']],
  'a smaller least': [{ body: { seats: integer({ min: 1, max: 10 }) } }, 'widening', ['body.seats below_min']],
  'a limit that no longer takes itself': [
    { body: { share: number({ above: 0, below: 1 }) } },
    'breaking',
    ['body.share above_max'],
  ],
  'a step': [{ body: { seats: integer({ min: 2, max: 10, step: 2 }) } }, 'breaking', ['body.seats not_a_step']],
  'whole numbers alone': [{ body: { share: integer({ min: 1, max: 1 }) } }, 'breaking', ['body.share not_whole']],
  'fewer digits': [
    { body: { price: decimal({ scale: 1, max: '99.99' }) } },
    'breaking',
    ['body.price too_many_digits'],
  ],
  'a later day': [{ body: { on: day({ from: '+2d' }) } }, 'breaking', ['body.on too_early']],
  'an end of days': [{ body: { on: day({ from: '+1d', until: '+9d' }) } }, 'breaking', ['body.on too_late']],
  'fewer elements': [{ body: { rows: list(record(row), { length: [1, 2] }) } }, 'breaking', ['body.rows too_many']],
  'distinct elements': [
    { body: { rows: list(record(row), { length: [1, 4], distinct: 'count' }) } },
    'breaking',
    ['body.rows[].count repeated'],
  ],
  'another default': [
    { body: { rows: list(record({ ...row, count: integer({ min: 1, max: 9, default: 2 }) }), { length: [1, 4] }) } },
    'reading',
    ['body.rows[].count '],
  ],
  'a default that is gone': [{ query: { limit: integer({ min: 1, max: 50 }) } }, 'breaking', ['query.limit missing']],
  'fewer entries': [
    { body: { rates: table(number(), { length: [0, 1], optional: true }) } },
    'breaking',
    ['body.rates too_many'],
  ],
  'a branch less': [
    { body: { way: tagged('by', { road: record({ plate: text({ length: [2, 9] }) }) }) } },
    'breaking',
    ['body.way.by not_a_choice'],
  ],
  'a branch more': [
    {
      body: {
        way: tagged('by', {
          road: record({ plate: text({ length: [2, 9] }) }),
          rail: record({ car: integer({ min: 1, max: 9 }) }),
          air: record({}),
        }),
      },
    },
    'widening',
    ['body.way.by not_a_choice'],
  ],
  'a need': [{ body: { old: integer() } }, 'breaking', ['body.old missing']],
  'a need less': [{ body: { name: text({ length: [1, 20], optional: true }) } }, 'widening', ['body.name missing']],
  'no null any more': [
    { body: { note: text({ length: [1, 50], optional: true }) } },
    'breaking',
    ['body.note null_not_allowed'],
  ],
  'a null': [{ body: { old: integer({ optional: true, nullable: true }) } }, 'widening', ['body.old null_not_allowed']],
  'a field that is gone': [{ body: { old: gone } }, 'breaking', ['body.old unlisted']],
  'a new optional field': [
    { body: { more: text({ length: [1, 9], optional: true }) } },
    'widening',
    ['body.more unlisted'],
  ],
  'a new header field that is needed': [
    { header: { 'x-key': text({ length: [4, 9] }) } },
    'breaking',
    ['header.x-key missing'],
  ],
  'unlisted names dropped': [
    { more: { unlisted: { body: 'drop' } } },
    'widening',
    ['body.unlistedName unlisted', 'body.rows[].unlistedName unlisted', 'body.way.unlistedName unlisted'],
  ],
  'text read as numbers': [{ more: { coerce: true } }, '', []],
  'a rule': [
    ruled((on: never) => [
      (on as { ascending(...of: string[]): unknown }).ascending('body.from', 'body.until'),
      (on as { needed(...of: unknown[]): unknown }).needed(
        'body.old',
        (on as { above(...of: unknown[]): unknown }).above('body.seats', 5),
      ),
    ]),
    'breaking',
    ['body.old needed'],
  ],
  'a rule that is gone': [ruled(() => []), 'widening', ['body.until out_of_order']],
  'a reader': [
    { body: { seats: readAs(integer({ min: 2, max: 10 }), (seats) => seats * 2, { code: 'odd' }) } },
    'reading',
    ['body.seats '],
  ],
  'another path': [{ around: { base: '/v2' } }, 'breaking', [' 404']],
}

test('there are forty changes and more', () => expect(Object.keys(table40).length).toBeGreaterThanOrEqual(40))

test.each(Object.entries(table40))('%s', async (_, [parts, wanted, seen]) => {
  const [before, after] = [shop(), shop(parts)]
  const differences = await compareIntakes(before, after)
  const rank = ['breaking', 'widening', 'reading']
  const worst = rank.find((change) => differences.some((one) => one.change === change)) ?? ''
  expect(worst).toBe(wanted)
  const found = differences
    .filter(({ change }) => change === wanted)
    .map(({ address, code }) => `${address.replace(/\[\d+\]/g, '[]')} ${code}`)
  expect(found).toEqual(expect.arrayContaining([...seen]))
  // What is shown is so: the request is judged again.
  for (const { change, evidence, address, code } of differences) {
    const { message, now } = evidence
    const [old, is] = [await judge(before, message, { now }), await judge(after, message, { now })]
    expect([old.outcome, is.outcome]).toEqual(
      { breaking: ['accepted', 'rejected'], widening: ['rejected', 'accepted'], reading: ['accepted', 'accepted'] }[
        change
      ],
    )
    const rejected = change === 'breaking' ? is : old
    if (change !== 'reading' && rejected.outcome === 'rejected' && address !== '')
      expect(rejected.errors.map((error) => `${error.address} ${error.code}`)).toContain(`${address} ${code}`)
  }
})

test('an endpoint that is gone breaks, a new one does not; what is secret is not told', async () => {
  const secret = (max: number) =>
    intake({
      endpoints: {
        put: endpoint('PUT /', {
          body: record({ key: readAs(integer({ secret: true }), (key) => key * max, { code: 'odd' }) }),
        }),
      },
    })
  const [one] = await compareIntakes(secret(1), secret(2))
  expect(one).toMatchObject({ change: 'reading', told: 'is read differently' })
  const { list: kept } = shop().endpoints as { list: never }
  const less = intake({ endpoints: group({}, { list: kept }) as never })
  expect(await compareIntakes(shop(), less)).toEqual([
    expect.objectContaining({ endpoint: 'order', change: 'breaking', declared: ['the endpoint is gone'] }),
  ])
  expect((await compareIntakes(less, shop())).map(({ change }) => change)).toEqual(['widening'])
  // Who asks is read by the intake that has the endpoint.
  const guarded = (names: readonly string[]) => {
    const put = endpoint('PUT /{id}', { path: { id: integer() }, who: record({ role: choice(['clerk']) }) })
    const get = endpoint('GET /{id}', { path: { id: integer() } })
    const all = { put, get }
    return intake({
      endpoints: Object.fromEntries(Object.entries(all).filter(([name]) => names.includes(name))),
      identify: () => undefined,
    } as never)
  }
  const changes = async (...[one, other]: [string[], string[]]) =>
    (await compareIntakes(guarded(one), guarded(other))).map(({ endpoint, change }) => `${endpoint} ${change}`)
  expect(await changes(['put', 'get'], ['get'])).toEqual(['put breaking'])
  expect(await changes(['get'], ['put', 'get'])).toEqual(['put widening'])
})

test('messages that must be signed now break a client; those that need no signature any more do not', async () => {
  const put = (more: object) =>
    intake({ endpoints: { put: endpoint('PUT /', { body: record({ n: integer() }), ...more }) } })
  const [signed, free] = [put({ attest: () => true, keepBytes: true }), put({})]
  const told = (all: Awaited<ReturnType<typeof compareIntakes>>) =>
    all.map(
      ({ change, address, code, evidence }) => `${change} ${address} ${code}: ${evidence.before}, ${evidence.after}`,
    )
  expect(told(await compareIntakes(free, signed))).toEqual(['breaking body not_genuine: accepted, 403, unsigned'])
  expect(told(await compareIntakes(signed, free))).toEqual(['widening body not_genuine: 403, unsigned, accepted'])
  expect(told(await compareIntakes(signed, put({ attest: () => false })))).toEqual([])
})
