// biome-ignore-all format: a table reads line by line
/** Forms with files as they come over the wire (RFC 2046, section 5.1; RFC 7578): on this machine and on the web, whole and byte by byte. */
import { expect, test } from '@jest/globals'
import { endpoint, file, intake, integer, judge, list, outline, record, text } from 'yosei'
import * as web from '../dist/adapt/platform-web.js'
import { judgeOn } from '../dist/internals.js'

const optional = { optional: true } as const
const fields = { title: text(optional), n: integer(optional), meta: record({ a: integer() }, optional), tags: list(text(), optional), ns: list(integer(), optional), plate: file({ ...optional, bytes: 20 }), plates: list(file({ bytes: 20 }), optional) }
const app = intake({ limits: { body: 300, parts: 4 }, endpoints: {
  put: endpoint('PUT /x', { body: { 'multipart/form-data': record(fields) } }),
  keep: endpoint('PUT /keep', { unlisted: { body: 'keep' }, body: { 'multipart/form-data': record(fields) } }),
  drop: endpoint('PUT /drop', { unlisted: { body: 'drop' }, body: { 'multipart/form-data': record(fields) } }),
} })
type Upload = { name: string; type: string; bytesNow(): Promise<Uint8Array> }
const isUpload = (value: unknown): value is Upload => typeof (value as Upload | null)?.bytesNow === 'function'
const plain = async (value: unknown): Promise<unknown> =>
  isUpload(value) ? `${value.name} ${value.type} ${Buffer.from(await value.bytesNow()).toString('latin1')}`
  : Array.isArray(value) ? Promise.all(value.map(plain))
  : typeof value === 'object' && value !== null ? Object.fromEntries(await Promise.all(Object.entries(value).map(async ([name, one]) => [name, await plain(one)] as const)))
  : value
const told = async (verdict: Awaited<ReturnType<typeof judge>>) =>
  verdict.outcome === 'rejected' ? [verdict.status, ...verdict.errors.map(({ address, code, message }) => `${address} ${code}${code === 'bad_syntax' ? `: ${message.replace('could not be read as a form: ', '')}` : ''}`)] : await plain((verdict as { input: { body: unknown } }).input.body)

/** A part, with its header fields behind the name. */
const part = (name: string, content: string, more = '') => `--X\r\nContent-Disposition: form-data; name="${name}"${more}\r\n\r\n${content}\r\n`
const png = '\r\nContent-Type: image/png'
const plate = (content: string, filename = 'a.png') => part('plate', content, `; filename="${filename}"${png}`)
const end = '--X--\r\n'
const X = 'multipart/form-data; boundary=X'
const utf8 = (value: string) => Buffer.from(value).toString('latin1')

const noBoundary = 'body bad_syntax: the boundary of its parts is missing, or has more than 70 characters'
const rows: readonly (readonly [what: string, body: string, expected: unknown, contentType?: string, target?: string])[] = [
  // Boundaries.
  ['a text', part('title', 'a') + end, { title: 'a' }],
  ['nothing', end, {}],
  ['a boundary with blanks behind it', `--X \t \r\n${part('title', 'a').slice(5)}--X  \r\n${part('n', '5').slice(5)}${end}`, { title: 'a', n: 5 }],
  ['text before the first boundary and after the last', `for old readers\r\n${part('title', 'a')}${end}more\r\n--X\r\n`, { title: 'a' }],
  ['lines that begin like a boundary', part('title', '-\r\n--\r\n--Y\r\n -X') + end, { title: '-\r\n--\r\n--Y\r\n -X' }],
  ['a boundary with more on its line', `${part('title', 'a')}--Xy\r\nb\r\n${end}`, [400, 'body bad_syntax: a boundary line has more than the boundary']],
  ['no last boundary', part('title', 'a'), [400, 'body bad_syntax: it ends inside a part']],
  ['a last boundary that is cut', `${part('title', 'a')}--X-`, [400, 'body bad_syntax: it ends inside a part']],
  ['another boundary than is said', part('title', 'a') + end, [400, 'body bad_syntax: it ends inside a part'], 'multipart/form-data; boundary=Y'],
  ['a boundary, and a semicolon', part('title', 'a') + end, { title: 'a' }, `${X};`],
  ['a boundary in quotes, escaped', part('title', 'a') + end, { title: 'a' }, 'multipart/form-data; boundary="\\X"'],
  ['empty parameters before the boundary', part('title', 'a') + end, { title: 'a' }, 'multipart/form-data;; ; boundary=X'],
  ['a boundary with blanks and signs', (part('title', 'a') + end).replaceAll('--X', "--a b'()+_,-./:=?"), { title: 'a' }, 'multipart/form-data; boundary="a b\'()+_,-./:=?"'],
  ['no boundary', part('title', 'a') + end, [400, noBoundary], 'multipart/form-data'],
  ['the longest boundary', (part('title', 'a') + end).replaceAll('--X', `--${'x'.repeat(70)}`), { title: 'a' }, `multipart/form-data; boundary=${'x'.repeat(70)}`],
  ['a longer one', (part('title', 'a') + end).replaceAll('--X', `--${'x'.repeat(71)}`), [400, noBoundary], `multipart/form-data; boundary=${'x'.repeat(71)}`],
  ['an empty boundary', part('title', 'a') + end, [400, noBoundary], 'multipart/form-data; boundary=""'],
  // Texts.
  ['a text of several lines', part('title', 'a\nb\r\n\r\nc') + end, { title: 'a\nb\r\n\r\nc' }],
  ['a text that is not ASCII', part('title', utf8('\ufeffé日')) + end, { title: '\ufeffé日' }],
  ['a text that is not UTF-8', part('title', '\xff\xfe') + end, [400, 'body bad_syntax: a text is not UTF-8']],
  ['a text that breaks off in a character', part('title', '\xe6\x97') + end, [400, 'body bad_syntax: a text is not UTF-8']],
  ['a text that says it is UTF-8, and is none', part('title', '\xff', '\r\nContent-Type: text/plain; charset=utf-8') + end, [400, 'body bad_syntax: a text is not UTF-8']],
  ['JSON that is not UTF-8', part('meta', '{"a":"\xff"}', '\r\nContent-Type: application/json') + end, [400, 'body bad_syntax: a text is not UTF-8']],
  ['JSON as a file that is not UTF-8', part('meta', '{"a":"\xff"}', '; filename="blob"\r\nContent-Type: application/json') + end, [400, 'body bad_syntax: a text is not UTF-8']],
  ['another charset', part('title', 'a', '\r\nContent-Type: text/plain; charset=iso-8859-1') + end, [400, 'body bad_syntax: a text is not UTF-8']],
  ['a charset of ASCII', part('title', 'a', '\r\nContent-Type: text/plain; charset=US-ASCII') + end, { title: 'a' }],
  ['JSON as a file', part('meta', '{"a":1}', '; filename="blob"\r\nContent-Type: application/json') + end, { meta: { a: 1 } }],
  // Header fields.
  ['names in any case, and a line that is folded', `--X\r\ncontent-DISPOSITION: form-data;\r\n name=title\r\nX-Other: 1\r\n\r\na\r\n${end}`, { title: 'a' }],
  ['a name in quotes, escaped', part('ti\\"tle', 'a') + end, [422, 'body["ti\\"tle"] unlisted']],
  ['names as browsers write them', part('ti%22tle%0d%0A%2F', 'a') + end, [422, 'body["ti\\"tle\\r\\n%2F"] unlisted']],
  ['no header fields', `--X\r\n\r\na\r\n${end}`, [400, 'body bad_syntax: a part has no Content-Disposition of form-data']],
  ['a part that does not say what it is', `--X\r\nContent-Type: text/plain\r\n\r\na\r\n${end}`, [400, 'body bad_syntax: a part has no Content-Disposition of form-data']],
  ['another disposition', `--X\r\nContent-Disposition: attachment; name="title"\r\n\r\na\r\n${end}`, [400, 'body bad_syntax: a part has no Content-Disposition of form-data']],
  ['a part without a name', `--X\r\nContent-Disposition: form-data\r\n\r\na\r\n${end}`, [400, 'body bad_syntax: a part has no name']],
  ['an empty name', part('', 'a') + end, [400, 'body bad_syntax: a part has no name']],
  ['parameters that are none', `--X\r\nContent-Disposition: form-data; name="title"; x\r\n\r\na\r\n${end}`, [400, 'body bad_syntax: a part has no name']],
  ['a line that is no field', `--X\r\nContent-Disposition: form-data; name="title"\r\nwhat is this\r\n\r\na\r\n${end}`, [400, 'body bad_syntax: a line among the header fields of a part is none']],
  ['a line with a lone CR', part('title', 'a', '\r\nX: a\rb') + end, [400, 'body bad_syntax: a line among the header fields of a part is none']],
  ['a field twice', `--X\r\nContent-Disposition: form-data; name="title"\r\nContent-Disposition: form-data; name="n"\r\n\r\n1\r\n${end}`, [400, 'body bad_syntax: a part has the field Content-Disposition twice']],
  ['header fields without an end', `--X\r\nContent-Disposition: form-data; name="title"\r\n${part('n', '5')}${end}`, [400, 'body bad_syntax: the header fields of a part do not end']],
  ['a transfer encoding', part('title', 'YQ==', '\r\nContent-Transfer-Encoding: base64') + end, [400, 'body bad_syntax: a part has a Content-Transfer-Encoding; send its bytes as they are']],
  ['a transfer encoding that changes nothing', part('title', 'a', '\r\nContent-Transfer-Encoding: 8BIT') + end, { title: 'a' }],
  // Files.
  ['a file', plate('\x89P\r\n\0\xff') + end, { plate: 'a.png image/png \x89P\r\n\0\xff' }],
  ['an empty file', plate('') + end, { plate: 'a.png image/png ' }],
  ['no file chosen', part('plate', '', '; filename=""\r\nContent-Type: application/octet-stream') + end, {}],
  ['no file chosen, and no name said', part('plate', '', '\r\nContent-Type: application/octet-stream') + end, {}],
  ['a file without a name', part('plate', 'abc', '; filename=""\r\nContent-Type: application/octet-stream') + end, [400, 'body bad_syntax: a file has no name']],
  ['bytes that do not say they are a file', part('plate', 'abc', '\r\nContent-Type: application/octet-stream') + end, { plate: ' application/octet-stream abc' }],
  ['a picture without a name', part('plate', 'abc', `; filename=""${png}`) + end, [400, 'body bad_syntax: a file has no name']],
  ['a file of no type', part('plate', 'abc', '; filename="a"') + end, { plate: 'a application/octet-stream abc' }],
  ['a file name that is not ASCII', plate('a', utf8('é 日.png')) + end, { plate: 'é 日.png image/png a' }],
  ['a path as a file name', plate('a', '../../etc/passwd') + plate('b', 'C:\\dir\\b.png').replaceAll('plate', 'plates') + end, { plate: 'passwd image/png a', plates: ['b.png image/png b'] }],
  ['a file name by RFC 8187', part('plate', 'a', `; filename="x"; filename*=UTF-8''%c3%a9.png${png}`) + end, { plate: 'é.png image/png a' }],
  ['a broken file name by RFC 8187', part('plate', 'a', `; filename*=UTF-8''%zz${png}`) + end, [400, 'body bad_syntax: a part has a filename* that cannot be read']],
  ['a file that is too large', plate('x'.repeat(21)) + end, [413, 'body.plate too_large']],
  ['the second of a list that is too large', (plate('x') + plate('x'.repeat(21))).replaceAll('plate', 'plates') + end, [413, 'body.plates[1] too_large']],
  ['a text where a file belongs', part('plate', 'abc') + end, [422, 'body.plate wrong_type']],
  ['a file where a text belongs', part('title', 'abc', `; filename="a.txt"\r\nContent-Type: text/plain`) + end, [422, 'body.title wrong_type']],
  ['a file where an object belongs', part('meta', '{"a":1}', `; filename="a.txt"\r\nContent-Type: text/plain`) + end, [422, 'body.meta wrong_type']],
  ['a file in a list of texts', part('tags', 'a') + part('tags', 'b', `; filename="b"${png}`) + end, [422, 'body.tags[1] wrong_type']],
  ['a file among numbers', part('ns', '1') + part('ns', 'b', `; filename="b"${png}`) + end, [422, 'body.ns[1] wrong_type']],
  ['an undeclared file', part('plat', 'x'.repeat(400), `; filename="b"${png}`) + end, [422, 'body.plat unlisted']],
  ['an undeclared file, dropped', part('plat', 'abc', `; filename="b"${png}`) + end, {}, X, '/drop'],
  ['an undeclared file, kept', part('plat', 'abc', `; filename="b"${png}`) + end, { plat: 'b image/png abc' }, X, '/keep'],
  ['an undeclared file, kept and too large', part('plat', 'x'.repeat(400), `; filename="b"${png}`) + end, [413, 'body too_large'], X, '/keep'],
  // Limits.
  ['as many parts as may be', part('tags', 'a').repeat(4) + end, { tags: ['a', 'a', 'a', 'a'] }],
  ['one part more', part('tags', 'a').repeat(5) + end, [413, 'body too_many_parts']],
  ['a text that is too large', part('title', 'x'.repeat(301)) + end, [413, 'body too_large']],
]
test.each(rows.map((row, index) => [row[0], index] as const))('a form with %s', async (_, index) => {
  const [, body, expected, type = X, target = '/x'] = rows[index] as (typeof rows)[number]
  const bytes = Buffer.from(body, 'latin1')
  const request = (size: number) => {
    let at = 0
    const stream = new ReadableStream({ pull(to) { if (at >= bytes.length) return to.close(); to.enqueue(new Uint8Array(bytes.subarray(at, at + size))); at += size } })
    return new Request(`http://x${target}`, { method: 'PUT', headers: { 'content-type': type }, body: stream, duplex: 'half' } as RequestInit)
  }
  for (const size of [bytes.length, 7, 1]) {
    expect([size, await told(await judge(app, request(size)))]).toEqual([size, expected])
    expect(['web', size, await told((await judgeOn(web, app, request(size))) as never)]).toEqual(['web', size, expected])
  }
})

test.each(['compiled', 'interpreted'] as const)('rules read the size, the type and the name of files, %s', async (engine) => {
  const body = record({ cover: file({ optional: true }), files: list(file({ optional: true }), { optional: true }), most: integer({ optional: true }) })
  const up = endpoint('POST /up', {
    body: { 'multipart/form-data': body },
    rules: (on) => [
      on.sumWithin('body.files[].bytes', { atMost: '0.01kB' }), on.distinct('body.files[].name'),
      on.absent('body.most', on.in('body.cover.type', ['image/png'])), on.ascending('body.cover.bytes', 'body.most', { orEqual: true }),
      on.sumWithin(['body.cover.bytes', 'body.files[].bytes'], { exactly: 'body.most' }, { code: 'other_size' }),
    ],
  })
  const files = intake({ endpoints: { up }, engine })
  const send = async (...parts: [name: string, content: string, type?: string, filename?: string][]) => {
    const form = new FormData()
    for (const [name, content, type, filename = 'a'] of parts) form.append(name, ...(type === undefined ? [content] : [new File([content], filename, { type })]) as [string])
    const verdict = await judge(files, new Request('http://h/up', { method: 'POST', body: form }))
    return verdict.outcome === 'rejected' ? verdict.errors.map(({ address, code, limit }) => `${address} ${code} ${limit}`) : verdict.outcome
  }
  const [text, image] = ['text/plain', 'image/png']
  expect([
    await send(['files', '12345', text, 'x'], ['files', '12345', text, 'y']),
    await send(['files', '12345', text, 'x'], ['files', '123456', text, 'x']),
    await send(['cover', 'abc', image], ['most', '3']),
    await send(['cover', 'abcd', text], ['most', '3']),
    await send(['cover', 'abc', text], ['files', 'é', text], ['most', '5']),
    await send(['most', '5']),
  ]).toEqual(['accepted', ['body.files above_max 0.01kB', 'body.files[1] repeated undefined'], ['body.most not_allowed_here undefined'], ['body.cover.bytes other_size 3', 'body.most out_of_order undefined'], 'accepted', 'accepted'])
  expect(outline(files).endpoints.up?.rules.map(({ words }) => words)).toContain('body.files must add up to no more than 0.01kB')
})
