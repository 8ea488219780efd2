/** Declarations as JSON Schema: judged by an evaluator that knows nothing of the engine. */
import { readFileSync } from 'node:fs'
import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import * as yosei from 'yosei'
import { choice, type Field, flag, integer, judgeValue, record, text } from 'yosei'
import { writeJsonSchema } from 'yosei/json-schema'
import { takes } from './evaluate.ts'
import { enginePairs } from './samples.ts'

const runs = Number(process.env.PROPERTY_RUNS ?? 150)

/** Only fields of records are set by the server: what one would be in a list or a union, no reader of a schema knows. */
interface Held extends Field {
  readonly readOnly?: unknown
  readonly [child: string]: unknown
}
function isOdd(field: Held, isNamed = true): boolean {
  if (field.readOnly && !isNamed) return true
  if (field.kind === 'readAs' && field.readOnly !== (field as { base?: Held }).base?.readOnly) return true
  const { fields = {}, item, value, items = [], branches = {}, base } = field as { [child: string]: object }
  const others = [item, value, base, ...Object.values(items ?? {}), ...Object.values(branches ?? {})]
  const isHeld = (one: unknown): one is Held => typeof one === 'object' && one !== null && 'kind' in one
  return Object.values(fields ?? {}).some((one) => isOdd(one)) || others.some((one) => isHeld(one) && isOdd(one, false))
}

/** A value as JSON carries it; nothing of what it does not. */
function asJson(value: unknown): readonly unknown[] {
  const json = JSON.stringify(value, (_, one) => (typeof one === 'bigint' ? String(one) : one))
  return json === undefined ? [] : [JSON.parse(json) as unknown]
}

test('what a field takes, its schema takes; and the other way round, if nothing was left unsaid', () => {
  const counts = { both: 0, exact: 0 }
  fc.assert(
    fc.property(enginePairs, ([inner, , values]) => {
      fc.pre(!isOdd(inner as never))
      const field = record({ x: inner })
      const { schema, unsaid } = writeJsonSchema(field)
      for (const x of (values as readonly unknown[]).flatMap(asJson)) {
        const value = { x }
        const isTaken = judgeValue(field as Field, value).outcome === 'accepted'
        const about = { schema: JSON.stringify(schema), value: JSON.stringify(value), unsaid }
        if (isTaken) expect({ ...about, takes: takes(schema, value) }).toEqual({ ...about, takes: true })
        if (isTaken) counts.both++
        if (unsaid.length > 0) continue
        expect({ ...about, takes: takes(schema, value) }).toEqual({ ...about, takes: isTaken })
        counts.exact++
      }
    }),
    { numRuns: runs },
  )
  expect(counts.both).toBeGreaterThan(runs / 4)
  expect(counts.exact).toBeGreaterThan(runs / 4)
})

test('what is read is of the schema of what is read', () => {
  fc.assert(
    fc.property(enginePairs, ([inner, , values]) => {
      fc.pre(!isOdd(inner as never))
      const field = record({ x: inner })
      const { schema } = writeJsonSchema(field, { as: 'read' })
      for (const x of (values as readonly unknown[]).flatMap(asJson)) {
        const verdict = judgeValue(field as Field, { x })
        if (verdict.outcome !== 'accepted') continue
        const [read] = asJson(verdict.value)
        expect({ schema: JSON.stringify(schema), read, takes: takes(schema, read) }).toMatchObject({ takes: true })
      }
    }),
    { numRuns: runs },
  )
})

const some = {
  a: integer({ optional: true }),
  b: text({ optional: true }),
  c: choice(['x', 'y'], { optional: true }),
  d: flag({ optional: true, nullable: true }),
}
const fields = { ...some, in: record(some, { optional: true, nullable: true }) }
/** Every way to leave out or send four fields. */
const ways = [undefined, 1, 7].flatMap((a) =>
  [undefined, 'p'].flatMap((b) =>
    [undefined, 'x', 'y'].flatMap((c) =>
      [undefined, true, null].map((d) => JSON.parse(JSON.stringify({ a, b, c, d })) as object),
    ),
  ),
)
type Rules = NonNullable<NonNullable<Parameters<typeof record<typeof fields>>[1]>['rules']>
test.each<[rule: string, rules: Rules, isSaid: boolean]>([
  ['needed while sent', (on) => [on.needed('a', on.sent('b'))], true],
  ['needed while it is', (on) => [on.needed('a', on.is('c', 'x'))], true],
  ['needed while more', (on) => [on.needed('b', on.above('a', 5))], true],
  ['needed unless', (on) => [on.needed('b', on.not(on.any(on.is('d', true), on.in('c', ['x', 'y']))))], true],
  ['absent while both', (on) => [on.absent('b', on.all(on.sent('in.a'), on.below('a', 5)))], true],
  ['exactly one', (on) => [on.exactlyOne('a', 'b', 'd')], true],
  ['at least one', (on) => [on.atLeastOne('a', 'b')], true],
  ['at most one', (on) => [on.atMostOne('a', 'b', 'd')], true],
  ['together', (on) => [on.together('a', 'b', 'd')], true],
  ['exactly one, inside', (on) => [on.exactlyOne('in.a', 'in.b')], true],
  [
    'fits, while',
    (on) => [on.while(on.is('c', 'x'), [on.fits('b', text({ length: [2, 9] })), on.fits('in.a', integer({ min: 3 }))])],
    true,
  ],
  ['equal', (on) => [on.equal('b', 'c')], false],
  ['needed, inside', (on) => [on.needed('in.a', on.sent('b'))], false],
  ['suits', (on) => [on.needed('a', on.suits('b', text({ length: [2, 9] })))], false],
  ['check', (on) => [on.check({ reads: ['a'], code: 'odd', message: 'must not be 7', holds: (a) => a !== 7 })], false],
])('%s', (_, rules, isSaid) => {
  const field = record(fields, { rules })
  const { schema, unsaid } = writeJsonSchema(field)
  expect([unsaid.length === 0, JSON.stringify(schema).includes('allOf')]).toEqual([isSaid, isSaid])
  if (!isSaid) expect(schema['description']).toBe(unsaid.map(({ words }) => words).join('\n\n'))
  for (const value of ways.flatMap((way) => [
    way,
    { ...way, in: null },
    ...ways.slice(0, 20).map((inner) => ({ ...way, in: inner })),
  ])) {
    const isTaken = judgeValue(field, value).outcome === 'accepted'
    if (isSaid || isTaken)
      expect([JSON.stringify(value), takes(schema, value)]).toEqual([JSON.stringify(value), isTaken])
  }
})

/** The rows of a table in the docs, without their marks. */
function rowsOf(section: string): readonly (readonly [field: string, said: string])[] {
  const page = readFileSync(new URL('../../../docs/json-schema.md', import.meta.url), 'utf8')
  const [lines = ''] = page.split(`## ${section}\n`)[1]?.split('\n## ') ?? []
  return lines.split('\n').flatMap((line) => {
    // A bar in a cell is escaped.
    const [, field, said] = /^\| `(.*?)`\s+\| (.*?)\s*\|$/.exec(line.replaceAll('\\|', '\u0000')) ?? []
    return field && said ? [[field.replaceAll('\u0000', '|'), said.replaceAll('\u0000', '|')] as const] : []
  })
}
const made = (code: string, more: object = {}) =>
  new Function('all', `with (all) { return ${code} }`)({ ...yosei, ...more })

test.each(rowsOf('Kinds'))('in the docs: %s', (field, said) => {
  const { $schema: _, ...schema } = writeJsonSchema(made(field) as Field).schema
  expect(`\`${JSON.stringify(schema)}\``).toBe(said)
})
test.each(rowsOf('Rules'))('in the docs: %s', (rule, said) => {
  const { a, b } = some
  const { schema, unsaid } = writeJsonSchema(record({ a: b, b }, { rules: (on) => [made(rule, { on }) as never] }))
  expect([a.kind, unsaid]).toEqual(['integer', []])
  const keywords = [...said.matchAll(/`(\w+)`/g)].map(([, keyword]) => keyword)
  const [own] = schema['allOf'] as [object]
  for (const keyword of keywords) expect(JSON.stringify(own)).toContain(`"${keyword}":`)
})
test('in the docs: there is a row for each kind', () => {
  const kinds = new Set(rowsOf('Kinds').map(([field]) => /^\w+/.exec(field)?.[0]))
  expect(
    [
      'text',
      'integer',
      'number',
      'bigInteger',
      'decimal',
      'flag',
      'instant',
      'day',
      'timeOfDay',
      'duration',
      'choice',
      'constant',
      'list',
      'tuple',
      'record',
      'table',
      'tagged',
      'either',
      'readAs',
      'anything',
    ].filter((kind) => !kinds.has(kind)),
  ).toEqual([])
})
