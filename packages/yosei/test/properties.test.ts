/** What holds for every declaration and every input. */
import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import {
  answer,
  anything,
  either,
  endpoint,
  type Field,
  intake,
  integer,
  judge,
  judgeParts,
  later,
  list,
  record,
  table,
  text,
  write,
} from 'yosei'
import { bothVerdicts, enginePairs, json, samples } from './samples.ts'

const runs = Number(process.env.PROPERTY_RUNS ?? 400)

test('what is written is read again', async () => {
  const withValue = samples(6).chain(({ field, values }) => values.map((value) => ({ field, value })))
  await fc.assert(
    fc.asyncProperty(withValue, async ({ field, value }) => {
      const put = endpoint('PUT /', { body: record({ value: field }) })
      const verdict = await judge(
        intake({ endpoints: { put } }),
        write(put, 'https://kr.example', { path: {}, body: { value } } as never),
      )
      expect(verdict.outcome === 'accepted' ? (verdict.input as { body: unknown }).body : verdict.errors).toEqual({
        value,
      })
    }),
    { numRuns: runs },
  )
})

interface Tree {
  parts: Tree[]
}
const tree: Field<Tree> = record({ parts: list(later(() => tree)), free: anything({ optional: true }) }) as never
const deep = (open: string, inside: string, close: string) =>
  JSON.parse(open.repeat(100_000) + inside + close.repeat(100_000))
const cyclic = { parts: [] as unknown[], self: {} }
cyclic.parts.push(cyclic, cyclic)
cyclic.self = cyclic
let wide: object = { parts: [] }
for (let i = 0; i < 60; i++) wide = { parts: [wide, wide] }

test('no input throws, hangs, touches a prototype, or is answered with a message that has gaps', () => {
  const before = JSON.stringify(Object.getOwnPropertyNames(Object.prototype))
  const judged = (field: Field, value: unknown, how: object) => {
    const body = endpoint('PUT /', {
      body: record({ value: field }, { unlisted: 'keep' }),
      query: { value: list(text(), { optional: true }) },
    })
    const verdict = judgeParts(
      body,
      { body: { value, kept: value }, query: { value: value as string } },
      { trace: true, ...how },
    )
    if (verdict.outcome === 'rejected')
      return Object.values(verdict.errorsByField)
        .flat()
        .map(({ message }) => message)
    return []
  }
  fc.assert(
    fc.property(samples(3), json, fc.boolean(), ({ field }, value, text) => {
      const messages = [...judged(field, value, { text }), ...judged(field, undefined, { text })]
      // Every place in a text is filled: what was sent is quoted, and has no such names.
      expect(messages.filter((message) => /\{(?:limit|sent|other|when|elsewhere|value|forms)\b/.test(message))).toEqual(
        [],
      )
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

test('no size or nesting of a message makes it hang', async () => {
  const app = intake({
    endpoints: {
      put: endpoint('PUT /', {
        query: { a: list(text(), { length: [0, 9], optional: true }) },
        header: { a: text({ optional: true }) },
        body: record({ a: text({ format: 'uri' }) }),
      }),
    },
  })
  const put = (target: string, body: string, headers: [string, string][] = []) =>
    judge(app, { method: 'PUT', target, headers: [['content-type', 'application/json'], ...headers], body })
  const many = 200_000
  for (const verdict of await Promise.all([
    put(`/?${'a&'.repeat(many)}`, '{}'),
    put(`/?${'a=&'.repeat(many)}`, '{}'),
    put(`/?${Array.from({ length: 100_000 }, (_, index) => `a${index}`).join('&')}`, '{}'),
    put('/', `"${'a'.repeat(8 * many)}`),
    put('/', '['.repeat(many)),
    put('/', JSON.stringify({ a: `http://a/${'%41'.repeat(many)} ` })),
    put('/', JSON.stringify(Object.fromEntries(Array.from({ length: 100_000 }, (_, index) => [`a${index}`, 1])))),
    put(
      '/',
      '{}',
      Array.from({ length: 100_000 }, () => ['a', 'b']),
    ),
    put('/x'.repeat(many), '{}'),
  ])) {
    expect(verdict.outcome).toBe('rejected')
  }
})

test('no secret is told', async () => {
  const secret = 'xyzzy'
  const hidden = (field: Field) => ({ ...field, secret: true }) as Field
  await fc.assert(
    fc.asyncProperty(samples(3), json, fc.boolean(), async ({ field }, value, text) => {
      const laced = JSON.parse(JSON.stringify(value ?? null), (_, one) =>
        typeof one === 'string' ? `${secret}${one}` : one,
      ) as unknown
      const put = endpoint('PUT /', {
        header: { authorization: field.kind === 'text' ? field : integer({ optional: true }) },
        body: record({
          a: hidden(field),
          b: hidden(record({ c: field, d: integer() })),
          e: record({ f: list(hidden(field)) }),
        }),
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

test('both engines say the same: verdict, errors in their order, and input', () => {
  let accepted = 0
  let rejected = 0
  fc.assert(
    fc.property(enginePairs, (pair) => {
      for (const { outcome, compiled, interpreted } of bothVerdicts(pair)) {
        expect(compiled).toBe(interpreted)
        // Two that fail alike would say the same.
        expect(compiled).not.toContain('"status":500')
        if (outcome === 'accepted') accepted++
        else rejected++
      }
    }),
    { numRuns: Number(process.env.ENGINE_RUNS ?? 300) },
  )
  // Both ways must be walked often, or the comparison says little.
  expect(Math.min(accepted, rejected)).toBeGreaterThan(accepted + rejected > 10_000 ? 500 : 0)
})
