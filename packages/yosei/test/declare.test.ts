/**
 * Declarations: what makes no sense, variants, own words, hints; and what else reads them: the trace, write, outline.
 */

import { readFileSync } from 'node:fs'
import { describe, expect, test } from '@jest/globals'
import {
  adding,
  allOptional,
  anything,
  bigInteger,
  choice,
  constant,
  DeclarationError,
  day,
  decimal,
  duration,
  either,
  endpoint,
  type Field,
  file,
  flag,
  instant,
  intake,
  integer,
  judge,
  judgeParts,
  later,
  list,
  number,
  only,
  outline,
  readAs,
  record,
  table,
  tagged,
  text,
  tuple,
  UnacceptableError,
  without,
  write,
} from 'yosei'

const post = (body: Field) => endpoint('POST /x', { body })
const errors = (verdict: ReturnType<typeof judgeParts>) =>
  verdict.outcome === 'rejected' ? verdict.errors.map(({ address, message }) => `${address} ${message}`) : ['accepted']

describe('a declaration that makes no sense throws, naming the address and the mend', () => {
  // biome-ignore lint/suspicious/noExplicitAny: these declarations are wrong for the compiler too
  const any = (value: unknown) => value as any
  const loop: Field = record({ inner: later(() => loop) })
  const nothing: Field = later(() => nothing)
  test.each<[string, () => unknown, RegExp | string]>([
    [
      'a default that its field rejects',
      () => post(record({ a: integer({ max: 5, default: 7 }) })),
      /body\.a: its own default is rejected: it must be at most 5; 7 was sent\. Give/,
    ],
    [
      'a default rejected inside',
      () => post(record({ a: list(text({ length: [2, 3] }), { default: ['ab', 'c'] }) })),
      /body\.a\[1\]: its own default/,
    ],
    [
      'min above max',
      () => post(record({ a: list(integer({ min: 5, max: 1 })) })),
      /POST \/x, body\.a\[\]: the lower limit 5 leaves nothing below the upper limit 1\. Swap/,
    ],
    ['above at below', () => post(number({ above: 1, below: 1 })), /lower limit 1/],
    ['bigints out of order', () => post(bigInteger({ min: 2n, max: 1n })), /lower limit 2/],
    ['decimals out of order', () => post(decimal({ min: '10', max: '9.99' })), /lower limit 10/],
    ['a decimal limit that is none', () => post(decimal({ min: 'x' })), /"x" is no decimal/],
    ['more digits after the point than in all', () => post(decimal({ digits: 2, scale: 3 })), /lower limit 3/],
    ['a length out of order', () => post(text({ length: [5, 2] })), /lower limit 5/],
    ['a length below zero', () => post(list(text(), { length: [-1, 2] })), /counts nothing/],
    ['a step of zero', () => post(integer({ step: 0 })), /Give a step above zero/],
    ['an instant that is none', () => post(instant({ from: 'soon' })), /"soon" is no instant/],
    ['instants out of order', () => post(instant({ from: '+2d', until: '+1d' })), /lower limit \+2d/],
    ['a day that is none', () => post(day({ until: '2031-02-30' })), /"2031-02-30" is no day/],
    ['a zone that is none', () => post(day({ zone: 'Mars/Olympus' })), /"Mars\/Olympus" is no time zone/],
    [
      'a span that is none',
      () => post(duration({ max: any('2 hours') })),
      "max takes a span of time, and not '2 hours'. Write max: '30s'",
    ],
    ['an empty choice', () => post(choice([])), /body: the choice is empty\. Give/],
    ['a choice twice', () => post(choice(['1', 1])), /has 1 twice/],
    [
      'a pattern that takes exponential time',
      () => post(table(text({ pattern: /^(a+)+$/ }))),
      /body\{\}: the pattern \/\^\(a\+\)\+\$\/ can take exponential time/,
    ],
    ['names by such a pattern', () => post(table(text(), { names: /^(\w|\d)*$/ })), /the names .* exponential/],
    [
      'an optional path parameter',
      () => endpoint('GET /x/{id}', { path: { id: text({ optional: true }) } }),
      /path\.id: is a path parameter and may not be left out/,
    ],
    [
      'a path parameter with a default',
      () => endpoint('GET /x/{id}', { path: { id: text({ default: 'a' }) } }),
      /path\.id/,
    ],
    [
      'a path parameter unlisted',
      () => endpoint('GET /x/{id}', any({ path: {} })),
      /path\.id: the template has this parameter/,
    ],
    [
      'a path field that the template lacks',
      () => endpoint('GET /x', any({ path: { id: text() } })),
      /path\.id: this is no parameter of the template/,
    ],
    [
      'header names that differ in case',
      () => endpoint('GET /x', { header: { 'X-A': text(), 'x-a': text() } }),
      /header\.x-a: two names differ only in case/,
    ],
    [
      'days that leave nothing between them, both by the clock',
      () => post(day({ from: '+3d', until: '+2d' })),
      /the lower limit \+3d leaves nothing below the upper limit \+2d/,
    ],
    [
      'a list of records in a form',
      () =>
        endpoint('POST /', {
          body: { 'application/x-www-form-urlencoded': record({ a: record({ b: list(record({})) }) }) },
        }),
      /a form has no way to carry this record/,
    ],
    [
      'a branch of a branch that declares the tag',
      () => endpoint('POST /', { body: tagged('d', { r: tagged('k', { z: record({ d: text() }) }) } as never) }),
      /the branch r declares d, the tag/,
    ],
    [
      'a branch that declares the tag',
      () => post(tagged('kind', { a: record({ kind: text() }) })),
      /the branch a declares kind, the tag/,
    ],
    ['a branch that is no record', () => post(tagged('kind', { a: text() })), /the branch a is no record/],
    ['a union without branches', () => post(either([])), /no branch/],
    ['a later that comes to nothing', () => post(nothing), /later never comes to a value|holds itself/],
    ['a record that holds itself', () => post(loop), /body(\.inner)?: holds itself without end\. Make/],
    ['a body on GET', () => endpoint('GET /x', { body: text() }), /GET has no body/],
    ['a body on HEAD', () => endpoint('HEAD /x', { body: text() }), /HEAD has no body/],
    ['an empty template', () => endpoint('GET ', {}), /must begin with a slash/],
    ['no method', () => endpoint('/x', {}), /no method and path template/],
    ['a template without its slash', () => endpoint('GET x', {}), /must begin with a slash/],
    ['a name twice', () => endpoint('GET /{a}/{a}', { path: { a: text() } }), /\{a\} stands twice/],
    ['half a parameter', () => endpoint('GET /a-{b', any({})), /"a-\{b" is no segment/],
    [
      'two endpoints for the same requests',
      () =>
        intake({
          endpoints: {
            a: endpoint('GET /x/{a}', { path: { a: text() } }),
            b: endpoint('GET /x/{b}', { path: { b: text() } }),
          },
        }),
      /b: a matches the same requests/,
    ],
    [
      'an option that there is not',
      () => post(any(text)({ lenght: [1, 2] })),
      'body: text has no option lenght. Write length: [1, 80].',
    ],
    ['a field that is none', () => post(any(record)({ a: 5 })), /body\.a: is no field/],
    ['distinct by nothing', () => post(any(list)(record({ a: text() }), { distinct: 'b' })), /have no field b/],
    [
      'a record in a path',
      () => endpoint('GET /{a}', { path: { a: record({}) } }),
      /path\.a: a path has no way to carry this record/,
    ],
    [
      'a list of lists in a query',
      () => endpoint('GET /', { query: { a: list(list(text())) } }),
      /query\.a: a query has no way/,
    ],
    [
      'a rule on what is not there',
      () => endpoint('POST /x', { body: record({ a: text() }), rules: (on) => [on.equal('body.a', any('body.b'))] }),
      /rule equal: body\.b is not declared/,
    ],
  ])('%s', (_, declare, message) => {
    expect(declare).toThrow(DeclarationError)
    expect(declare).toThrow(message)
  })
  test.each<[string, () => unknown]>([
    ['POST /a, body: "json" is no media type', () => endpoint('POST /a', { body: { json: text() } as never })],
    ['is no media type', () => endpoint('POST /a', { body: { '*/json': text() } })],
    [
      'a form is a record, not text',
      () => endpoint('POST /a', { body: { 'application/x-www-form-urlencoded': text() } }),
    ],
    [
      'body.a: a file comes in no such part',
      () => endpoint('POST /a', { body: { 'multipart/form-data': record({ a: record({ b: file() }) }) } }),
    ],
    [
      'a file comes in no such part',
      () => endpoint('POST /a', { body: { 'application/x-www-form-urlencoded': record({ a: file() }) } }),
    ],
    ['query.a: a file comes in no such part', () => endpoint('GET /a', { query: { a: list(file()) } })],
    ['cookie.a: a cookie has no way to carry this list', () => endpoint('GET /a', { cookie: { a: list(text()) } })],
    ['a text is one value, not list', () => endpoint('POST /a', { body: { 'text/csv': list(text()) } })],
    ['this media type has no values to read', () => endpoint('POST /a', { body: { 'image/png': text() } })],
    ['"PNG" is no media type', () => endpoint('POST /a', { body: { 'image/png': file({ types: ['PNG'] }) } })],
    [
      "bytes takes a number of bytes, or a size, and not '5 MB'",
      () => endpoint('POST /a', { body: { 'image/png': file({ bytes: '5 MB' as never }) } }),
    ],
    ['body, application/json: JSON carries no file', () => endpoint('POST /a', { body: record({ a: file() }) })],
    [
      "GET /a: limits.body takes a number of bytes, or a size, and not '64 kB'. Write body: '64kB'",
      () => endpoint('GET /a', { limits: { body: '64 kB' as never } }),
    ],
    [
      'intake: limits has no option size. Its options are uri headers',
      () => intake({ endpoints: {}, limits: { size: 1 } as never }),
    ],
  ])('%s', (message, declare) => {
    expect(declare).toThrow(DeclarationError)
    expect(declare).toThrow(message)
  })
  test('what only looks odd does not', () => {
    expect(() =>
      endpoint('POST /{id}', {
        path: { id: list(integer()) },
        query: { filter: record({ a: list(text()) }, { optional: true }), n: integer({ min: 1, max: 1 }) },
        body: record({
          a: instant({ from: '2031-01-01T00:00:00Z', until: '+1d' }),
          b: later(() => constant(null)),
          c: tuple([flag()], { default: [true] }),
        }),
      }),
    ).not.toThrow()
  })
})

describe('patterns are told apart by what they can cost', () => {
  const said = {
    exponential: /can take exponential time/,
    superlinear: /slows down with the length of the text\. .*; or give the text a length/,
    undecided: /takes cannot be analysed: .* trusted: true/,
  }
  const lines = readFileSync(new URL('./patterns.txt', import.meta.url), 'utf8').split('\n')
  const patterns = (name: string) => {
    const start = lines.indexOf(`# ${name}`) + 1
    const end = lines.findIndex((line, index) => index >= start && (line.startsWith('# ') || line === ''))
    return lines.slice(start, end).map((line) => {
      const [, source = '', flags] = /^\/(.*)\/([a-z]*)$/.exec(line) ?? []
      return new RegExp(source, flags)
    })
  }
  test.each(['exponential', 'superlinear', 'undecided'] as const)(
    '%s ones are refused, unless they are trusted',
    (kind) => {
      for (const pattern of patterns(kind)) {
        expect(() => post(text({ pattern }))).toThrow(said[kind])
        expect(() => post(table(text(), { names: pattern }))).toThrow(said[kind])
        expect(() => post(text({ pattern, trusted: true }))).not.toThrow()
      }
    },
  )
  test('everyday ones are taken, and are soon done on whatever text', () => {
    const everyday = patterns('everyday')
    expect(everyday.length).toBeGreaterThan(200)
    for (const pattern of everyday) {
      expect(() => post(text({ pattern }))).not.toThrow()
      for (const unit of ['a', '1', 'ab', '1.', 'a-', ' ', '"', '/a', ',', 'A1', '\\n'])
        expect(typeof pattern.test(`${unit.repeat(40_000)}\u0000`)).toBe('boolean')
    }
  })
  test('a length says how many steps a pattern takes at most', () => {
    const taken = (pattern: RegExp, most: number) => {
      try {
        post(text({ pattern, length: [0, most] }))
        return true
      } catch {
        return false
      }
    }
    expect([50, 64, 100].map((most) => taken(/a+$/, most))).toEqual([true, true, false])
    expect([20, 254].map((most) => taken(/^[^\s@]+@[^\s@]+\.[^\s@]+$/, most))).toEqual([true, false])
    expect([3, 31].map((most) => taken(/^(?:\d+,?){20}$/, most))).toEqual([true, false])
    expect(taken(/^(a+)+$/, 5)).toBe(false)
  })
})

describe('variants of a record', () => {
  const session = record(
    { name: text({ tidy: ['trim'], default: 'new' }), seconds: integer({ min: 1 }), note: text({ optional: true }) },
    { unlisted: 'drop' },
  )
  const read = (field: Field, body: unknown) => {
    const verdict = judgeParts(post(field), { body })
    return verdict.outcome === 'accepted'
      ? (verdict.input as { body: unknown }).body
      : verdict.errors.map(({ address, code }) => `${address} ${code}`)
  }
  test.each<[string, Field, unknown, unknown]>([
    ['all optional, without defaults', allOptional(session), {}, {}],
    ['all optional, limits stay', allOptional(session), { seconds: 0, name: ' a ' }, ['body.seconds below_min']],
    ['only', only(session, ['name']), { seconds: 0 }, { name: 'new' }],
    ['without', without(session, ['seconds', 'note']), {}, { name: 'new' }],
    [
      'adding, and options stay',
      adding(session, { night: day() }),
      { seconds: 1, night: '2031-03-01', other: 1 },
      { name: 'new', seconds: 1, night: '2031-03-01' },
    ],
    ['adding instead', adding(session, { seconds: text() }), { seconds: 'a' }, { name: 'new', seconds: 'a' }],
    ['the first is as it was', session, { seconds: 2 }, { name: 'new', seconds: 2 }],
  ])('%s', (_, field, body, expected) => {
    expect(read(field, body)).toEqual(expected)
  })
})

test('own words: one text, by code, by function, and never the value of a secret', () => {
  const field = record({
    a: text({ length: [2, 3], messages: 'is two or three letters, not {sent}' }),
    b: integer({
      max: 5,
      messages: { above_max: 'is {limit} at most', wrong_type: ({ sent }) => `is no number: ${sent}` },
    }),
    c: integer({
      max: 5,
      messages: {
        above_max: () => {
          throw new Error('inside')
        },
      },
    }),
    d: text({
      length: [2, 3],
      secret: true,
      messages: { too_short: ({ limit, sent }) => `${limit} ${sent}`, too_long: 'not {sent}' },
    }),
    e: readAs(
      text(),
      () => {
        throw new Error('inside')
      },
      { code: 'bad_link', message: 'is no link: {sent}' },
    ),
  })
  expect(errors(judgeParts(post(field), { body: { a: 'x', b: 7, c: 7, d: 'x', e: 'y' } }))).toEqual([
    'body.a is two or three letters, not "x"',
    'body.b is 5 at most',
    'body.c must be at most 5; 7 was sent',
    'body.d 2 undefined',
    'body.e is no link: "y"',
  ])
  expect(errors(judgeParts(post(field), { body: { a: 'ab', b: '{sent}', c: 1, d: 'long', e: 'y' } }))).toEqual([
    'body.b is no number: {sent}',
    'body.d must have at most 3 characters',
    'body.e is no link: "y"',
  ])
})

test('a misspelt name is put right, and a value sent in another part is pointed at', async () => {
  const app = intake({
    unlisted: { body: 'drop' },
    endpoints: {
      book: endpoint('POST /x/{id}', {
        path: { id: text() },
        query: { limit: integer() },
        header: { 'x-team': text() },
        unlisted: { body: 'refuse' },
        body: record({ note: text(), sessions: list(text()) }),
      }),
    },
  })
  const verdict = await judge(
    app,
    'POST /x/1?x-team=a&note=b HTTP/1.1\nContent-Type: application/json\nSessions: a\n\n{"limit":5,"seesions":[]}',
  )
  expect(errors(verdict as never)).toEqual([
    'query.limit must be sent here; it was sent as body.limit',
    'query.x-team is not known here; it belongs in header.x-team',
    'query.note is not known here',
    'header.x-team must be sent here; it was sent as query.x-team',
    'body.note must be sent here; it was sent as query.note',
    'body.sessions must be sent here; it was sent as header.sessions',
    'body.limit is not known here; it belongs in query.limit',
    'body.seesions is not known here; sessions is',
  ])
  const long = Object.fromEntries(Array.from({ length: 40 }, (_, i) => [`note${i}`, 1]))
  const suggested = errors(
    judgeParts(post(record({ note: text() })), { body: { note: 'a', ...long, ['n'.repeat(65)]: 1 } }),
  ).filter((line) => line.includes('; note is'))
  expect(suggested).toHaveLength(8)
})

test('unlisted names and coercion follow the nearest setting', () => {
  const body = record({ a: integer(), inner: record({ b: integer({ optional: true }) }, { unlisted: 'refuse' }) })
  const { one, own } = intake({
    coerce: true,
    unlisted: { body: 'keep', query: 'drop' },
    endpoints: {
      one: endpoint('POST /a', { body }),
      own: endpoint('POST /b', { body, coerce: false, unlisted: { body: 'refuse' } }),
    },
  }).endpoints
  const sent = { query: { z: '1' }, body: { a: '1', x: [1], inner: { y: 1 } } }
  expect(errors(judgeParts(one, sent))).toEqual(['body.inner.y is not known here'])
  expect(judgeParts(one, { ...sent, body: { a: '1', x: [1], inner: {} } })).toMatchObject({
    input: { query: {}, body: { a: 1, x: [1], inner: {} } },
  })
  expect(errors(judgeParts(own, sent))).toEqual([
    'body.a must be a whole number; "1" was sent; send it without quotes',
    'body.inner.y is not known here',
    'body.x is not known here',
  ])
})

test('a form gives text, and one part can be judged alone', () => {
  const book = endpoint('POST /x/{id}', {
    path: { id: integer() },
    query: { limit: integer() },
    body: record({
      seconds: integer(),
      dark: flag({ default: false }),
      tags: list(text(), { optional: true }),
      at: instant({ optional: true }),
    }),
    rules: (on) => [
      on.ascending('query.limit', 'body.seconds'),
      on.check({ reads: ['body.seconds'], code: 'odd', holds: (seconds) => seconds % 2 === 0 }),
    ],
  })
  expect(
    judgeParts(book, { body: { seconds: '60', tags: 'a', at: '' } }, { text: true, only: ['body'] }),
  ).toMatchObject({ outcome: 'accepted', input: { body: { seconds: 60, dark: false, tags: ['a'] } } })
  expect(errors(judgeParts(book, { body: { seconds: '61' } }, { text: true, only: ['body'] }))).toEqual([
    'body.seconds is not accepted',
  ])
  expect(errors(judgeParts(book, { path: { id: 'x' } }, { only: ['path', 'query'] }))).toEqual([
    'path.id must be a whole number; "x" was sent',
    'query.limit must be sent',
  ])
})

test('the trace tells each reading, and of each rule whether it ran and why not', () => {
  const book = endpoint('POST /x', {
    query: { limit: integer({ default: 5 }) },
    body: record({
      from: instant(),
      until: instant(),
      hours: readAs(text({ secret: true }), (value) => value.length, { code: 'odd' }),
      id: text({ readOnly: 'drop' }),
      note: text({ optional: true }),
      pick: either([integer(), text()]),
      mode: tagged('mode', { one: record({ n: integer({ coerce: true }) }) }),
    }),
    rules: (on) => [
      on.ascending('body.from', 'body.until'),
      on.ascending('query.limit', 'body.mode.n'),
      on.differ('body.note', 'body.pick' as never),
      on.atLeastOne('body.note', 'body.pick'),
    ],
  })
  const { trace } = judgeParts(
    book,
    {
      body: {
        from: '2031-01-01T00:00:00Z',
        until: 'never',
        hours: 'hidden',
        id: 'a',
        pick: 'b',
        mode: { mode: 'one', n: '7' },
      },
    },
    { trace: true },
  )
  expect(trace).toEqual({
    readings: [
      { address: 'query.limit', sent: undefined, read: 5, how: 'default' },
      { address: 'body.from', sent: '2031-01-01T00:00:00Z', read: new Date('2031-01-01T00:00:00Z'), how: 'as is' },
      { address: 'body.until', sent: 'never', read: undefined, how: 'as is' },
      { address: 'body.hours', sent: '(secret)', read: '(secret)', how: 'as is' },
      { address: 'body.id', sent: 'a', read: undefined, how: 'dropped' },
      { address: 'body.note', sent: undefined, read: undefined, how: 'as is' },
      { address: 'body.pick', sent: 'b', read: 'b', how: 'as is' },
      { address: 'body.mode.mode', sent: 'one', read: 'one', how: 'as is' },
      { address: 'body.mode.n', sent: '7', read: 7, how: 'from text' },
    ],
    steps: [
      { stage: 'read', outcome: 'passed' },
      { stage: 'shape', outcome: 'failed' },
      { stage: 'rules', name: 'ascending body.from body.until', outcome: 'not run', because: 'body.until is wrong' },
      { stage: 'rules', name: 'ascending query.limit body.mode.n', outcome: 'passed' },
      { stage: 'rules', name: 'differ body.note body.pick', outcome: 'not run', because: 'body.note was not sent' },
      { stage: 'rules', name: 'atLeastOne body.note body.pick', outcome: 'passed' },
    ],
  })
})

describe('queries and headers carry lists and records', () => {
  const search = endpoint('GET /x/{ids}', {
    path: { ids: list(integer()) },
    query: {
      tags: list(text(), { optional: true }),
      bars: list(text(), { style: 'pipeDelimited', optional: true }),
      blanks: list(text(), { style: 'spaceDelimited', optional: true }),
      commas: list(text(), { explode: false, optional: true }),
      filter: record(
        { state: text(), n: list(integer(), { optional: true }), up: flag({ optional: true }) },
        { optional: true },
      ),
      rest: table(integer(), { optional: true }),
      deep: readAs(list(text(), { optional: true }), (all) => all.join(), {
        code: 'odd',
        write: (all) => all.split(','),
      }),
    },
    header: { accept: list(text(), { optional: true }) },
  })
  const app = intake({ endpoints: { search } })
  test.each<[string, unknown]>([
    ['/x/1,2?tags=a&tags=b', { path: { ids: [1, 2] }, query: { tags: ['a', 'b'] } }],
    [
      '/x/1?bars=a%7Cb|c%2C&blanks=a+b%20c&commas=a,b%2Cc',
      { query: { bars: ['a', 'b', 'c,'], blanks: ['a', 'b', 'c'], commas: ['a', 'b,c'] } },
    ],
    ['/x/1?commas=a%2Cb&tags=', { query: { commas: ['a,b'] } }],
    ['/x/1?commas=a,,b', ['query.commas[1] missing']],
    [
      '/x/1?filter[state]=a&filter%5Bn%5D=1&filter[n]=2&filter[up]&rest[__proto__]=1&rest[b]=2',
      { query: { filter: { state: 'a', n: [1, 2], up: true }, rest: JSON.parse('{"__proto__":1,"b":2}') } },
    ],
    [
      '/x/1?filter[n]=x&filter[z]=1&other[a]=1&filter[state]=%ff',
      [
        'query.filter.state bad_encoding',
        'query.filter.n[0] wrong_type',
        'query.filter.z unlisted',
        'query["other[a]"] unlisted',
      ],
    ],
    [
      `/x/1?${'l'.repeat(300)}A=1&o=1&${'l'.repeat(300)}B=1`,
      ['A', 'B']
        .flatMap((end, index) => [
          `query["${'l'.repeat(32)} … 301 characters, ${['c0412a0c3016f5f2', 'c3412ec5aa2b2b87'][index]} … ${'l'.repeat(11)}${end}"] unlisted`,
          'query.o unlisted',
        ])
        .slice(0, 3),
    ],
    ['/x/1?filter=a&tags[x]=1', ['query.filter wrong_type', 'query["tags[x]"] unlisted']],
    ['/x/1,b?deep=1&deep=2', ['path.ids[1] wrong_type']],
  ])('%s', async (target, expected) => {
    const verdict = await judge(app, { method: 'GET', target })
    if (verdict.outcome === 'accepted') expect(verdict.input).toMatchObject(expected as object)
    else
      expect(verdict.errors.map(({ address, code }) => `${address} ${code}`)).toEqual(
        expected === undefined ? [] : Array.isArray(expected) ? expected : verdict,
      )
  })
  test('and write sends them so that they are read again', async () => {
    const input = {
      path: { ids: [1, 2] },
      query: {
        tags: ['a b', 'c&d', 'é'],
        bars: ['xy', 'z'],
        blanks: ['p', 'r'],
        commas: ['1,2', '3'],
        filter: { state: "it's 100%", n: [1, 2], up: false },
        rest: { a: 1 },
        deep: 'm,n',
      },
      header: { accept: ['a', 'b c'] },
      body: undefined,
    }
    const request = write(search, 'https://kr.example/', input)
    expect(request.url).toBe(
      'https://kr.example/x/1,2?tags=a%20b&tags=c%26d&tags=%C3%A9&bars=xy|z&blanks=p%20r&commas=1%2C2,3&filter%5Bstate%5D=it%27s%20100%25&filter%5Bn%5D=1&filter%5Bn%5D=2&filter%5Bup%5D=false&rest%5Ba%5D=1&deep=m&deep=n',
    )
    expect(await judge(app, request)).toMatchObject({ outcome: 'accepted' })
  })
})

describe('write', () => {
  const hours = readAs(text({ pattern: /^\d+h$/ }), (value) => Number.parseInt(value, 10), {
    code: 'odd',
    write: (value) => `${value}h`,
  })
  const put = endpoint('PUT /odd/{name}', {
    path: { name: text() },
    query: { at: instant({ optional: true }) },
    header: { 'x-team': text({ optional: true }) },
    body: record({
      big: bigInteger(),
      when: instant(),
      took: duration(),
      hours,
      price: decimal(),
      pick: either([integer(), instant()]),
      mode: tagged('mode', { a: record({ at: instant({ optional: true }) }) }),
      pair: tuple([day(), duration()]),
      free: anything(),
      notes: table(instant()),
    }),
  })
  const app = intake({ base: '/api', endpoints: { put } })
  const when = new Date('2031-03-01T12:00:00Z')
  const input = {
    path: { name: 'a/b ?#%é' },
    query: { at: when },
    header: { 'x-team': 'red one' },
    body: {
      big: 12345678901234567890n,
      when,
      took: 5_400_500,
      hours: 5,
      price: '1.50',
      pick: when,
      mode: { mode: 'a' as const, at: when },
      pair: ['2031-03-01', 0] as [string, number],
      free: { a: [null] },
      notes: { a: when },
    },
  }
  test('sends what a handler receives, so that it is received again', async () => {
    const request = write(put, 'https://kr.example/api', input)
    expect([request.method, request.url, request.headers.get('content-type')]).toEqual([
      'PUT',
      'https://kr.example/api/odd/a%2Fb%20%3F%23%25%C3%A9?at=2031-03-01T12%3A00%3A00Z',
      'application/json',
    ])
    expect(await request.clone().json()).toMatchObject({
      big: '12345678901234567890',
      took: 'PT1H30M0.5S',
      hours: '5h',
      pick: '2031-03-01T12:00:00Z',
    })
    expect(await judge(app, request)).toEqual({ outcome: 'accepted', endpoint: 'put', input: { ...input, cookie: {} } })
  })
  test('sends what a client sends as it is', async () => {
    const request = write(put, 'https://kr.example/api', {
      ...input,
      query: {},
      body: {
        ...input.body,
        big: '5',
        when: '2031-03-01T13:00:00+01:00',
        took: 'PT1H',
        hours: '5h',
        pick: 7,
        mode: { mode: 'a' },
        pair: ['2031-03-01', 'PT0S'],
        notes: {},
      },
    })
    expect(await judge(app, request)).toMatchObject({
      outcome: 'accepted',
      input: { body: { big: 5n, when, took: 3_600_000, hours: 5, pick: 7 } },
    })
  })
  test.each<[string, object, string[]]>([
    [
      'what the endpoint rejects',
      { body: { ...input.body, price: '1,5', hours: 'x' } },
      ['body.hours wrong_pattern', 'body.price wrong_type'],
    ],
    ['a dot as a path segment', { path: { name: '..' } }, ['path.name bad_encoding']],
    ['a lone surrogate', { path: { name: '\ud800' } }, ['path.name bad_encoding']],
    ['a header field of two lines', { header: { 'x-team': 'a\nb: c' } }, ['header.x-team bad_encoding']],
  ])('throws at %s, with the error map', (_, change, expected) => {
    let thrown: unknown
    try {
      write(put, 'https://kr.example/api', { ...input, ...change } as never)
    } catch (error) {
      thrown = error
    }
    expect(thrown).toBeInstanceOf(UnacceptableError)
    expect((thrown as UnacceptableError).verdict.errors.map(({ address, code }) => `${address} ${code}`)).toEqual(
      expected,
    )
  })
})

test('outline gives plain JSON: kinds, limits, annotations, rules in words, and what holds itself by reference', () => {
  interface Tree {
    label: string
    parts: Tree[]
  }
  const tree: Field<Tree> = record({ label: text(), parts: list(later(() => tree)) }, { name: 'tree' })
  const app = intake({
    title: 'Odd',
    base: '/api',
    coerce: true,
    endpoints: {
      put: endpoint('PUT /odd/{n}', {
        title: 'Put',
        tags: ['odd'],
        success: 204,
        path: { n: bigInteger({ min: 1n }) },
        query: {
          from: instant({ default: () => new Date(), description: 'Start' }),
          until: instant({ optional: true }),
        },
        body: record({
          a: text({ pattern: /^x/i, deprecated: true, messages: 'no' }),
          b: tree,
          c: readAs(choice([1, 2]), String, { code: 'odd' }),
          d: tagged('t', { x: record({}) }),
        }),
        rules: (on) => [
          on.ascending('query.from', 'query.until'),
          on.ascending('body.c', 'body.c', { orEqual: true, message: 'are in order' }),
          on.equal('body.a', 'body.d.t'),
          on.atLeastOne('body.a', 'body.b'),
          on.check({ reads: ['body.a'], code: 'odd', holds: () => true }),
        ],
      }),
    },
  })
  const described = outline(app)
  expect(JSON.parse(JSON.stringify(described))).toEqual(described)
  expect(described).toEqual({
    title: 'Odd',
    base: '/api',
    limits: {
      uri: 8000,
      headers: 16000,
      body: 1e6,
      queryValues: 200,
      parts: 1000,
      depth: 64,
      errors: 50,
      receive: 30000,
      handle: 60000,
    },
    statuses: {},
    languages: ['en', 'de'],
    endpoints: {
      put: {
        name: 'put',
        method: 'PUT',
        template: '/odd/{n}',
        title: 'Put',
        tags: ['odd'],
        success: 204,
        coerce: true,
        path: { n: { kind: 'bigInteger', need: 'required', min: '1' } },
        query: {
          from: { kind: 'instant', need: 'defaulted', computed: true, description: 'Start' },
          until: { kind: 'instant', need: 'optional' },
        },
        header: {},
        cookie: {},
        body: {
          'application/json': {
            kind: 'record',
            need: 'required',
            fields: {
              a: { kind: 'text', need: 'required', pattern: '^x', deprecated: true, messages: 'no' },
              b: {
                kind: 'record',
                need: 'required',
                name: 'tree',
                fields: {
                  label: { kind: 'text', need: 'required' },
                  parts: { kind: 'list', need: 'required', item: { kind: 'later', need: 'required', of: 'tree' } },
                },
              },
              c: {
                kind: 'readAs',
                need: 'required',
                code: 'odd',
                base: { kind: 'choice', need: 'required', values: [1, 2] },
              },
              d: {
                kind: 'tagged',
                need: 'required',
                tag: 't',
                branches: { x: { kind: 'record', need: 'required', fields: {} } },
              },
            },
          },
        },
        lookups: {},
        rules: [
          {
            rule: 'ascending',
            code: 'out_of_order',
            reads: ['query.from', 'query.until'],
            blames: ['query.until'],
            orEqual: false,
            waits: ['query.from', 'query.until'],
            words: 'query.until must come after query.from',
          },
          {
            rule: 'ascending',
            code: 'out_of_order',
            reads: ['body.c', 'body.c'],
            blames: ['body.c'],
            orEqual: true,
            message: 'are in order',
            waits: ['body.c', 'body.c'],
            words: 'body.c are in order',
          },
          {
            rule: 'equal',
            code: 'unequal',
            reads: ['body.a', 'body.d.t'],
            blames: ['body.d.t'],
            waits: ['body.a', 'body.d.t'],
            words: 'body.d.t must be the same as body.a',
          },
          {
            rule: 'atLeastOne',
            code: 'none_present',
            reads: ['body.a', 'body.b'],
            blames: ['body'],
            waits: [],
            words: 'body needs one of body.a, body.b',
          },
          {
            rule: 'check',
            code: 'odd',
            reads: ['body.a'],
            blames: ['body.a'],
            waits: [],
            words: 'body.a is checked by a custom rule',
          },
        ],
        definitions: {
          tree: {
            kind: 'record',
            need: 'required',
            name: 'tree',
            fields: {
              label: { kind: 'text', need: 'required' },
              parts: { kind: 'list', need: 'required', item: { kind: 'later', need: 'required', of: 'tree' } },
            },
          },
        },
      },
    },
  })
})

test('an example may be of a time that the clock has passed', () => {
  const opens = instant({ from: '+1h', examples: ['2001-01-01T00:00:00Z'] })
  expect(() =>
    endpoint('POST /', { body: record({ opens, night: day({ from: '+1d', examples: ['2001-01-01'] }) }) }),
  ).not.toThrow()
  expect(() => endpoint('POST /', { body: record({ opens: instant({ examples: ['soon'] }) }) })).toThrow(
    'its own example is rejected',
  )
})
