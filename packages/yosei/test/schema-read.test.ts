/** JSON Schemas as fields: what the docs say of each keyword, what makes no sense, and the same judgement in every way. */
import { readFileSync } from 'node:fs'
import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { endpoint, type Field, intake, judgeParts, judgeValue, record } from 'yosei'
import { type Note, readJsonSchema, writeJsonSchema } from 'yosei/json-schema'
import { requestFor } from 'yosei/probe'
import { vocabularies } from '../dist/internals.js'
import { enginePairs } from './samples.ts'

const page = readFileSync(new URL('../../../docs/json-schema.md', import.meta.url), 'utf8')
/** The cells of the table below a heading, or below a line. */
const rowsBelow = (start: string): readonly (readonly string[])[] => {
  const [, rest = ''] = page.split(start)
  const [table = ''] = rest.trimStart().split('\n\n')
  return table
    .split('\n')
    .slice(2)
    .map((line) => line.split(' | ').map((cell) => cell.replace(/^\| | *\|$/g, '').trim()))
}
const json = (cell = '') => JSON.parse(cell.replace(/^`|`$/g, '')) as never
const errorsOf = (field: Field, value: unknown) => {
  const verdict = judgeValue(field, value)
  return verdict.outcome === 'rejected' ? verdict.errors.map(({ address, code }) => `${address} ${code}`.trim()) : []
}

const keywords = rowsBelow('A test runs each row.\n')
test.each(keywords.map((row) => [row.join(' '), ...row]))(
  'in the docs: %s',
  (_, _keyword, schema, value, error = '') => {
    const [, said = ''] = /^([^:,]*)/.exec(error) ?? []
    const told = said.split(' and ').map((one) => [...one.matchAll(/`([^`]+)`/g)].map(([, part]) => part).join(' '))
    expect(errorsOf(readJsonSchema(json(schema), { formats: 'assert' }), json(value))).toEqual(told)
  },
)
test('in the docs: there is a row for each keyword that can reject a value', () => {
  const others =
    /^(?:\$(?:id|schema|anchor|dynamicAnchor|vocabulary|comment|defs)|title|description|default|deprecated|readOnly|writeOnly|examples|content\w+)$/
  const all = Object.keys(vocabularies)
  const rows = keywords.map(([keyword]) => keyword?.replaceAll('`', ''))
  expect(all.length).toBeGreaterThan(50)
  expect(all.filter((keyword) => !others.test(keyword) && !rows.includes(keyword))).toEqual([])
})
test.each(rowsBelow('These are not enforced, and noted:\n'))('in the docs: %s', (schema, consequence) => {
  const notes: Note[] = []
  const read = json(schema)
  readJsonSchema({ properties: { 'a/b': read } }, { formats: 'assert', notes: (note) => notes.push(note) })
  readJsonSchema({ $defs: { unused: read } }, { formats: 'assert', notes: (note) => notes.push(note) })
  expect(notes.map(({ pointer }) => pointer)).toEqual(
    '$schema' in (read as object) ? [] : [`/properties/a~1b/${Object.keys(read)[0]}`],
  )
  readJsonSchema(read, { formats: 'assert', notes: (note) => notes.push(note) })
  expect(notes.at(-1)).toMatchObject({ pointer: `/${Object.keys(read)[0]}`, consequence })
})

function chain(length: number, link: (to: string) => object): object {
  const entries = Array.from({ length }, (_, at) => [`n${at}`, link(`#/$defs/n${at + 1}`)])
  return { $ref: '#/$defs/n0', $defs: Object.fromEntries([...entries, [`n${length}`, { type: 'string' }]]) }
}
test.each<[schema: unknown, message: string]>([
  [null, 'readJsonSchema(): the schema is null. Give it an object of keywords, true or false.'],
  [
    { properties: { a: { minimum: '5' } } },
    "readJsonSchema(), /properties/a/minimum: minimum is '5'. Give it a number.",
  ],
  [{ type: 'strin' }, "/type: type is 'strin'. Give it one of null, boolean"],
  [{ items: [{}] }, '/items: items is a list of 1. Give it a schema: an object, true or false.'],
  [{ required: true }, '/required: required is true. Give it a list of names.'],
  [{ contains: {}, minContains: -1 }, '/minContains: minContains is -1.'],
  [{ $id: 5 }, '/$id: $id is 5.'],
  [{ anyOf: [] }, '/anyOf: anyOf is a list of 0. Give it a list of schemas.'],
  [{ multipleOf: 0 }, '/multipleOf: multipleOf is 0. Give it a number above zero.'],
  [{ properties: { a: { $ref: '#/$defs/b' } } }, '/properties/a: the reference #/$defs/b leads nowhere.'],
  [{ $ref: 'https://example.org/a' }, 'Nothing is fetched.'],
  [{ $defs: { a: { anyOf: [{ $ref: '#/$defs/a' }, true] } }, $ref: '#/$defs/a' }, 'leads back to itself'],
  [{ $defs: { a: { not: { $ref: '#/$defs/a' } } }, $ref: '#/$defs/a' }, 'leads back to itself'],
  [chain(300, (to) => ({ $ref: to })), 'references lead through more than 200 schemas'],
  [chain(300, (to) => ({ type: 'object', properties: { a: { $ref: to } } })), 'references lead through more than 200'],
  [Array.from({ length: 600 }).reduce<object>((not) => ({ not }), {}), 'nests deeper than 500 levels'],
])('what makes no sense is thrown, with its place: %j', (schema, message) => {
  expect(() => readJsonSchema(schema as object)).toThrow(message)
})

describe('whichever way it is judged', () => {
  const names = fc.constantFrom('a', 'b', '__proto__', 'toString', 'a b')
  const scalars = fc.constantFrom(null, true, 0, 1, -1, 1.5, 1e20, '', 'a', 'ab', '😀', '2031-03-01', '1')
  const { value } = fc.letrec<{ value: unknown }>((tie) => ({
    value: fc.oneof(
      { maxDepth: 3 },
      scalars,
      scalars,
      fc.array(tie('value'), { maxLength: 3 }),
      fc.array(fc.tuple(names, tie('value')), { maxLength: 3 }).map(fromEntries),
    ),
  }))
  const types = ['null', 'boolean', 'integer', 'number', 'string', 'array', 'object']
  const { schema } = fc.letrec<{ schema: unknown }>((tie) => {
    const one = tie('schema')
    const some = fc.array(one, { minLength: 1, maxLength: 3 })
    const named = fc.array(fc.tuple(names, one), { minLength: 1, maxLength: 3 }).map(fromEntries)
    const count = fc.nat(3)
    const list = fc.uniqueArray(names, { minLength: 1, maxLength: 3 })
    const type = fc.oneof(
      fc.constantFrom(...types),
      fc.constantFrom(['string', 'null'], ['object', 'null'], ['integer', 'string']),
    )
    const closed = fc.oneof(fc.constant(false), one)
    const keyword: { readonly [keyword: string]: fc.Arbitrary<unknown> } = {
      const: value,
      enum: fc.array(value, { minLength: 1, maxLength: 3 }),
      ...{ minimum: count, maximum: count, exclusiveMinimum: count, multipleOf: fc.constantFrom(1, 0.5, 0.01) },
      ...{ minLength: count, maxLength: count, pattern: fc.constantFrom('^a', 'b$'), format: fc.constant('date') },
      ...{ minItems: count, maxItems: count, uniqueItems: fc.boolean(), items: one, prefixItems: some },
      ...{ contains: one, minContains: count, maxContains: count, unevaluatedItems: one },
      ...{ properties: named, patternProperties: one.map((own) => ({ '^a': own })), additionalProperties: closed },
      ...{ required: list, dependentRequired: list.map((all) => ({ a: all })), dependentSchemas: named },
      ...{ minProperties: count, maxProperties: count, propertyNames: one, unevaluatedProperties: closed },
      ...{ allOf: some, anyOf: some, oneOf: some, not: one, if: one, then: one, else: one },
      $ref: fc.constantFrom('#/$defs/x', '#/$defs/y'),
    }
    return {
      schema: fc.oneof(
        { maxDepth: 4 },
        fc.constantFrom(true, {}, { type: 'string' }),
        // What most descriptions have.
        fc
          .record(
            {
              properties: named,
              required: list,
              additionalProperties: closed,
              unevaluatedProperties: closed,
              allOf: some,
            },
            { requiredKeys: [], noNullPrototype: true },
          )
          .map((own) => ({ type: 'object', ...own })),
        fc
          .tuple(fc.option(type), fc.uniqueArray(fc.constantFrom(...Object.keys(keyword)), { maxLength: 4 }))
          .chain(([type, all]) =>
            fc
              .tuple(...all.map((name) => (keyword[name] as fc.Arbitrary<unknown>).map((own) => [name, own])))
              .map((own) => ({ ...(type ? { type } : {}), ...Object.fromEntries(own) })),
          ),
      ),
    }
  })
  function fromEntries(entries: readonly (readonly [string, unknown])[]): object {
    return JSON.parse(`{${entries.map(([name, one]) => `${JSON.stringify(name)}:${JSON.stringify(one)}`).join()}}`)
  }

  test('a value is accepted as field, as a whole, by both engines; and stays as it was', () => {
    const counts = { accepted: 0, native: 0 }
    const runs = Number(process.env['PROPERTY_RUNS'] ?? 150)
    fc.assert(
      fc.property(schema, schema, schema, fc.array(value, { minLength: 8, maxLength: 8 }), (root, x, y, values) => {
        const described = typeof root === 'boolean' ? { allOf: [root] } : (root as object)
        const whole = { ...described, $defs: { x, y, none: true } }
        const read = (one: object) => {
          try {
            return readJsonSchema(one, { formats: 'assert' })
          } catch (error) {
            // References may lead in a circle.
            expect((error as Error).message).toContain('leads back to itself')
            return undefined
          }
        }
        // With a dynamic reference anywhere, the schema judges all itself.
        const [field, judged] = [read(whole), read({ allOf: [whole], $dynamicRef: '#/$defs/none', $defs: whole.$defs })]
        if (!field || !judged) return
        if (field.kind !== 'schema') counts.native++
        const endpoints = (['compiled', 'interpreted'] as const).map(
          (engine) => intake({ endpoints: { post: endpoint('POST /', { body: field }) }, engine }).endpoints.post,
        )
        for (const sent of values) {
          const verdicts = [
            judgeValue(field, sent),
            judgeValue(judged, sent),
            ...endpoints.map((one) => judgeParts(one, { body: sent })),
          ]
          const about = { whole: JSON.stringify(whole), sent: JSON.stringify(sent) }
          const outcomes = verdicts.map(({ outcome }) => outcome)
          expect({ ...about, outcomes: new Set(outcomes).size }).toEqual({ ...about, outcomes: 1 })
          const [first] = verdicts
          if (first?.outcome !== 'accepted') continue
          counts.accepted++
          expect({ ...about, value: (first as { value: unknown }).value }).toEqual({ ...about, value: sent })
        }
      }),
      { numRuns: runs, seed: Number(process.env['SEED'] ?? 7) },
    )
    expect(counts.accepted).toBeGreaterThan(runs)
    expect(counts.native).toBeGreaterThan(runs / 10)
  })

  test('what is written and read again takes the same values, wherever nothing was left unsaid', () => {
    let exact = 0
    fc.assert(
      fc.property(enginePairs, ([inner, , values]) => {
        const field = record({ x: inner as Field })
        const { schema: written, unsaid } = writeJsonSchema(field)
        if (unsaid.length > 0 || JSON.stringify(written).includes('"readOnly"')) return
        const again = readJsonSchema(written, { formats: 'assert' })
        for (const x of values as readonly unknown[]) {
          const sent = JSON.parse(JSON.stringify({ x }, (_, one) => (typeof one === 'bigint' ? String(one) : one)))
          const [before, after] = [judgeValue(field, sent), judgeValue(again, sent)]
          const about = { written: JSON.stringify(written), sent: JSON.stringify(sent) }
          expect({ ...about, outcome: after.outcome }).toEqual({ ...about, outcome: before.outcome })
          exact++
        }
      }),
      { numRuns: Number(process.env['PROPERTY_RUNS'] ?? 150) },
    )
    expect(exact).toBeGreaterThan(50)
  })
})

test.each(['allOf', 'anyOf', 'oneOf'])(
  'no %s makes a judgement exponential in the depth of its references',
  (keyword) => {
    const both = (to: number) => [{ $ref: `#/$defs/n${to}` }, { $ref: `#/$defs/n${to}`, title: 'x' }]
    const $defs = Object.fromEntries(Array.from({ length: 60 }, (_, at) => [`n${at}`, { [keyword]: both(at + 1) }]))
    const dag = readJsonSchema({
      $ref: '#/$defs/n0',
      $defs: { ...$defs, n60: { type: 'string', not: { const: 'b' } } },
    })
    expect([5, 'b'].map((one) => judgeValue(dag, one).outcome)).toEqual(['rejected', 'rejected'])
    const branch = (name: string) => ({ type: 'object', properties: { a: { $ref: '#/$defs/n' } }, required: [name] })
    const tree = readJsonSchema({
      $ref: '#/$defs/n',
      $defs: { n: { anyOf: [branch('b'), branch('c'), { const: 1 }] } },
    })
    const deep = (end: unknown) => Array.from({ length: 60 }).reduce((a) => ({ a, b: 1 }), end)
    expect([1, 2].map((end) => judgeValue(tree, deep(end)).outcome)).toEqual(['accepted', 'rejected'])
  },
)

test('one mistake is one error, though many schemas look at it', () => {
  const named = { properties: { name: { type: 'string', minLength: 2 } }, required: ['name'] }
  const field = readJsonSchema({
    type: 'object',
    allOf: [named, { ...named, properties: { ...named.properties, kind: { enum: ['a', 'b'] } } }],
    patternProperties: { '^x-': { type: 'integer' } },
    unevaluatedProperties: false,
  })
  expect(errorsOf(field, {})).toEqual(['name missing'])
  expect(errorsOf(field, { name: 'a', kind: 'c', 'x-a': '1', nmae: 1 })).toEqual([
    'name too_short',
    'kind not_a_choice',
    'x-a wrong_type',
    'nmae unlisted',
  ])
})

test('other documents are found by their addresses, and stand in what is written', () => {
  const documents = {
    'https://example.org/money.json': { $defs: { cents: { $anchor: 'cents', type: 'integer', minimum: 0 } } },
  }
  const price = { $ref: 'money.json#cents' }
  const field = readJsonSchema(
    { $id: 'https://example.org/shop.json', type: 'object', properties: { price }, not: { required: ['cost'] } },
    { documents },
  )
  expect(errorsOf(field, { price: -1, cost: 1 })).toEqual(['not_allowed_here', 'price below_min'])
  const again = readJsonSchema(writeJsonSchema(field).schema)
  expect(errorsOf(again, { price: -1, cost: 1 })).toEqual(['not_allowed_here', 'price below_min'])
})

test('types: what a handler gets is what the caller says', () => {
  const field = readJsonSchema<{ readonly name: string }>({ type: 'object', required: ['name'] })
  const lend = endpoint('POST /', { body: field })
  const verdict = judgeParts(lend, { body: { name: 'a' } })
  if (verdict.outcome === 'accepted') {
    const { name } = verdict.input.body
    expect(name.length).toBe(1)
    // @ts-expect-error There is no such name.
    expect(verdict.input.body.other).toBeUndefined()
  }
  // @ts-expect-error A schema is an object, true or false.
  expect(() => readJsonSchema('string')).toThrow('the schema is')
})

test.each<[schema: object, value: unknown]>([
  [{ properties: { pin: { writeOnly: true, const: 'hush-1' } }, not: { const: 1 } }, { pin: 'hush-2' }],
  [{ properties: { pin: { $ref: '#/$defs/a' } }, not: { const: 1 } }, { pin: 'hush-2' }],
  [{ items: { writeOnly: true, maxLength: 2 }, contains: {} }, ['hush-1']],
  [{ patternProperties: { '^p': { format: 'password', enum: ['hush-1', 'b'] } } }, { pin: 'hush-2' }],
  [
    { additionalProperties: { anyOf: [{ allOf: [{ writeOnly: true }], maxLength: 1 }, { maxLength: 2 }] } },
    { pin: 'hush-2' },
  ],
  [{ allOf: [{ writeOnly: true }], type: 'string', maxLength: 2 }, 'hush-2'],
  // What the schema says of a secret is one too.
  [{ writeOnly: true, not: { const: 'hush-1' } }, 'hush-1'],
  [{ writeOnly: true, contains: { const: 'hush-1' } }, ['a']],
  [
    {
      writeOnly: true,
      oneOf: [
        { const: 'hush-1', title: 'hush' },
        { type: 'string', title: 'hush' },
      ],
    },
    'hush-1',
  ],
  [{ writeOnly: true, anyOf: [{ const: 'hush-1' }, { not: { const: 5 } }, false] }, 5],
  [{ writeOnly: true, type: 'string', pattern: '^y', examples: ['y-hush', 5] }, 'hush-2'],
  [{ properties: { pin: { writeOnly: true, not: { enum: ['hush-1'] } } }, if: true }, { pin: 'hush-1' }],
])('a secret is not shown, wherever it stands: %j', (schema, value) => {
  const field = readJsonSchema({
    ...schema,
    $defs: { a: { $ref: '#/$defs/b' }, b: { writeOnly: true, pattern: '^x' } },
  })
  const verdict = judgeValue(field, value)
  expect(verdict.outcome).toBe('rejected')
  expect(JSON.stringify(verdict)).not.toContain('hush')
})
test('a note of another document has its address', () => {
  const notes: Note[] = []
  const documents = { 'https://example.org/a.json': { $defs: { b: { pattern: '(' } } } }
  readJsonSchema({ $ref: 'https://example.org/a.json#/$defs/b' }, { documents, notes: (note) => notes.push(note) })
  expect(notes.map(({ pointer }) => pointer)).toEqual(['https://example.org/a.json#/$defs/b/pattern'])
})

test.each<[schema: object, value: unknown, kind: string, found: string]>([
  // What must be sent and may not be.
  [{ type: 'object', required: ['a'], additionalProperties: false }, { a: 1 }, 'schema', 'a unlisted'],
  [{ type: 'object', required: ['a'], unevaluatedProperties: false }, { a: 1 }, 'schema', 'a unlisted'],
  // `then` says nothing without `if`.
  [{ oneOf: [{ type: 'string' }], then: { type: 'integer' } }, 2, 'text', ' wrong_type'],
  [{ anyOf: [{ type: 'string' }, { type: 'boolean' }], dependentSchemas: { a: {} } }, 2, 'schema', ' no_branch'],
  // What no keyword looks at is closed, in all that an object takes over.
  [closing({ allOf: [{ properties: { b: { type: 'integer' } } }] }), { a: 1, b: 1, c: 1 }, 'record', 'c unlisted'],
  [closing({ allOf: [{ properties: { b: { type: 'integer' } } }] }), { a: 1, b: 'x' }, 'record', 'b wrong_type'],
  [closing({ allOf: [{ additionalProperties: true }] }), { a: 1, c: 1 }, 'record', ''],
  [closing({ allOf: [{ unevaluatedProperties: true }] }), { a: 1, c: 1 }, 'record', ''],
  [closing({ anyOf: [{ properties: { b: {} }, required: ['b'] }, {}] }), { a: 1, b: 1 }, 'schema', ''],
  [closing({ type: ['object', 'null'] }), null, 'record', ''],
  [{ type: ['object', 'null'], properties: { a: { type: 'integer' } }, required: ['a'] }, {}, 'record', 'a missing'],
  [{ allOf: [{ type: ['object', 'null'] }, { type: 'object' }] }, null, 'record', ' null_not_allowed'],
  [{ type: 'object', propertyNames: { pattern: '^a' } }, { ab: 1, b: 1 }, 'table', 'b wrong_pattern'],
])('%j, %j: a %s, which finds %s', (schema, value, kind, found) => {
  const field = readJsonSchema(schema)
  const verdict = judgeValue(field, value)
  const errors = verdict.outcome === 'accepted' ? [] : verdict.errors.map(({ address, code }) => `${address} ${code}`)
  expect([field.kind, errors.join()]).toEqual([kind, found])
})
function closing(more: object): object {
  return { type: 'object', properties: { a: { type: 'integer' } }, unevaluatedProperties: false, ...more }
}

test('a branch of null alone that takes nothing makes nothing nullable', () => {
  const field = readJsonSchema({ anyOf: [{ type: 'string' }, { type: 'null', enum: [1] }] })
  expect(errorsOf(field, null)).toEqual(['no_branch'])
  expect(judgeValue(readJsonSchema({ anyOf: [{ type: 'string' }, { type: 'null' }] }), null).outcome).toBe('accepted')
})
test('a value is made of a schema without asking it in every way', async () => {
  const both = (to: number) => [{ $ref: `#/$defs/n${to}` }, { $ref: `#/$defs/n${to}`, title: 'x' }]
  const $defs = Object.fromEntries(Array.from({ length: 60 }, (_, at) => [`n${at}`, { allOf: both(at + 1) }]))
  const field = readJsonSchema({ $ref: '#/$defs/n0', $defs: { ...$defs, n60: { required: ['a'] } } })
  const put = endpoint('PUT /', {
    body: record({ x: field, y: readJsonSchema({ pattern: '^k-[0-9]{3}$', type: 'string', not: { const: '' } }) }),
  })
  const app = intake({ endpoints: { put } })
  const { message } = requestFor(app, { method: 'PUT', target: '/' }, { now: new Date(0) })
  expect(String(message.body)).toMatch(/"a":.*"k-\d{3}"/)
})
