// biome-ignore-all format: a table reads line by line
/** What is written is what arrives; what cannot arrive as it is, is not written. */
import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { anything, bigInteger, choice, constant, duration, either, endpoint, epoch, file, httpDate, intake, integer, judge, list, number, readAs, record, table, text, tuple, UnacceptableError, write } from 'yosei'
import { miswritten, outcomes, writings } from './written.ts'

test('requests made at random arrive with the values that they were written from, or are refused with a place', async () => {
  const runs = Number(process.env.WRITTEN_RUNS ?? 1200)
  await fc.assert(fc.asyncProperty(writings, async (one) => expect(await miswritten(one)).toBeUndefined()), { numRuns: runs, seed: 11 })
  expect(outcomes['given back']).toBeGreaterThan(runs / 2)
  for (const part of ['path', 'query', 'header', 'cookie', 'body']) expect(outcomes[`unsendable in ${part}`] ?? 0).toBeGreaterThan(runs / 300)
})

const optional = { optional: true } as const
const app = intake({ base: '/v1', endpoints: {
  compare: endpoint('GET /compare/{base}...{head}', { path: { base: text(), head: text() } }),
  user: endpoint('GET /users/{id}', { path: { id: text() } }),
  me: endpoint('GET /users/me', {}),
  find: endpoint('GET /find', {
    query: {
      bars: list(text(), { ...optional, style: 'pipeDelimited' }), box: tuple([number(), text()], { ...optional, style: 'pipeDelimited' }), blanks: list(text(), { ...optional, style: 'spaceDelimited' }), tags: list(text(), optional), deep: record({ n: integer(optional) }, optional),
      either: either([integer(), text()], optional), url: readAs(text(optional), (value) => new URL(value), { code: 'bad_url', write: (url) => url.href }), token: text({ ...optional, secret: true, tidy: [] }),
      at: epoch({ ...optional, unit: 's' }),
      bare: readAs(text({ ...optional }), (value) => new URL(value), { code: 'bad_url' }),
    },
    header: { 'x-list': list(text(), optional), 'x-one': text(optional), since: httpDate(optional) },
    cookie: { theme: text(optional) },
  }),
  note: endpoint('POST /note', { body: { 'text/plain': text({ keepEmpty: true, nullable: true }) } }),
  free: endpoint('POST /free', { body: record({ free: anything(optional), took: duration(optional), n: number({ optional: true, nullable: true }) }) }),
  raw: endpoint('PUT /raw', { body: { 'image/*': file() } }),
  form: endpoint('POST /form', { body: { 'multipart/form-data': record({
    about: text(optional), note: text({ optional: true, nullable: true }), names: list(text({ nullable: true }), optional), pair: tuple([text(), text({ nullable: true })], optional), pick: either([integer(), text()], optional), plate: file(optional), big: bigInteger(optional), kind: choice(['a', 'b'], optional), rest: table(text(), optional),
  }) } }),
} })
type Name = keyof typeof app.endpoints
const sent = (name: Name, values: object) => write(app.endpoints[name] as never, 'https://kr.example/v1', { path: {}, query: {}, header: {}, cookie: {}, ...values } as never)
test.each<[Name, object, string[]]>([
  ['compare', { path: { base: 'v1...2', head: 'x' } }, ['path.base cannot be sent here: it would arrive as "v1"', 'path.head cannot be sent here: it would arrive as "2...x"']],
  ['compare', { path: { base: '', head: 'x' } }, ['path.base has a value that cannot be sent here']],
  ['user', { path: { id: 'me' } }, ['path.id cannot be sent here: the path would be that of GET /users/me']],
  ['user', { path: { id: '..' } }, ['path.id has a value that cannot be sent here']],
  ['user', { path: {} }, ['path.id must be sent']],
  ['find', { query: { bars: ['a|b', 'c'] } }, ['query.bars has a value that cannot be sent here']],
  ['find', { query: { blanks: ['a b'] } }, ['query.blanks has a value that cannot be sent here']],
  ['find', { query: { tags: [] } }, ['query.tags cannot be sent here: it would be lost']],
  ['find', { query: { tags: [''] } }, ['query.tags cannot be sent here: it would be lost']],
  ['find', { query: { deep: {} } }, ['query.deep cannot be sent here: it would be lost']],
  ['find', { query: { either: '5' } }, ['query.either cannot be sent here: it would arrive as 5']],
  ['find', { query: { at: 'now' }, header: { since: 5 } }, ['query.at must be a whole number; "now" was sent', 'header.since must be an HTTP date such as Sat, 01 Mar 2031 22:30:00 GMT; "5" was sent']],
  ['find', { query: { token: '' } }, ['query.token has a value that cannot be sent here']],
  ['find', { header: { 'x-list': ['a,b'] } }, ['header.x-list has a value that cannot be sent here']],
  ['find', { header: { 'x-one': 'é' } }, ['header.x-one has a value that cannot be sent here']],
  ['find', { cookie: { theme: '\ud800' } }, ['cookie.theme has a value that cannot be sent here']],
  ['note', { body: '\ufeffa' }, ['body cannot be sent here: it would arrive as "a"']],
  ['note', { body: 'a\ud800' }, ['body cannot be sent here: it would arrive as "a\ufffd"']],
  ['note', { body: null }, ['body has a value that cannot be sent here']],
  ['free', { body: { free: { a: [1n, () => 1, Number.NaN, undefined] } } }, ['body.free.a[0] has a value that cannot be sent here', 'body.free.a[1] has a value that cannot be sent here', 'body.free.a[2] has a value that cannot be sent here', 'body.free.a[3] has a value that cannot be sent here']],
  ['free', { body: { n: Number.POSITIVE_INFINITY } }, ['body.n has a value that cannot be sent here']],
  ['raw', { body: new File([], 'a', { type: 'image/png' }) }, ['body has a value that cannot be sent here']],
  ['form', { body: { plate: new File(['x'], '') } }, ['body.plate has a value that cannot be sent here']],
  ['form', { body: { plate: new File(['x'], 'a%22b') } }, ['body.plate has a value that cannot be sent here']],
  ['form', { body: { plate: new File(['x'], 'a/b') } }, ['body.plate has a value that cannot be sent here']],
  ['form', { body: { pick: '5' } }, ['body.pick cannot be sent here: it would arrive as 5']],
  ['form', { body: { names: [undefined] } }, ['body.names cannot be sent here: it would be lost']],
])('%s of %j is not written', (name, values, expected) => {
  let thrown: unknown
  try { sent(name, values) } catch (error) { thrown = error }
  expect(thrown).toBeInstanceOf(UnacceptableError)
  expect((thrown as UnacceptableError).verdict.errors.map(({ address, message }) => `${address} ${message}`)).toEqual(expected)
})
test.each<[Name, object, string]>([
  ['find', { query: { url: new URL('https://a.example/?b'), bare: 'https://c.example/' } }, '/v1/find?url=https%3A%2F%2Fa.example%2F%3Fb&bare=https%3A%2F%2Fc.example%2F'],
  ['find', { query: { bars: ['a', 'b'], blanks: ['c', 'd'], tags: ['e'] } }, '/v1/find?bars=a|b&blanks=c%20d&tags=e'],
  ['compare', { path: { base: 'v1.2', head: 'a/b' } }, '/v1/compare/v1.2...a%2Fb'],
])('%s of %j is written as %s', (name, values, expected) => {
  const { pathname, search } = new URL(sent(name, values).url)
  expect(pathname + search).toBe(expected)
})
test('a form carries its texts byte for byte, and what no text says as JSON', async () => {
  const body = { about: 'a\nb\r\n"c"\ufeff', note: null, names: ['', null, 'x', '\ud800'], pair: ['a', null], plate: new File(['\r\n--x\r\n'], `é 'b'; "c".png`, { type: 'image/png' }), big: 5n, rest: {} }
  const request = sent('form', { body })
  const came = (await judge(app, request)) as never as { input: { body: typeof body & { plate: { name: string, bytesNow(): Promise<Uint8Array> } } } }
  const { plate, ...rest } = came.input.body
  expect(rest).toEqual({ ...body, plate: undefined })
  expect([plate.name, Buffer.from(await plate.bytesNow()).toString()]).toEqual([`é 'b'; "c".png`, '\r\n--x\r\n'])
})
test.each<[string, () => unknown]>([
  ['query.a: a query has no way to carry "a|b" as an element of this style', () => endpoint('GET /', { query: { a: list(choice(['a', 'a|b']), { style: 'pipeDelimited' }) } })],
  ['query.a: a query has no way to carry "a b" as an element of this style', () => endpoint('GET /', { query: { a: list(constant('a b'), { style: 'spaceDelimited' }) } })],
  ['query.a: a query has no way to carry ""', () => endpoint('GET /', { query: { a: choice(['', 'b']) } })],
  ['header.a: a header has no way to carry "é"', () => endpoint('GET /', { header: { a: choice(['é', 'b']) } })],
  ['header.a: a header has no way to carry "a,b"', () => endpoint('GET /', { header: { a: list(choice(['a,b', 'b'])) } })],
  ['path.a: a path has no way to carry ".."', () => endpoint('GET /{a}', { path: { a: choice(['..', 'b']) } })],
  ['cookie.a: a cookie has no way to carry "\\ud800"', () => endpoint('GET /', { cookie: { a: constant('\ud800') } })],
  ['a name of a form has no backslash', () => endpoint('POST /', { body: { 'multipart/form-data': record({ 'a\\b': text() }) } })],
])('what can never be sent is said when it is declared: %s', (words, declare) => expect(declare).toThrow(words))
