// biome-ignore-all format: a table reads line by line
/** What bodies and queries carry besides one JSON value: lines, JSON in the parts of a form, records in records. */
import { expect, test } from '@jest/globals'
import { bigInteger, endpoint, type Field, file, flag, instant, intake, integer, judge, judgeParts, later, lines, list, record, serve, table, tagged, text, tuple, write } from 'yosei'
import * as web from '../dist/adapt/platform-web.js'
import { judgeOn } from '../dist/internals.js'

const optional = { optional: true } as const
interface Filter { not?: Filter; name?: string }
const not: Field<Filter, unknown> = record({ not: later(() => not, optional), name: text(optional) }) as never
const filter = record({ window: record({ from: integer(optional), tags: list(text(), optional), labels: table(text(), optional) }, optional), name: text(optional), not: later(() => not, optional) }, optional)
const app = intake({ limits: { uri: '20kB' }, endpoints: {
  find: endpoint('GET /s', { query: { filter } }),
  weather: endpoint('POST /w', { uniqueNames: true, body: lines(record({ at: instant(), seconds: integer({ max: 60 }), more: list(record({ a: integer() }), optional), 'a"b': integer(optional) }), { length: [1, 10], distinct: 'at' }), rules: (on) => [on.sumWithin('body[].seconds', { atMost: 100 })] }),
  other: endpoint('POST /o', { body: { 'application/jsonl': list(integer()) } }),
  form: endpoint('POST /f', { body: { 'application/x-www-form-urlencoded': record({ agree: flag(), filter }) } }),
  parts: endpoint('POST /p', { body: { 'multipart/form-data': record({
    plate: file({ ...optional, bytes: '1kB' }), meta: record({ n: integer(), at: instant(optional), big: bigInteger(optional) }), tags: list(record({ a: integer() }), optional), ns: list(integer(), optional), n: integer(optional), agree: flag(optional),
    pair: tuple([integer(), text()], optional), grid: list(list(integer()), optional), mode: tagged('k', { a: record({}) }, optional),
  }) } }),
} })
const told = (verdict: Awaited<ReturnType<typeof judge>>, part: 'body' | 'query') =>
  verdict.outcome === 'rejected' ? [String(verdict.status), ...verdict.errors.map(({ address, code, line, column }) => `${address} ${code}${line === undefined ? '' : ` ${line}:${column}`}`)] : (verdict as { input: { [part: string]: unknown } }).input[part]

test.each<[string, unknown]>([
  ['?filter[window][from]=5&filter[window][tags]=a&filter[window][tags]=b&filter[window][labels][x.y]=z&filter[name]=n', { filter: { window: { from: 5, tags: ['a', 'b'], labels: { 'x.y': 'z' } }, name: 'n' } }],
  ['?filter%5Bwindow%5D%5Bfrom%5D=5', { filter: { window: { from: 5 } } }],
  ['?filter[not][not][name]=x', { filter: { not: { not: { name: 'x' } } } }],
  ['?filter[window][frm]=5&filter[wndow][from]=5&filter[name][x]=1', ['400', 'query.filter.window.frm unlisted', 'query.filter.name wrong_type', 'query.filter.wndow unlisted']],
  ['?filter[window]=5', ['400', 'query.filter.window wrong_type']],
  ['?filter[window]=5&filter[window]=6', ['400', 'query.filter.window sent_twice']],
  ['?filter[window][from]=x&filter[a]b]=1&filter[]=1&[a]=1', ['400', 'query.filter.window.from wrong_type', 'query.filter[""] unlisted', 'query["filter[a]b]"] unlisted', 'query["[a]"] unlisted']],
  ['?filter[__proto__][x]=1', ['400', 'query.filter.__proto__ unlisted']],
  [`?filter${'[not]'.repeat(3000)}[name]=x`, ['400', `query.filter${'.not'.repeat(65)} too_large`]],
])('a query %s', async (query, expected) => expect(told(await judge(app, `GET /s${query} HTTP/1.1`), 'query')).toEqual(expected))

const line = (seconds: unknown, second = 0) => `{"at":"2031-03-01T00:00:0${second}Z","seconds":${JSON.stringify(seconds)}}`
const read = (seconds: number, second = 0) => ({ at: new Date(Date.UTC(2031, 2, 1, 0, 0, second)), seconds })
test.each<[string, string, unknown]>([
  ['lines', `${line(5)}\n\r\n${line(6, 1)}\r\n  \n`, [read(5), read(6, 1)]],
  ['one without an end, behind a mark', `\ufeff${line(5)}`, [read(5)]],
  ['each judged, whatever becomes of others', `${line(5)}\n\n${line(99, 1)}\r\n{"at":\n  {"seconds": "x", "more": [ {"a":1}, {"a": "2"} ], "at":"2031-03-01T00:00:02Z", "q":{}, "a\\"b": true}\n[]`, ['400', 'body[1].seconds above_max 3:40', 'body[2] bad_syntax 4:7', 'body[3].seconds wrong_type 5:15', 'body[3].more[1].a wrong_type 5:45', 'body[3]["a\\"b"] wrong_type 5:98', 'body[3].q unlisted 5:86', 'body[4] wrong_type 6:1']],
  ['what is missing, at what should hold it', '{"seconds":5.00000000000000001}', ['422', 'body[0].at missing 1:1', 'body[0].seconds not_whole 1:12']],
  ['names that stand twice', `${line(5)}\n{"seconds":1,"seconds":2}`, ['400', 'body[1].seconds sent_twice 2:12']],
  ['the same twice, and a rule', [line(5), line(96), line(50, 1)].join('\n'), ['422', 'body[1].at repeated 2:7', 'body[1].seconds above_max 2:40']],
  ['a rule over all', [line(51), line(50, 1)].join('\n'), ['422', 'body above_max']],
  ['too many', Array.from({ length: 9 }, (_, second) => line(1, second)).concat('x', 'y', 'z').join('\n'), ['400', 'body too_many', 'body[9] bad_syntax 10:1', 'body[10] bad_syntax 11:1']],
  ['none', '  \n', ['422', 'body too_few']],
])('a body of %s', async (_, body, expected) => {
  for (const type of ['application/x-ndjson', 'application/jsonl; charset=utf-8'])
    expect(told(await judge(app, `POST /w HTTP/1.1\nContent-Type: ${type}\n\n${body}`), 'body')).toEqual(expected)
})
test('lines are written, taken by their media types alone, and a list', async () => {
  const request = write(app.endpoints.weather, 'http://x', { path: {}, query: {}, header: {}, body: [read(5), read(6, 1)] })
  expect([request.headers.get('content-type'), await request.clone().text()]).toEqual(['application/x-ndjson', '{"at":"2031-03-01T00:00:00Z","seconds":5}\n{"at":"2031-03-01T00:00:01Z","seconds":6}\n'])
  expect(told(await judge(app, request), 'body')).toEqual([read(5), read(6, 1)])
  expect(told(await judge(app, `POST /w HTTP/1.1\nContent-Type: application/json\n\n[${line(5)}]`), 'body')).toEqual(['415', 'header.content-type wrong_media_type'])
  expect(told(await judge(app, 'POST /o HTTP/1.1\nContent-Type: application/jsonl\n\n1\n2'), 'body')).toEqual([1, 2])
  expect(() => endpoint('POST /', { body: { 'application/x-ndjson': record({}) } })).toThrow('lines are a list')
})
test('a journalled failure keeps lines and records in a query as they were sent', async () => {
  const inputs: (string | undefined)[] = []
  const failing = intake({ journal: { write: ({ input }) => inputs.push(input) }, endpoints: { put: endpoint('POST /x', { query: { filter }, body: lines(integer()) }) } })
  await serve(failing, { put: () => { throw new Error('x') } })(new Request('http://x/x?filter[window][from]=5', { method: 'POST', body: '1\n2\n', headers: { 'content-type': 'application/jsonl' } }))
  expect(inputs).toEqual(['POST /x?filter[window][from]=5 HTTP/1.1\ncontent-type: application/jsonl\n\n1\n2'])
})

const json = (value: unknown) => new Blob([JSON.stringify(value)], { type: 'application/json' })
test.each<[string, (form: FormData) => void, unknown]>([
  ['a record', (form) => form.append('meta', '{"n":5}'), { meta: { n: 5 } }],
  ['what its part says', (form) => { form.append('meta', json({ n: 5, at: '2031-03-01T00:00:00Z', big: '5' })); form.append('n', json(7)); form.append('ns', '1'); form.append('ns', json([2, 3])); form.append('agree', 'on') }, { meta: { n: 5, at: new Date('2031-03-01T00:00:00Z'), big: 5n }, ns: [1, 2, 3], n: 7, agree: true }],
  ['records, one by one and at once', (form) => { form.append('meta', '{"n":5}'); form.append('tags', '{"a":1}'); form.append('tags', json([{ a: 2 }, { a: 3 }])) }, { meta: { n: 5 }, tags: [{ a: 1 }, { a: 2 }, { a: 3 }] }],
  ['lists and unions', (form) => { form.append('meta', '{"n":5}'); form.append('pair', '1'); form.append('pair', 'b'); form.append('grid', '[1,2]'); form.append('grid', '[3]'); form.append('mode', '{"k":"a"}'); form.append('tags', json([])) }, { meta: { n: 5 }, tags: [], pair: [1, 'b'], grid: [[1, 2], [3]], mode: { k: 'a' } }],
  ['strictly', (form) => { form.append('meta', '{"n":"5","m":1}'); form.append('tags', '{"a":"1"}'); form.append('n', '8'); form.append('ns', json(['3'])) }, ['422', 'body.meta.n wrong_type', 'body.meta.m unlisted', 'body.tags[0].a wrong_type', 'body.ns[0] wrong_type']],
  ['what is no JSON', (form) => { form.append('meta', '{"n":'); form.append('tags', 'x') }, ['400', 'body.meta bad_syntax 1:6', 'body.tags[0] bad_syntax 1:1']],
  ['twice', (form) => { form.append('meta', '{"n":5}'); form.append('meta', '{"n":5}') }, ['422', 'body.meta sent_twice']],
  ['empty', (form) => form.append('meta', ''), ['422', 'body.meta missing']],
  ['a file where none is', (form) => { form.append('meta', '{"n":5}'); form.append('n', new Blob(['x'], { type: 'image/png' })) }, ['422', 'body.n wrong_type']],
])('a form with JSON in its parts: %s', async (_, fill, expected) => {
  const request = () => { const form = new FormData(); fill(form); return new Request('http://x/p', { method: 'POST', body: form }) }
  expect(told(await judge(app, request()), 'body')).toEqual(expected)
  expect(told(await judgeOn(web, app, request()), 'body')).toEqual(expected)
})
test('a form with JSON in its parts is written, and held to its limit', async () => {
  const body = { meta: { n: 5, big: 5n }, tags: [{ a: 1 }], ns: [1, 2] }
  expect(told(await judge(app, write(app.endpoints.parts, 'http://x', { path: {}, query: {}, header: {}, body } as never)), 'body')).toEqual(body)
  const form = new FormData()
  form.append('meta', json({ n: 5, x: 'x'.repeat(1_100_000) }))
  expect(told(await judge(app, new Request('http://x/p', { method: 'POST', body: form })), 'body')).toEqual(['413', 'body too_large'])
})
test.each(['agree=on', 'agree=true', 'agree=1', 'agree'])('a form %s', async (body) => {
  expect(told(await judge(app, `POST /f HTTP/1.1\nContent-Type: application/x-www-form-urlencoded\n\n${body}&filter[name]=n`), 'body')).toEqual({ agree: true, filter: { name: 'n' } })
  expect(judgeParts(endpoint('GET /', { query: { agree: flag() } }), { query: { agree: 'on' } }).outcome).toBe('rejected')
  expect(judgeParts(app.endpoints.form, { body: { agree: 'on' } }, { text: true }).outcome).toBe('accepted')
})
