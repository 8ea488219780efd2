import { describe, expect, test } from '@jest/globals'
import {
  answer,
  anything,
  constant,
  either,
  instant,
  intake,
  integer,
  type JournalEvent,
  judgeParts,
  list,
  readAs,
  record,
  serve,
  table,
  text,
} from 'yosei'
import { json, one, told } from './shared.ts'

describe('secrets and pages', () => {
  test('no error shows the value of a secret that another field is compared with', () => {
    const rules = (on: never) => [(on as { equal: (...all: string[]) => never }).equal('body.secret', 'body.open')]
    expect(
      told(
        judgeParts(one(record({ secret: text({ secret: true }), open: text() }), { rules }), {
          body: { secret: 'hush', open: 'x' },
        }),
      ),
    ).toEqual(['body.open unequal: must be the same as body.secret; "x" was sent'])
  })
  test('a union with a secret branch is not written down, nor is what a gate of another type has', async () => {
    const events: JournalEvent[] = []
    const body = record({
      union: either([text({ secret: true, length: [1, 9] }), integer()]),
      plain: either([text(), integer()]),
      deep: either([record({ a: text() }), text()]),
      hidden: either([record({ a: text() }), record({ b: text({ secret: true }) }), anything()]),
      // What one branch leaves out at some depth, another declares.
      near: either([
        record({ in: list(record({ a: text() })) }),
        record({ in: list(record({ b: text({ optional: true }) })) }),
      ]),
    })
    const handle = serve(
      intake({ endpoints: { one: one(body) }, journal: { write: (event) => void events.push(event) } }),
      { one: () => Promise.reject(new Error('x')) } as never,
    )
    await handle(
      new Request('http://kr.example/', {
        method: 'POST',
        headers: json,
        body: '{"union":"hush","plain":"p","deep":{"a":"kept"},"hidden":{"a":"hush"},"near":{"in":[{"a":"x"}]}}',
      }),
    )
    expect(events[0]?.input?.split('\n').at(-1)).toBe('{"plain":"p","deep":{"a":"kept"},"near":{"in":[{"a":"x"}]}}')
  })
  test('a page writes what was sent as text, and lets nothing run', async () => {
    const odd = '<script>"&\''
    const verdict = judgeParts(
      one(table(text({ length: [9, 9], messages: { too_long: `is <b>"short"</b> & {sent}` } }))),
      { body: { [odd]: odd } },
    )
    const response = answer(verdict as never, new Request('http://kr.example', { headers: { accept: 'text/html' } }))
    const page = await response.text()
    expect(response.headers.get('content-security-policy')).toBe("default-src 'none'; style-src 'unsafe-inline'")
    expect(page).not.toContain('<script>')
    expect(page).toContain('body[&quot;&lt;script&gt;\\&quot;&amp;&#39;&quot;]')
    expect(page).toContain('is &lt;b&gt;&quot;short&quot;&lt;/b&gt; &amp; ')
  })
  test('a pointer escapes what separates it', () => {
    const verdict = judgeParts(one(table(integer())), { body: { 'a/b~c': 'x' } })
    expect(verdict.outcome === 'rejected' && verdict.errors[0]?.pointer).toBe('/a~1b~0c')
  })
})

test('the journal names what could have been sent, and was not', async () => {
  const events: JournalEvent[] = []
  const optional = { optional: true } as const
  const handle = serve(
    intake({
      endpoints: {
        one: one(record({ a: integer(optional), b: record({ c: integer(optional), d: integer() }) }), {
          query: { e: integer(optional), f: integer(optional) },
          header: { g: integer(optional) },
          cookie: { h: integer(optional) },
        }),
      },
      journal: { write: (event) => void events.push(event) },
    }),
    { one: () => 1 } as never,
  )
  await handle(new Request('http://kr.example/?f=1', { method: 'POST', headers: json, body: '{"b":{"d":"x"}}' }))
  expect(events[0]?.absent).toEqual(['query.e', 'header.g', 'cookie.h', 'body.a', 'body.b.c'])
})

test('own words of a rule may name the other value, as a client writes it', () => {
  const window = record(
    { opens: instant(), closes: instant() },
    { rules: (on) => [on.ascending('opens', 'closes', { message: 'closes at {sent}, before {value}' })] },
  )
  expect(
    told(judgeParts(one(window), { body: { opens: '2031-03-01T12:00:00Z', closes: '2031-03-01T12:00:00+01:00' } })),
  ).toEqual(['body.closes out_of_order: closes at "2031-03-01T11:00:00Z", before 2031-03-01T12:00:00Z'])
})

test('a trace has of a reader what was sent and what it made of it, once', () => {
  const twice = readAs(integer(), (value) => value * 2, { code: 'odd' })
  const { trace } = judgeParts(one(record({ a: integer(), b: twice })), { body: { a: 1, b: 2 } }, { trace: true })
  expect(trace?.readings.map(({ address, sent, read }) => [address, sent, read])).toEqual([
    ['body.a', 1, 1],
    ['body.b', 2, 4],
  ])
})

test('a sum is not checked against what is no number, and own words are cut after four thousand characters', () => {
  const limited = one(record({ all: list(integer()), most: anything() }), {
    rules: (on: never) => [
      (on as { sumWithin: (...all: unknown[]) => never }).sumWithin('body.all[]', { atMost: 'body.most' }),
    ],
  })
  const codes = (most: unknown) =>
    told(judgeParts(limited, { body: { all: [1, 2], most } }))?.map((text) => text.split(':')[0])
  expect([codes('x'), codes(2), codes(3)]).toEqual([['body.most wrong_type'], ['body.all above_max'], undefined])
  const spoken = one(text({ length: [9, 9], messages: { too_short: () => `a${'b'.repeat(5000)}` } } as never))
  const [long] = told(judgeParts(spoken, { body: 'x' })) ?? []
  expect(long).toBe(`body too_short: a${'b'.repeat(3999)}…`)
})

test('where all is text, the branch that a constant names speaks alone', () => {
  const body = either([
    record({ by: constant('card'), number: text(), name: text(), until: text() }),
    record({ by: constant('transfer'), iban: text() }),
  ])
  const verdict = judgeParts(one(body), { body: { by: 'card', iban: 'x' } }, { text: true })
  expect(verdict.outcome === 'rejected' && verdict.errors.map(({ address, code }) => `${address} ${code}`)).toEqual([
    'body.number missing',
    'body.name missing',
    'body.until missing',
    'body.iban unlisted',
  ])
})
