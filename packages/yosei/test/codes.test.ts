/** The reference of codes: each example passes and fails as it says, and each code has its words and its place in the docs. */
import { expect, test } from '@jest/globals'
import * as yosei from 'yosei'
import { type Endpoint, endpoint, type Field, intake, judge, judgeParts, record } from 'yosei'
import { codes } from 'yosei/codes'

const value = (source: string) => new Function(...Object.keys(yosei), `return (${source})`)(...Object.values(yosei))
const ways = {
  json: (declared: Field, sent: string) =>
    judgeParts(endpoint('POST /', { body: record({ a: declared }) }), { body: { a: value(sent) } }),
  query: (declared: Field, sent: string) =>
    judge(intake({ endpoints: { a: endpoint('GET /', { query: { a: declared } }) } }), `GET /?${sent} HTTP/1.1`),
  endpoint: (declared: Endpoint, sent: string) => judgeParts(declared, { body: value(sent) }),
}

test.each(Object.values(codes).flatMap(({ code, example }) => (example ? [{ code, ...example }] : [])))(
  'the example of $code',
  async ({ code, of, declared, good, bad, message }) => {
    const judged = (sent: string) => ways[of](value(declared) as never, sent)
    expect((await judged(good)).outcome).toBe('accepted')
    const verdict = await judged(bad)
    expect(verdict.outcome === 'rejected' && verdict.errors.map((one) => [one.code, one.message])).toEqual([
      [code, message],
    ])
  },
)

test('each code has words in each language', () => {
  for (const { code, words } of Object.values(codes))
    for (const language of ['en', 'de'])
      expect([code, Object.keys(words[language] ?? {}).length > 0]).toEqual([code, true])
})
