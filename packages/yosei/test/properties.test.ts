/** What holds for every declaration and every input. */
import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import {
  answer,
  anything,
  bigInteger,
  choice,
  decimal,
  duration,
  either,
  endpoint,
  type Field,
  flag,
  instant,
  intake,
  integer,
  judge,
  judgeParts,
  later,
  list,
  number,
  record,
  table,
  tagged,
  text,
  tuple,
  write,
} from 'yosei'

const runs = Number(process.env.PROPERTY_RUNS ?? 400)

const hostile = fc.constantFrom(
  '__proto__',
  'constructor',
  'toString',
  'hasOwnProperty',
  'prototype',
  'length',
  '\ud800',
  '',
  'a.b',
  '["x"]',
  '0',
)
const names = fc.oneof({ weight: 3, arbitrary: fc.stringMatching(/^[a-z]{1,4}$/) }, { weight: 1, arbitrary: hostile })
const texts = fc.string({ unit: 'binary', maxLength: 8 })
/** Two fields for one JSON type each, so that a union of several types always knows its own. */
interface Sample {
  readonly field: Field
  /** What the field may read to. */
  readonly values: fc.Arbitrary<unknown>
}
const sample = (field: Field, values: fc.Arbitrary<unknown>): Sample => ({ field, values })
const numbers = fc.constantFrom(
  sample(integer(), fc.maxSafeInteger()),
  sample(
    number(),
    fc.double({ noNaN: true, noDefaultInfinity: true }).map((value) => value + 0),
  ),
)
const strings = fc.constantFrom(
  sample(text(), texts),
  sample(bigInteger(), fc.bigInt({ min: -(10n ** 30n), max: 10n ** 30n })),
  sample(
    decimal(),
    fc.tuple(fc.bigInt(0n, 10n ** 20n), fc.stringMatching(/^\d{1,5}$/)).map(([whole, part]) => `${whole}.${part}`),
  ),
  sample(instant(), fc.date({ min: new Date('0001-01-01T00:00:00Z'), max: new Date('9999-12-31T23:59:59.999Z'), noInvalidDate: true })),
  sample(duration(), fc.nat({ max: 10_000_000_000 })),
  sample(choice(['one', 'two']), fc.constantFrom('one', 'two')),
)
const scalars = fc.oneof(numbers, strings, fc.constant(sample(flag(), fc.boolean())))
const nullable = ({ field, values }: Sample): Sample => sample({ ...field, nullable: true } as Field, fc.option(values))

/** Declarations to a depth, each with the values that it reads to. */
function samples(depth: number): fc.Arbitrary<Sample> {
  if (depth === 0) return scalars
  const below = samples(depth - 1)
  const records = fc.uniqueArray(fc.tuple(names, below), { selector: ([name]) => name, maxLength: 4 }).map((fields) =>
    sample(
      record(Object.fromEntries(fields.map(([name, one]) => [name, one.field]))),
      fc
        .tuple(...fields.map(([, one]) => one.values))
        .map((values) => Object.fromEntries(fields.map(([name], index) => [name, values[index]]))),
    ),
  )
  const lists = below.map((one) => sample(list(one.field), fc.array(one.values, { maxLength: 3 })))
  return fc.oneof(
    { weight: 2, arbitrary: scalars },
    { weight: 3, arbitrary: records },
    { weight: 2, arbitrary: lists },
    below.map(nullable),
    below.map((one) => sample(table(one.field), fc.dictionary(names, one.values, { maxKeys: 3, noNullPrototype: true }))),
    fc.tuple(below, below).map(([a, b]) => sample(tuple([a.field, b.field]), fc.tuple(a.values, b.values))),
    fc
      .tuple(numbers, strings, lists, records)
      .map((branches) => sample(either(branches.map(({ field }) => field)), fc.oneof(...branches.map(({ values }) => values)))),
    fc.tuple(records, records).map(([a, b]) =>
      sample(
        tagged('~tag', { a: a.field, toString: b.field }),
        fc.oneof(
          a.values.map((value) => ({ '~tag': 'a', ...(value as object) })),
          b.values.map((value) => ({ '~tag': 'toString', ...(value as object) })),
        ),
      ),
    ),
  )
}

test('what is written is read again', async () => {
  const withValue = samples(6).chain(({ field, values }) => values.map((value) => ({ field, value })))
  await fc.assert(
    fc.asyncProperty(withValue, async ({ field, value }) => {
      const put = endpoint('PUT /', { body: record({ value: field }) })
      const verdict = await judge(intake({ endpoints: { put } }), write(put, 'https://kr.example', { path: {}, body: { value } } as never))
      expect(verdict.outcome === 'accepted' ? (verdict.input as { body: unknown }).body : verdict.errors).toEqual({ value })
    }),
    { numRuns: runs },
  )
})

const json = fc.letrec((tie) => ({
  value: fc.oneof(
    { maxDepth: 6 },
    fc.constantFrom(null, true, false, 0, -0, 1.5, Number.NaN, Number.POSITIVE_INFINITY, 1e300),
    texts,
    hostile,
    fc.array(tie('value'), { maxLength: 4 }),
    tie('object'),
  ),
  object: fc.array(fc.tuple(names, tie('value')), { maxLength: 5 }).map((entries) => Object.fromEntries(entries)),
})).value

interface Tree {
  parts: Tree[]
}
const tree: Field<Tree> = record({ parts: list(later(() => tree)), free: anything({ optional: true }) }) as never
const deep = (open: string, inside: string, close: string) => JSON.parse(open.repeat(100_000) + inside + close.repeat(100_000))
const cyclic = { parts: [] as unknown[], self: {} }
cyclic.parts.push(cyclic, cyclic)
cyclic.self = cyclic
let wide: object = { parts: [] }
for (let i = 0; i < 60; i++) wide = { parts: [wide, wide] }

test('no input throws, hangs, or touches a prototype', () => {
  const before = JSON.stringify(Object.getOwnPropertyNames(Object.prototype))
  const judged = (field: Field, value: unknown, how: object) => {
    const body = endpoint('PUT /', {
      body: record({ value: field }, { undeclared: 'keep' }),
      query: { value: list(text(), { optional: true }) },
    })
    const verdict = judgeParts(body, { body: { value, kept: value }, query: { value: value as string } }, { trace: true, ...how })
    if (verdict.outcome === 'rejected')
      return Object.values(verdict.errorsByField)
        .flat()
        .map(({ message }) => message)
    return []
  }
  fc.assert(
    fc.property(samples(3), json, fc.boolean(), ({ field }, value, text) => {
      expect(judged(field, value, { text })).toEqual(expect.any(Array))
    }),
    { numRuns: runs },
  )
  for (const value of [
    cyclic,
    cyclic.self,
    deep('[', '', ']'),
    deep('{"parts":[', '', ']}'),
    deep('{"free":', '1', '}'),
    wide,
    new Map(),
    () => 1,
    Symbol('a'),
    10n,
    new Date(Number.NaN),
    Object.create(null),
    Object.create({ parts: [] }),
    [undefined],
  ]) {
    for (const field of [
      tree,
      anything(),
      list(anything()),
      table(anything()),
      either([tree, anything()]),
      text(),
      record({ parts: integer() }),
    ])
      judged(field, value, {})
  }
  expect(JSON.stringify(Object.getOwnPropertyNames(Object.prototype))).toBe(before)
})

test('no secret is told', async () => {
  const secret = 'xyzzy'
  const hidden = (field: Field) => ({ ...field, secret: true }) as Field
  await fc.assert(
    fc.asyncProperty(samples(3), json, fc.boolean(), async ({ field }, value, text) => {
      const laced = JSON.parse(JSON.stringify(value ?? null), (_, one) => (typeof one === 'string' ? `${secret}${one}` : one)) as unknown
      const put = endpoint('PUT /', {
        header: { authorization: field.kind === 'text' ? field : integer({ optional: true }) },
        body: record({ a: hidden(field), b: hidden(record({ c: field, d: integer() })), e: record({ f: list(hidden(field)) }) }),
      })
      for (const body of [
        { a: laced, b: { c: laced, d: secret }, e: { f: [laced] }, z: laced },
        { a: laced, b: laced, e: laced },
        secret,
        [laced],
      ]) {
        const verdict = judgeParts(put, { header: { authorization: secret }, body }, { trace: true, text })
        const told =
          JSON.stringify(verdict, (_, one) => (typeof one === 'bigint' ? String(one) : one)) +
          (verdict.outcome === 'rejected' ? await answer(verdict).text() : '')
        expect(verdict.outcome === 'rejected' ? told : JSON.stringify(verdict.trace)).not.toContain(secret)
      }
    }),
    { numRuns: runs },
  )
})
