/** What an edit of a line makes of the message, and what is made of what people paste. */
import { spawnSync } from 'node:child_process'
import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import {
  anything,
  bigInteger,
  choice,
  constant,
  duration,
  either,
  endpoint,
  file,
  flag,
  instant,
  integer,
  later,
  lines,
  list,
  number,
  outline,
  type RecordField,
  readAs,
  record,
  table,
  tagged,
  text,
} from 'yosei'
import {
  leftOut,
  moved,
  type Scene,
  sceneOf,
  sendRaw,
  sentTwice,
  typed,
  withFile,
  withName,
} from '../page/model/edits.ts'
import { withElement } from '../page/model/elements.ts'
import { changed, type History, redone, undone } from '../page/model/history.ts'
import type { Line } from '../page/model/lines.ts'
import { isOutOfRange } from '../page/model/range.ts'
import { withoutSecrets, withSecretsOf } from '../page/model/secrets.ts'
import { curlOf, fetchOf, fragmentOf, pasted, sharedIn, writeOf } from '../page/model/share.ts'
import { wordsOf } from '../page/model/words.ts'
import { bytesOf, fileText, textOf } from '../src/bytes.ts'
import type { FieldOutline } from '../src/terms.ts'

interface Tree {
  name: string
  children?: Tree[]
}
const tree: RecordField<Tree> = record({
  name: text(),
  children: list(
    later(() => tree),
    { optional: true },
  ),
}) as never

const order = endpoint('POST /shops/{shop}/orders/{id}.json', {
  path: { shop: text(), id: integer() },
  query: {
    limit: integer({ optional: true }),
    tag: list(text(), { optional: true }),
    sort: list(text(), { optional: true, explode: false }),
    at: record({ from: integer({ optional: true }), until: integer({ optional: true }) }, { optional: true }),
    dry: flag({ default: false }),
  },
  header: { 'x-team': text({ optional: true }) },
  cookie: { session: text({ optional: true }) },
  body: {
    'application/json': record({
      name: text(),
      count: integer(),
      size: choice([1, 2]),
      price: number({ optional: true }),
      at: instant({ optional: true }),
      code: text({ secret: true, optional: true }),
      safe: record({ pin: text({ secret: true }) }, { optional: true }),
      vault: tagged('by', { pin: record({ pin: text({ secret: true }) }), open: record({}) }, { optional: true }),
      lines: list(record({ sku: text(), amount: integer() })),
      pay: tagged('by', { card: record({ number: text() }), cash: record({}) }),
      rates: table(number(), { optional: true }),
      either: either([record({ a: integer() }), record({ b: integer(), c: integer() }), text()], { optional: true }),
      any: anything({ optional: true }),
      kind: constant('order', { optional: true }),
      big: bigInteger({ optional: true }),
      tree: later(() => tree),
    }),
    'application/x-www-form-urlencoded': record({
      name: text(),
      count: integer(),
      tag: list(text(), { optional: true }),
    }),
    'multipart/form-data': record({
      photo: file({ optional: true }),
      meta: record({ title: text() }),
      note: text({ optional: true }),
    }),
    'application/x-ndjson': lines(record({ a: integer(), b: integer({ optional: true }) })),
    'text/plain': text(),
  },
})
const outlined = outline(order)
const scene = (message: string): Scene => sceneOf(outlined, '/v1', message)
const lineAt = ({ ledger }: Scene, address: string): Line => {
  const line = ledger.lines.find((one) => one.address === address)
  if (!line) throw new Error(`no line ${address} among ${ledger.lines.map((one) => one.address).join(' ')}`)
  return line
}
type Act = (scene: Scene, line: Line) => string
const type =
  (value: string): Act =>
  (now, line) =>
    typed(now, line, value)
const raw =
  (value: string): Act =>
  (now, line) =>
    sendRaw(now, line, value)

const head = 'POST /v1/shops/a/orders/7.json'
const json = (body: string) => `${head} HTTP/1.1\nContent-Type: application/json\n\n${body}`
const form = (body: string) => `${head} HTTP/1.1\nContent-Type: application/x-www-form-urlencoded\n\n${body}`
const ndjson = (body: string) => `${head} HTTP/1.1\nContent-Type: application/x-ndjson\n\n${body}`
const parts = (body: string) => `${head} HTTP/1.1\nContent-Type: multipart/form-data; boundary=x\n\n${body}`
const part = (name: string, value: string, more = '') =>
  `--x\nContent-Disposition: form-data; name="${name}"${more}\n\n${value}\n`
const twoLines = '{"lines":[{"sku":"a","amount":1}, {"sku":"bb","amount":2}]}'

const edits: [what: string, message: string, address: string, act: Act, after: string][] = [
  ['a path', `${head} HTTP/1.1`, 'path.id', type('8'), 'POST /v1/shops/a/orders/8.json HTTP/1.1'],
  [
    'a path, encoded',
    `${head} HTTP/1.1`,
    'path.shop',
    type('a b/c?'),
    'POST /v1/shops/a%20b%2Fc%3F/orders/7.json HTTP/1.1',
  ],
  ['a path that is another', 'POST /else HTTP/1.1', 'path.id', type('9'), 'POST /v1/shops/x/orders/9.json HTTP/1.1'],
  ['a query that is there', `${head}?limit=5&x=1 HTTP/1.1`, 'query.limit', type('6'), `${head}?limit=6&x=1 HTTP/1.1`],
  ['a first query', `${head} HTTP/1.1`, 'query.limit', type('6'), `${head}?limit=6 HTTP/1.1`],
  ['one more query', `${head}?x=1 HTTP/1.1`, 'query.limit', type('a&b'), `${head}?x=1&limit=a%26b HTTP/1.1`],
  ['a bare flag', `${head}?dry HTTP/1.1`, 'query.dry', type('false'), `${head}?dry=false HTTP/1.1`],
  ['a query left out', `${head}?limit=5&x=1 HTTP/1.1`, 'query.limit', leftOut, `${head}?x=1 HTTP/1.1`],
  ['the last query left out', `${head}?limit=5 HTTP/1.1`, 'query.limit', leftOut, `${head} HTTP/1.1`],
  ['a query twice', `${head}?limit=5 HTTP/1.1`, 'query.limit', sentTwice, `${head}?limit=5&limit=5 HTTP/1.1`],
  ['raw percent', `${head}?limit=5 HTTP/1.1`, 'query.limit', raw('%zz'), `${head}?limit=%zz HTTP/1.1`],
  ['an element of a query', `${head}?tag=a&tag=b HTTP/1.1`, 'query.tag[1]', type('c'), `${head}?tag=a&tag=c HTTP/1.1`],
  [
    'one more element',
    `${head}?tag=a HTTP/1.1`,
    'query.tag',
    (now, line) => withElement(now, line, undefined),
    `${head}?tag=a&tag=a HTTP/1.1`,
  ],
  ['joined values are one', `${head}?sort=a,b HTTP/1.1`, 'query.sort', type('b,a'), `${head}?sort=b,a HTTP/1.1`],
  [
    'a record in a query',
    `${head}?at[from]=1 HTTP/1.1`,
    'query.at.until',
    type('2'),
    `${head}?at[from]=1&at%5Buntil%5D=2 HTTP/1.1`,
  ],
  ['an undeclared query', `${head}?x=1 HTTP/1.1`, 'query.x', leftOut, `${head} HTTP/1.1`],
  [
    'a name for a query',
    `${head} HTTP/1.1`,
    'query',
    (now, line) => withName(now, line, 'odd'),
    `${head}?odd=x HTTP/1.1`,
  ],
  ['a header', `${head} HTTP/1.1\nX-Team: a\nB: c`, 'header.x-team', type('b'), `${head} HTTP/1.1\nX-Team: b\nB: c`],
  ['a first header', `${head} HTTP/1.1`, 'header.x-team', type('b'), `${head} HTTP/1.1\nX-Team: b`],
  [
    'a header before a body',
    json('{}'),
    'header.x-team',
    type('b'),
    json('{}').replace('json\n\n', 'json\nX-Team: b\n\n'),
  ],
  [
    'a header with a line end',
    `${head} HTTP/1.1\nX-Team: a`,
    'header.x-team',
    type('b\nc'),
    `${head} HTTP/1.1\nX-Team: b c`,
  ],
  ['a header left out', `${head} HTTP/1.1\nX-Team: a\nB: c`, 'header.x-team', leftOut, `${head} HTTP/1.1\nB: c`],
  [
    'a header twice',
    `${head} HTTP/1.1\nX-Team: a`,
    'header.x-team',
    sentTwice,
    `${head} HTTP/1.1\nX-Team: a\nX-Team: a`,
  ],
  ['a first cookie', `${head} HTTP/1.1`, 'cookie.session', type('s'), `${head} HTTP/1.1\nCookie: session=s`],
  [
    'one more cookie',
    `${head} HTTP/1.1\nCookie: a=b`,
    'cookie.session',
    type('s'),
    `${head} HTTP/1.1\nCookie: a=b; session=s`,
  ],
  [
    'a cookie',
    `${head} HTTP/1.1\nCookie: session=a; b=c`,
    'cookie.session',
    type('s'),
    `${head} HTTP/1.1\nCookie: session=s; b=c`,
  ],
  ['a text', json('{ "name": "a" }'), 'body.name', type('say "b"'), json('{ "name": "say \\"b\\"" }')],
  ['a number', json('{"count":1}'), 'body.count', type('12'), json('{"count":12}')],
  ['no number', json('{"count":1}'), 'body.count', type('1x'), json('{"count":"1x"}')],
  ['a text of digits', json('{"name":"a"}'), 'body.name', type('5'), json('{"name":"5"}')],
  ['a choice of numbers', json('{"size":1}'), 'body.size', type('2'), json('{"size":2}')],
  ['a large number', json('{"big":1}'), 'body.big', type('9007199254740993'), json('{"big":"9007199254740993"}')],
  ['a number that is not so large', json('{"big":1}'), 'body.big', type('90071992547'), json('{"big":90071992547}')],
  ['a constant', json('{"kind":"x"}'), 'body.kind', type('1'), json('{"kind":"1"}')],
  ['anything in quotes stays so', json('{"any":"x"}'), 'body.any', type('1'), json('{"any":"1"}')],
  ['a literal that is none', json('{"name":"a"}'), 'body.name', raw('[1,'), json('{"name":[1,}')],
  [
    'a name in its place',
    json('{"name":"a","lines":[]}'),
    'body.count',
    type('1'),
    json('{"name":"a","count":1,"lines":[]}'),
  ],
  ['a name into nothing', `${head} HTTP/1.1`, 'body.name', type('a'), json('{\n  "name": "a"\n}')],
  ['a value left out', json('{"name":"a","count":1}'), 'body.name', leftOut, json('{"count":1}')],
  ['a value twice', json('{"name":"a"}'), 'body.name', sentTwice, json('{"name":"a", "name":"a"}')],
  [
    'an element moved',
    json(twoLines),
    'body.lines[1]',
    (now, line) => moved(now, line, -1),
    json('{"lines":[{"sku":"bb","amount":2}, {"sku":"a","amount":1}]}'),
  ],
  ['no further up', json(twoLines), 'body.lines[0]', (now, line) => moved(now, line, -1), json(twoLines)],
  ['an element taken out', json(twoLines), 'body.lines[0]', leftOut, json('{"lines":[{"sku":"bb","amount":2}]}')],
  [
    'an element as the last',
    json('{"lines":[{"sku":"a"}]}'),
    'body.lines',
    (now, line) => withElement(now, line, undefined),
    json('{"lines":[{"sku":"a"},{"sku":"a"}]}'),
  ],
  [
    'a first element',
    json('{"lines":[]}'),
    'body.lines',
    (now, line) => withElement(now, line, '{"sku":"e"}'),
    json('{"lines":[{"sku":"e"}]}'),
  ],
  [
    'the line of a tag',
    json('{"pay":{"by":"card","number":"1"}}'),
    'body.pay.by',
    type('cash'),
    json('{"pay":{"by":"cash","number":"1"}}'),
  ],
  [
    'what the tag leads to',
    json('{"pay":{"by":"card"}}'),
    'body.pay.number',
    type('1'),
    json('{"pay":{"by":"card","number":"1"}}'),
  ],
  [
    'a name of a table',
    json('{"rates":{"a":1}}'),
    'body.rates',
    (now, line) => withName(now, line, 'b c'),
    json('{"rates":{"a":1,"b c":0}}'),
  ],
  ['a value of a table', json('{"rates":{"a.b":1}}'), 'body.rates["a.b"]', type('2'), json('{"rates":{"a.b":2}}')],
  ['the branch that fits', json('{"either":{"b":1}}'), 'body.either.c', type('2'), json('{"either":{"b":1,"c":2}}')],
  [
    'in recursion',
    json('{"tree":{"name":"a","children":[{"name":"b"}]}}'),
    'body.tree.children[0].name',
    type('c'),
    json('{"tree":{"name":"a","children":[{"name":"c"}]}}'),
  ],
  ['an undeclared name', json('{"name":"a","x":{"y":1}}'), 'body.x.y', type('2'), json('{"name":"a","x":{"y":2}}')],
  ['a name that is called __proto__', json('{"__proto__":1}'), 'body.__proto__', type('2'), json('{"__proto__":2}')],
  ['a whole body', json('[1]'), 'body', raw('7'), json('7')],
  ['a form', form('name=a&count=1'), 'body.count', type('2 3'), form('name=a&count=2%203')],
  ['a name of a form', form('name=a'), 'body.count', type('2'), form('name=a&count=2')],
  [
    'an element of a form',
    form('tag=a'),
    'body.tag',
    (now, line) => withElement(now, line, undefined),
    form('tag=a&tag=a'),
  ],
  ['a line', ndjson('{"a":1}\n{"a":2}\n'), 'body[1].a', type('3'), ndjson('{"a":1}\n{"a":3}\n')],
  ['a name in a line', ndjson('{"a":1}\n'), 'body[0].b', type('3'), ndjson('{"a":1,"b":3}\n')],
  [
    'one more line',
    ndjson('{"a":1}'),
    'body',
    (now, line) => withElement(now, line, undefined),
    ndjson('{"a":1}\n{"a":1}'),
  ],
  ['a line taken out', ndjson('{"a":1}\n{"a":2}\n'), 'body[0]', leftOut, ndjson('{"a":2}\n')],
  ['a broken line', ndjson('{"a":\n{"a":2}\n'), 'body[0]', raw('{"a":0}'), ndjson('{"a":0}\n{"a":2}\n')],
  ['a part', parts(`${part('note', 'a')}--x--`), 'body.note', type('b'), parts(`${part('note', 'b')}--x--`)],
  [
    'a part left out',
    parts(`${part('note', 'a')}${part('y', 'z')}--x--`),
    'body.note',
    leftOut,
    parts(`${part('y', 'z')}--x--`),
  ],
  [
    'one more part',
    parts(`${part('y', 'z')}--x--`),
    'body.note',
    type('b'),
    parts(`${part('y', 'z')}${part('note', 'b')}--x--`),
  ],
  [
    'JSON in a part',
    parts(`${part('meta', '{"title":"a"}')}--x--`),
    'body.meta.title',
    type('b'),
    parts(`${part('meta', '{"title":"b"}')}--x--`),
  ],
  ['a first part', parts('').trimEnd(), 'body.note', type('b'), parts(`${part('note', 'b')}--x--`)],
  [
    'a part of JSON',
    parts('--x--'),
    'body.meta.title',
    type('b'),
    parts(
      `--x\nContent-Disposition: form-data; name="meta"\nContent-Type: application/json\n\n{ "title": "b" }\n--x--`,
    ),
  ],
  [
    'a file',
    parts(`${part('photo', 'a', '; filename="p.png"\nContent-Type: image/png')}--x--`),
    'body.photo',
    (now, line) => withFile(now, line, 'q".gif', 'image/gif', 'GIF'),
    parts(`${part('photo', 'GIF', '; filename="q_.gif"\nContent-Type: image/gif')}--x--`),
  ],
  [
    'a whole text',
    `${head} HTTP/1.1\nContent-Type: text/plain\n\na\nb`,
    'body',
    type('c\nd'),
    `${head} HTTP/1.1\nContent-Type: text/plain\n\nc\nd`,
  ],
]
test.each(edits)('%s', (_, message, address, act, after) => {
  const now = scene(message)
  expect(act(now, lineAt(now, address))).toBe(after)
})

test('lines stand in the order of the declaration, those that are not declared behind them', () => {
  const { lines: all } = scene(json('{"zz":1,"name":"a","pay":{"by":"card","q":1},"lines":[{"sku":"a"}]}')).ledger
  const under = (start: string) =>
    all.flatMap(({ address, times }) => (address.startsWith(start) ? [`${address}${times > 0 ? '' : '?'}`] : []))
  expect(under('body')).toEqual([
    'body',
    'body.name',
    'body.count?',
    'body.size?',
    'body.price?',
    'body.at?',
    'body.code?',
    'body.safe?',
    'body.vault?',
    'body.lines',
    'body.lines[0]',
    'body.lines[0].sku',
    'body.lines[0].amount?',
    'body.pay',
    'body.pay.by',
    'body.pay.number?',
    'body.pay.q',
    'body.rates?',
    'body.either?',
    'body.any?',
    'body.kind?',
    'body.big?',
    'body.tree?',
    'body.tree.name?',
    'body.tree.children?',
    'body.zz',
  ])
  expect(under('query')).toEqual([
    'query?',
    'query.limit?',
    'query.tag?',
    'query.sort?',
    'query.at?',
    'query.at.from?',
    'query.at.until?',
    'query.dry?',
  ])
})

const hushed: [what: string, message: string, kept: string][] = [
  ['in the head', `${head}?limit=1 HTTP/1.1\nAuthorization: Bearer hush\nCookie: session=hush; b=c`, 'limit=1'],
  [
    'sent twice',
    `${head} HTTP/1.1\nAuthorization: hush-one\nAuthorization: hush-two\nCookie: hush\nCookie: session=hush`,
    'POST',
  ],
  ['folded', `${head} HTTP/1.1\nAuthorization: a\n hush`, 'POST'],
  ['a name twice', json('{"name":"a","code":"hush-one","code":"hush-two"}'), '"name":"a"'],
  ['JSON that breaks off', json('{"name":"a","code":"hush","count":1'), '"name":"a"'],
  ['JSON without a colon', json('{"name":"a","code" "hush"}'), '"name":"a"'],
  ['a name with an escape, broken', json('{"name":"a","c\\u006fde":"hush"'), '"name":"a"'],
  ['a name with an escape', json('{"name":"a","c\\u006fde":"hush"}'), '"name":"a"'],
  ['another type', json('{"name":"a","code":["hush",{"x":"hush"}]}'), '"name":"a"'],
  ['a record that came as a list', json('{"name":"a","safe":[{"pin":"hush"}]}'), '"name":"a"'],
  ['an unknown branch', json('{"name":"a","vault":{"by":"else","pin":"hush"}}'), '"name":"a"'],
  ['a branch that does not say its name', json('{"name":"a","vault":{"pin":"hush"}}'), '"name":"a"'],
  ['as a form', `${head} HTTP/1.1\nContent-Type: text/odd\n\nname=a&code=hush`, 'text/odd'],
  ['very much', json(`{"name":"a","any":[${'1,'.repeat(25_000)}1],"tree":{},"code":"hush"}`), '"name":"a"'],
]
test.each(hushed)('no secret leaves the page: %s', (_, message, kept) => {
  const now = scene(message)
  const safe = withoutSecrets(now)
  expect(safe).not.toContain('hush')
  expect(safe).toContain(kept)
})

test('a text that is no message is hidden whole; what was left out comes back from the sample that has it', () => {
  expect(withoutSecrets(scene('Authorization: hush'))).toBe('(secret)')
  const message = `${head} HTTP/1.1\nAuthorization: Bearer hush\nCookie: session=hush; b=c\nContent-Type: application/json\n\n{"code":"hush","name":"a"}`
  const now = scene(message)
  expect(withoutSecrets(now)).toContain('{"code":"(secret)","name":"a"}')
  expect(withSecretsOf(scene(withoutSecrets(now)), now)).toBe(message)
  const upload = scene(parts(`${part('photo', 'BYTES', '; filename="p.png"')}--x--`))
  expect(withoutSecrets(upload)).toContain('BYTES')
  expect(withoutSecrets(upload, true)).not.toContain('BYTES')
})

test('whatever is written, it is taken apart, and what an edit does not touch stays', () => {
  const pieces = fc.constantFrom(
    'POST ',
    head,
    ' HTTP/1.1',
    '\n',
    '\n\n',
    'Content-Type: ',
    'application/json',
    'multipart/form-data; boundary=x',
    '--x',
    '--x--',
    'Content-Disposition: form-data; name="meta"',
    '{"name":',
    '"a',
    '"',
    '}',
    '[',
    ',',
    '\\',
    '?',
    '&',
    '=',
    '%',
    ': ',
    '\r',
    '\uDC80',
    'é',
    'lines',
  )
  fc.assert(
    fc.property(fc.array(pieces, { maxLength: 30 }), fc.nat(), (all, at) => {
      const message = all.join('')
      const now = scene(message)
      const sent = now.ledger.lines.filter(({ slice }) => slice)
      for (const { slice } of sent) expect(slice && slice.from <= slice.to && slice.to <= message.length).toBe(true)
      const line = sent[at % sent.length]
      if (!line?.slice) return
      const after = sendRaw(now, line, 'Q')
      expect(after.startsWith(message.slice(0, line.slice.from))).toBe(true)
      expect(after.endsWith(message.slice(line.slice.to))).toBe(true)
      for (const act of [leftOut, sentTwice]) expect(typeof act(now, line)).toBe('string')
    }),
    { numRuns: Number(process.env['PROPERTY_RUNS'] ?? 500) },
  )
})

test('bytes are the same again, whatever they are', () => {
  fc.assert(
    fc.property(fc.uint8Array({ maxLength: 60 }), (bytes) => {
      expect([...bytesOf(textOf(bytes))]).toEqual([...bytes])
      expect([...bytesOf(fileText(bytes))]).toEqual([...bytes])
      // A file that is no text has no line ends that could be rewritten.
      if (textOf(bytes).match(/[\uDC80-\uDCFF]/) && !/[\uD800-\uDBFF]/.test(textOf(bytes)))
        expect(fileText(bytes)).not.toMatch(/[\r\n]/)
    }),
  )
})

const curls: [command: string, message: string | undefined][] = [
  ["curl 'https://x.example/a?b=c#d' -H 'X-A: b' --compressed", 'GET /a?b=c HTTP/1.1\nX-A: b'],
  [
    `curl -X PUT x.example/a -d '{"a": "it'\\''s"}' -H "Content-Type: application/json"`,
    `PUT /a HTTP/1.1\nContent-Type: application/json\n\n{"a": "it's"}`,
  ],
  [
    'curl http://x.example -d a=1 -d b=2',
    'POST / HTTP/1.1\nContent-Type: application/x-www-form-urlencoded\n\na=1&b=2',
  ],
  ["curl --json '{}' --url=http://x.example/j \\\n  -s", 'POST /j HTTP/1.1\nContent-Type: application/json\n\n{}'],
  [
    "curl -XDELETE http://x.example/a -u ada:key -b 'a=b'",
    'DELETE /a HTTP/1.1\nAuthorization: Basic YWRhOmtleQ==\nCookie: a=b',
  ],
  [
    `curl http://x.example/f -F title=a -F 'photo=@a/b.png;type=image/png'`,
    'POST /f HTTP/1.1\nContent-Type: multipart/form-data; boundary=part\n\n--part\nContent-Disposition: form-data; name="title"\n\na\n--part\nContent-Disposition: form-data; name="photo"; filename="b.png"\nContent-Type: image/png\n\n(file)\n--part--',
  ],
  [
    `curl http://x.example/a --data-raw $'a\\nb\\u0021'`,
    'POST /a HTTP/1.1\nContent-Type: application/x-www-form-urlencoded\n\na\nb!',
  ],
  ['curl -I http://x.example/a', 'HEAD /a HTTP/1.1'],
  ['curl -H', undefined],
  ['GET /a HTTP/1.1\r\nA: b', 'GET /a HTTP/1.1\nA: b'],
  ['get well soon', undefined],
]
test.each(curls)('%s', (command, message) => {
  expect(pasted(command)).toBe(message)
})

test('what is copied says the same in each form, and comes back by being pasted', () => {
  const message = `${head}?a=b HTTP/1.1\nContent-Type: application/json\n\n{"name":"it's"}`
  const curl = curlOf(message, 'http://x.example')
  expect(curl).toBe(
    `curl -X 'POST' 'http://x.example/v1/shops/a/orders/7.json?a=b' \\\n  -H 'content-type: application/json' \\\n  --data-raw '{"name":"it'\\''s"}'`,
  )
  expect(pasted(curl)).toBe(message.replace('Content-Type', 'content-type'))
  expect(fetchOf(message, 'http://x.example')).toContain('"body": "{\\"name\\":\\"it\'s\\"}"')
  expect(writeOf('order', 'http://x.example', { path: { id: 7 }, body: undefined })).toBe(
    'write(order, "http://x.example", {\n  "path": {\n    "id": 7\n  }\n})',
  )
})

test('the fragment of an address is read again; another is none', async () => {
  const shared = {
    endpoint: 'order',
    draft: { message: `${head} HTTP/1.1`, now: '2031-03-01T12:00:00Z' },
    opened: 'a.md#1',
  }
  expect(await sharedIn(await fragmentOf(shared))).toEqual(shared)
  for (const odd of ['', 'section-2', '%%%', btoa('{}')]) expect(await sharedIn(odd)).toBeUndefined()
})

const fields: [field: unknown, words: string][] = [
  [integer({ min: 1, max: 9, default: 3 }), 'integer, from 1, to 9, 3 by default'],
  [text({ length: [2, 40], pattern: /^a/, optional: true }), 'text, 2 to 40 characters, like /^a/, may be left out'],
  [list(text(), { length: [1, 5], distinct: true }), 'list, 1 to 5 elements, all different'],
  [choice(['a', 'b'], { nullable: true }), 'choice, one of a, b, may be null'],
  [instant({ from: '+36h' }), 'instant, not before 36 hours from now'],
  [duration({ default: 300_000, max: '2h' }), 'duration, to 2h, PT5M by default'],
  [
    choice(['a', 'b', 'c', 'd', 'e', 'f', 'g', 'h', 'i', 'j', 'k', 'l', 'm', 'n']),
    'choice, one of a, b, c, d, e, f, g, h, i, j, k, l, and 2 more',
  ],
  [
    readAs(text({ length: [8, 13], examples: ['05:35:17.3'] }), (sent) => sent, { code: 'odd' }),
    'text, 8 to 13 characters, such as 05:35:17.3',
  ],
  [text({ secret: true }), 'text, secret'],
]
test.each(fields)('%j in words', (field, words) => {
  const { body } = outline(endpoint('POST /', { body: record({ x: field as never }) })) as {
    body: { [type: string]: { fields: { x: FieldOutline } } }
  }
  expect(wordsOf(body['application/json']?.fields.x as FieldOutline)).toBe(words)
})

const stock = endpoint('POST /stock', {
  query: { sizes: list(choice(['s', 'm', 'l'])) },
  body: record({
    shelves: list(record({ code: text(), kind: choice(['wet', 'dry']) }), { distinct: 'code' }),
    numbers: list(integer({ step: 5 }), { distinct: true }),
    days: list(instant(), { distinct: true }),
    mails: list(record({ to: text({ format: 'email' }), kind: choice(['to', 'cc']) })),
  }),
  rules: (on) => [on.distinct('body.mails[].to', 'body.mails[].kind')],
})
test.each<[address: string, body: string, after: string]>([
  ['query.sizes', '', 'sizes=s&sizes=m'],
  ['body.shelves', '{"shelves":[{"code":"A-09","kind":"wet"}]}', '{"code":"A-10","kind":"wet"}]}'],
  [
    'body.shelves',
    '{"shelves":[{"code":"A","kind":"wet"},{"code":"A2","kind":"wet"}]}',
    '{"code":"A3","kind":"wet"}]}',
  ],
  ['body.numbers', '{"numbers":[15,5,10]}', '[15,5,10,20]}'],
  ['body.days', '{"days":["2031-02-28T10:00:00Z"]}', '"2031-03-01T10:00:00Z"]}'],
  ['body.mails', '{"mails":[{"to":"ada@kr.example","kind":"to"}]}', '{"to":"ada2@kr.example","kind":"to"}]}'],
])('a new element of %s does not break what must differ: %s', (address, body, after) => {
  const message = `POST /stock?sizes=s HTTP/1.1\nContent-Type: application/json\n\n${body}`
  const own = sceneOf(outline(stock), '', message)
  expect(withElement(own, lineAt(own, address), undefined)).toContain(after)
})

test.each<[limits: object, day: string, isOut: boolean]>([
  [{ from: '+36h' }, '2031-03-02', true],
  [{ from: '+36h' }, '2031-03-03', false],
  [{ until: '+1mo' }, '2031-04-01', false],
  [{ until: '-18y' }, '2013-03-02', true],
  [{ from: '2031-05-05', until: '2031-05-06' }, '2031-05-07', true],
  [{}, '1900-01-01', false],
])('%j leaves out %s: %s', (limits, day, isOut) => {
  expect(isOutOfRange(day, limits as FieldOutline, new Date('2031-03-01T12:00:00Z'))).toBe(isOut)
})

test('what is nested deep, or is very much, stays text', () => {
  const deep = scene(json(`{"any":${'['.repeat(200)}${']'.repeat(200)}}`)).ledger.lines
  expect(Math.max(...deep.map(({ depth }) => depth))).toBe(61)
  const deeper = scene(json('['.repeat(100_000))).ledger.lines
  expect(deeper.at(-1)).toMatchObject({ address: 'body', isHead: false, codec: 'json' })
  const many = scene(json(`{"any":[${'1,'.repeat(30_000)}1]}`)).ledger.lines
  expect(many.length).toBe(20_000)
})

test('typing on in one place is one step back, and what was undone comes again', () => {
  const state = (message: string) => ({ endpoint: 'order', draft: { message } })
  let history: History = { now: state('a'), past: [], future: [] }
  for (const [message, what, at] of [
    ['ab', 'type x', 0],
    ['abc', 'type x', 500],
    ['abcd', 'type y', 600],
    ['abcde', 'type y', 5000],
    ['abcde', 'type y', 5001],
    ['abcdef', '', 5002],
    ['abcdefg', '', 5003],
  ] as const)
    history = changed(history, state(message), what, at)
  const back: string[] = []
  for (let step = undone(history); step; step = undone(step)) {
    history = step
    back.push(step.now.draft.message)
  }
  expect(back).toEqual(['abcdef', 'abcde', 'abcd', 'abc', 'a'])
  for (let step = redone(history); step; step = redone(step)) history = step
  expect([history.now.draft.message, history.past.length]).toEqual(['abcdefg', 5])
})

test('what a shell would take for its own in a copied command comes to curl as it was sent', () => {
  const odd = ["a'b`touch x`|&", '$(touch x)', 'A"; touch x #', 'A\\', '!x', '*']
  for (const one of odd) {
    const method = one.replace(/[^!#$%&'*+.^_`|~0-9A-Za-z-]/g, '')
    const message = `${method} /a?b=${encodeURIComponent(one)}[0] HTTP/1.1\nX-Own: ${one}\n\n${one}`
    const shell = spawnSync(
      'sh',
      ['-c', `curl() { for one in "$@"; do printf '%s\\0' "$one"; done; }\n${curlOf(message, 'http://x.example')}`],
      { encoding: 'utf8' },
    )
    expect([shell.stderr, shell.stdout.split('\0').slice(0, -1)]).toEqual([
      '',
      [
        '-X',
        method,
        '--globoff',
        `http://x.example/a?b=${encodeURIComponent(one)}[0]`,
        '-H',
        `x-own: ${one}`,
        '--data-raw',
        one,
      ],
    ])
  }
  for (const none of ['A(B', 'A"B', 'A;B']) expect(curlOf(`${none} / HTTP/1.1`, 'http://x.example')).toBe('')
})
