/** Every error that a client meets, as it is reported in English and in German: words.txt is read by people. */
import { readFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { expect, test } from '@jest/globals'
import * as core from 'yosei'
import { answer, type Endpoint, endpoint, type Field, intake, judge, judgeParts, record } from 'yosei'
import { readJsonSchema } from 'yosei/json-schema'

const yosei = { ...core, readJsonSchema }

const page = readFileSync(join(dirname(fileURLToPath(import.meta.url)), 'words.txt'), 'utf8')
const now = new Date('2031-03-01T12:00:00Z')
/** What a line of the page declares and sends: in JSON, in a query, or in parts of an endpoint. */
const value = (source: string) => new Function(...Object.keys(yosei), `return (${source})`)(...Object.values(yosei))
const ways: { readonly [how: string]: (declared: never, raw: string) => unknown } = {
  json: (field: Field, raw) =>
    judgeParts(endpoint('POST /', { body: record({ a: field }) }), { body: { a: value(raw) } }, { now }),
  query: (field: Field, raw) =>
    judge(intake({ endpoints: { a: endpoint('GET /', { query: { a: field } }) } }), `GET /?${raw} HTTP/1.1`, { now }),
  parts: (declared: Endpoint, raw) => judgeParts(declared, value(raw), { now }),
}
test.each(
  page
    .trim()
    .split('\n\n')
    .map((entry) => entry.split('\n')),
)('%s', async (line = '', english, german) => {
  const [how = '', declared = '', raw = ''] = line.split(' ¦ ')
  const verdict = await ways[how]?.(value(declared) as never, raw)
  const told = ['en', 'de'].map(async (language) => {
    const response = answer(verdict as never, { headers: { 'accept-language': language } })
    return ((await response.json()) as { detail: string }).detail
  })
  expect(await Promise.all(told)).toEqual([english, german])
})

test('no address of a mistake is inside out', () => {
  const one = yosei.text({ optional: true })
  const kids = record({ a: one, b: one }, { rules: (on) => [on.needed('a', on.sent('b'))] })
  expect(() =>
    endpoint('POST /', { body: record({ kids: yosei.list(yosei.readAs(kids, (one) => one, { code: 'x' })) }) }),
  ).toThrow('body.kids[]:')
})
