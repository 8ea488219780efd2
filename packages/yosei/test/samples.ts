/** Declarations and values for property tests. */
import { runInNewContext } from 'node:vm'
import fc from 'fast-check'
import {
  anything,
  bigInteger,
  choice,
  codeOf,
  constant,
  DeclarationError,
  day,
  decimal,
  duration,
  type Endpoint,
  either,
  endpoint,
  type Field,
  flag,
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
  tuple,
} from 'yosei'
import { malformed } from '../dist/internals.js'

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
  'k0',
  'run',
  '*/',
  '`$'.concat('{1}`'),
  '\u2028',
  "';",
)
const names = fc.oneof({ weight: 3, arbitrary: fc.stringMatching(/^[a-z]{1,4}$/) }, { weight: 1, arbitrary: hostile })
const texts = fc.string({ unit: 'binary', maxLength: 8 })

/** A field, and the values that it reads to. */
export interface Sample {
  readonly field: Field
  readonly values: fc.Arbitrary<unknown>
}
const sample = (field: Field, values: fc.Arbitrary<unknown>): Sample => ({ field, values })

// Two sorts of fields for one JSON type each, so that a union of several types always knows its own.
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
  sample(
    instant(),
    fc.date({ min: new Date('0001-01-01T00:00:00Z'), max: new Date('9999-12-31T23:59:59.999Z'), noInvalidDate: true }),
  ),
  sample(duration(), fc.nat({ max: 10_000_000_000 })),
  sample(choice(['one', 'two']), fc.constantFrom('one', 'two')),
)
const scalars = fc.oneof(numbers, strings, fc.constant(sample(flag(), fc.boolean())))
const nullable = ({ field, values }: Sample): Sample => sample({ ...field, nullable: true } as Field, fc.option(values))

/** Declarations to a depth, each with the values that it reads to. */
export function samples(depth: number): fc.Arbitrary<Sample> {
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
    below.map((one) =>
      sample(table(one.field), fc.dictionary(names, one.values, { maxKeys: 3, noNullPrototype: true })),
    ),
    fc.tuple(below, below).map(([a, b]) => sample(tuple([a.field, b.field]), fc.tuple(a.values, b.values))),
    fc
      .tuple(numbers, strings, lists, records)
      .map((branches) =>
        sample(either(branches.map(({ field }) => field)), fc.oneof(...branches.map(({ values }) => values))),
      ),
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

// Every option, for what must be the same whatever reads it.

const limited: readonly Field[] = [
  text({ length: [1, 3], tidy: ['trim'] }),
  text({ length: [2, 4], tidy: ['upper'], pattern: /^[A-Z]+$/ }),
  text({ format: 'email' }),
  text({ tidy: ['NFKC'], keepEmpty: true }),
  text({ secret: true, length: [3, 5] }),
  text({ tidy: ['NFC', 'trim', 'squeeze', 'lower'], length: [2, 3] }),
  text({ format: 'date' }),
  text({ format: 'time' }),
  text({ pattern: /b/i }),
  text({ length: [0, 0] }),
  bigInteger({ above: -2n, step: 3n }),
  decimal({ min: '-0.5', digits: 2 }),
  decimal({ numbers: true, scale: 3 }),
  day({ weekdays: ['mon', 'sat'] }),
  text({ tidy: ['compact'], length: [1, 4] }),
  duration({ min: '5m' }),
  integer({ max: -1 }),
  number({ above: 0 }),
  number({ whole: true, max: 1e20 }),
  number(),
  choice(['', '0', 'true']),
  choice([0, 1.5]),
  constant(0),
  constant(true),
  constant(''),
  integer({ min: 1, max: 9 }),
  integer({ above: -3, step: 2 }),
  integer({ coerce: true }),
  number({ min: 0, below: 1, step: 0.1 }),
  bigInteger({ min: 3n }),
  decimal({ digits: 3, scale: 1, max: '10' }),
  flag({ coerce: true }),
  instant({ from: '-1d', until: '2031-12-31T00:00:00Z' }),
  day(),
  day({ from: '+0d' }),
  day({ from: '-18y', until: '+6mo', zone: 'Europe/Paris' }),
  instant({ zone: 'America/Sao_Paulo', from: '-1mo', until: '+20y' }),
  timeOfDay(),
  timeOfDay({ from: '08:00', until: '20:30' }),
  text({ format: 'phone' }),
  text({ format: 'card-number' }),
  text({ format: 'country', tidy: ['upper'] }),
  duration({ max: '1h' }),
  choice(['a', 'b', 1]),
  choice(Array.from({ length: 20 }, (_, index) => index)),
  constant('on'),
  constant(null),
  anything(),
]
const optioned = fc.record({
  need: fc.constantFrom({}, {}, { need: 'optional' }),
  nullable: fc.constantFrom({}, {}, { nullable: true }),
  other: fc.constantFrom(
    {},
    {},
    {},
    {},
    { secret: true },
    { coerce: true },
    { coerce: false },
    { readOnly: true, need: 'optional' },
    { readOnly: 'drop', need: 'optional' },
    { readOnly: 'drop', secret: true, need: 'optional' },
    { messages: 'own words' },
    { messages: { wrong_type: 'is {sent}', repeated: '{other}' } },
  ),
})
const leaf = fc.tuple(fc.constantFrom(...limited), optioned).map(([field, { need, nullable, other }]): Field => {
  const scalar = field.kind !== 'anything' && field.kind !== 'constant'
  return { ...field, ...need, ...(scalar ? nullable : {}), ...other } as Field
})
const defaulted = fc.constantFrom<Field>(
  integer({ default: 5 }),
  text({ default: 'x', nullable: true }),
  list(integer(), { default: () => [1] }),
  number({ default: -0 }),
  integer({ default: -0, min: 0 }),
  text({ default: 'ABC', tidy: ['lower'] }),
  list(text({ tidy: ['trim'] }), { default: [' x '] }),
  anything({ default: { free: [1] } }),
  flag({ default: (() => true) as never }),
  instant({ default: new Date(0) }),
)

/** Declarations with every kind and option, to a depth. */
function declarations(depth: number): fc.Arbitrary<Field> {
  if (depth === 0) return fc.oneof({ weight: 5, arbitrary: leaf }, defaulted)
  const below = declarations(depth - 1)
  const records = fc
    .tuple(
      fc.uniqueArray(fc.tuple(names, below), { selector: ([name]) => name, maxLength: 4 }),
      fc.constantFrom<object>({}, {}, {}, { unlisted: 'drop' }, { unlisted: 'keep' }, { unlisted: 'refuse' }),
    )
    .map(([fields, options]) => record(Object.fromEntries(fields), options))
  return fc
    .tuple(
      fc.oneof<fc.Arbitrary<Field>[]>(
        below,
        records,
        records,
        fc
          .tuple(
            below,
            fc.constantFrom<object>({}, { length: [1, 2] }, { distinct: true }, { length: [0, 3], distinct: true }),
          )
          .map(([item, options]) => list(item, options)),
        records.map((item) =>
          list(item, Object.keys(item.fields).length > 0 ? { distinct: Object.keys(item.fields)[0] as never } : {}),
        ),
        fc
          .tuple(below, fc.constantFrom<object>({}, { length: [1, 2] }, { names: /^[a-z]+$/ }))
          .map(([value, options]) => table(value, options)),
        fc.tuple(below, below).map((items) => tuple(items)),
        fc.tuple(below, below).map((branches) => either(branches)),
        fc.tuple(below, below, records).map((branches) => either(branches)),
        fc
          .tuple(records, records, below)
          .map(([a, b, c]) =>
            either([
              record({ ...a.fields, inner: constant('a') }),
              record({ ...b.fields, inner: choice(['b', 5]) }),
              c,
            ] as never),
          ),
        fc.tuple(names, records, records).map(([tag, a, b]) =>
          tagged(
            tag,
            Object.fromEntries([
              ['a', without(a, tag)],
              ['toString', without(b, tag)],
            ]),
          ),
        ),
        below.map((inner) =>
          readAs(inner, (value) => (typeof value === 'string' ? value.length : { value }), {
            code: 'odd',
            secret: true,
          } as never),
        ),
        fc.tuple(records, records).map(([a, b]) => tagged('~tag', { a, b })),
        records.map((inner) => tagged('~tag', { a: tagged('~also', { a: inner }) })),
        below.map((base) => readAs(base, (value) => (value === 1 ? undefined : [value]), { code: 'odd' })),
        fc.tuple(below, fc.boolean(), fc.boolean()).map(([inner, optional, nullable]) => {
          const loop: Field = record({
            inner: { ...inner, need: 'optional' } as Field,
            parts: list(
              later(() => loop),
              { optional: true },
            ),
            ...(optional ? { next: later(() => loop, { optional, nullable }) } : {}),
          })
          return loop
        }),
      ),
      optioned,
    )
    .map(
      ([field, { need, nullable, other }]) =>
        ({
          ...field,
          ...need,
          ...(field.kind === 'readAs' ? {} : nullable),
          ...('coerce' in other || 'secret' in other ? other : {}),
        }) as Field,
    )
}

const without = (of: Field, name: string) => {
  const { [name]: _, ...fields } = (of as unknown as { fields: { [name: string]: Field } }).fields
  return record(fields)
}

/** What only programs can hand over. */
const odd = fc.constantFrom<() => unknown>(
  () => undefined,
  () => Object.assign(new Array(2), { 1: 'b' }),
  () => runInNewContext("[, 'a']"),
  () => runInNewContext("({ '~tag': 'a', inner: 'a', x: undefined })"),
  () => Object.assign(Object.create(null), { inner: 'b' }),
  () => JSON.parse('{ "__proto__": 1, "a": undefined }'.replace('undefined', 'null')),
  () => ({ a: undefined, inner: undefined, '~tag': 'a' }),
  () => Object.create({ inner: 'a' }),
  () => new Date(0),
  () => 5n,
  () => Symbol('x'),
  () => malformed,
  () =>
    new (class {
      inner = 'a'
    })(),
  () => new Map([['a', 1]]),
  () => 9007199254740992,
)

const valuesWith = (...more: fc.Arbitrary<unknown>[]) =>
  fc.letrec((tie) => ({
    value: fc.oneof(
      { maxDepth: 6 },
      fc.constantFrom(
        null,
        true,
        false,
        0,
        -0,
        1,
        5,
        1.5,
        0.3,
        Number.NaN,
        Number.POSITIVE_INFINITY,
        1e300,
        'a',
        'b',
        'ABC',
        ' x ',
        '5',
        'true',
        'on',
        '20:30',
        '07:59:00',
        '2031-03-01T12:00',
        '2031-03-30T02:30:00',
        '2013-03-01',
        'at',
        '4111111111111111',
        '+436601234567',
        '2031-03-01',
        '2031-03-01T12:00:00Z',
        'PT5M',
        'a@b.example',
        '1.5',
      ),
      texts,
      hostile,
      ...more,
      fc.array(tie('value'), { maxLength: 4 }),
      tie('object'),
      tie('object'),
    ),
    object: fc
      .array(
        fc.tuple(
          fc.oneof(names, fc.constantFrom('~tag', '~also', 'inner', 'parts')),
          fc.oneof({ weight: 4, arbitrary: tie('value') }, fc.constantFrom('a', 'b')),
        ),
        { maxLength: 5 },
      )
      .map((entries) => Object.fromEntries(entries)),
  })).value
/** Any JSON, and a little more. */
export const json = valuesWith()
/** And what only programs hand over. */
const wild = valuesWith(odd.map((make) => make()))

/** Values that come close to what a declaration takes: made along it, and wrong here and there. */
function near(field: Field, depth = 5): fc.Arbitrary<unknown> {
  const node = field as unknown as {
    kind: string
    fields: { [name: string]: Field }
    item: Field
    value: Field
    items: Field[]
    branches: { [name: string]: Field } | Field[]
    base: Field
    tag: string
    values: unknown[]
    make: () => Field
  }
  const right = (): fc.Arbitrary<unknown> => {
    if (depth === 0) return wild
    const below = (one: Field) => near(one, depth - 1)
    switch (node.kind) {
      case 'record':
        return fc
          .tuple(
            fc.tuple(
              ...Object.entries(node.fields).map(([name, one]) =>
                fc.option(below(one), { freq: 8, nil: undefined }).map((value) => [name, value] as const),
              ),
            ),
            fc.oneof({ weight: 5, arbitrary: fc.constant([]) }, fc.array(fc.tuple(names, wild), { maxLength: 2 })),
          )
          .map(([entries, others]) =>
            Object.fromEntries([...entries.filter(([, value]) => value !== undefined), ...others]),
          )
      case 'list':
        return fc.array(below(node.item), { maxLength: 3 })
      case 'tuple':
        return fc.tuple(...node.items.map(below))
      case 'table':
        return fc.dictionary(names, below(node.value), { maxKeys: 3, noNullPrototype: true })
      case 'tagged':
        return fc.oneof(
          ...Object.entries(node.branches).map(([value, branch]) =>
            below(branch).map((one) => ({ ...(one as object), [node.tag]: value })),
          ),
        )
      case 'either':
        return fc.oneof(...(node.branches as Field[]).map(below))
      case 'readAs':
        return below(node.base)
      case 'later':
        return below(node.make())
      case 'choice':
        return fc.constantFrom(...node.values)
      default:
        return wild
    }
  }
  return fc.oneof({ weight: 6, arbitrary: fc.constant(undefined).chain(right) }, wild)
}

/** Declarations beside values that come close to them: what both engines are compared with each other with. */
/** An empty text never comes in a query, so none may be declared there. */
const isOfEmpty = (field: Field) => {
  const { value, values = [value] } = field as { value?: unknown; values?: readonly unknown[] }
  return values.includes('')
}
export const enginePairs = fc
  .tuple(
    declarations(2),
    declarations(0).filter((field) => !isOfEmpty(field)),
  )
  .chain(([field, inQuery]) =>
    fc.tuple(
      fc.constant(field),
      fc.constant(inQuery),
      fc.array(near(field), { minLength: 20, maxLength: 20 }),
      fc.constantFrom('refuse', 'drop', 'keep' as const),
      fc.boolean(),
    ),
  )
type EnginePair = typeof enginePairs extends fc.Arbitrary<infer P> ? P : never

const shown = (value: unknown) =>
  JSON.stringify(value, (_, one) =>
    typeof one === 'bigint'
      ? `${one}n`
      : typeof one === 'number' && !Number.isFinite(one)
        ? String(one)
        : Object.is(one, -0)
          ? '-0'
          : one,
  )
const clock = new Date('2031-03-01T12:00:00Z')

/** Code that does not parse would never be run: its endpoint is interpreted then, and it is not seen. */
export const parseCode = (put: unknown): unknown => new Function(`"use strict"\n${codeOf(put as Endpoint)}`)

/** What each engine says of each of the values. */
export function bothVerdicts([field, inQuery, values, unlisted, coerce]: EnginePair): {
  outcome: string
  compiled: string
  interpreted: string
}[] {
  let both: readonly unknown[]
  try {
    both = (['compiled', 'interpreted'] as const).map((engine) => {
      const put = endpoint('PUT /{id}', {
        path: { id: integer() },
        query: { a: inQuery, b: list(inQuery.kind === 'list' ? text() : inQuery, { optional: true }) },
        header: { a: inQuery },
        body: record({ value: field }),
        coerce,
        unlisted: { body: unlisted },
      } as never)
      return intake({ engine, endpoints: { put } }).endpoints.put
    })
  } catch (error) {
    // Readers of readers refuse some defaults.
    if (error instanceof DeclarationError) return []
    throw error
  }
  parseCode(both[0])
  return values.map((value) => {
    const isText = typeof value === 'string' || Array.isArray(value) || value === malformed
    const text = isText ? { a: value, b: value } : {}
    const sent = { path: { id: '1' }, query: text, header: text, body: { value } }
    const [compiled, interpreted] = both.map((one) => judgeParts(one as never, sent, { now: clock }))
    return { outcome: compiled?.outcome ?? '', compiled: shown(compiled), interpreted: shown(interpreted) }
  })
}
