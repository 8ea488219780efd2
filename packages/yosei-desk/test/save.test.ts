/** What is saved into a book: its own block and nothing else, with the verdict that the block gets. */
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, test } from '@jest/globals'
import { endpoint, intake, integer, readAs, record, text } from 'yosei'
import { readBook } from 'yosei-cli/book'
import { kit } from '../../yosei-cli/dist/kit.js'
import { createBench } from '../dist/bench.js'
import { startDesk } from '../dist/desk.js'
import { putFile } from '../dist/put.js'
import { savedPage } from '../dist/save.js'
import type { Decided, Decision, Draft, Undecided } from '../src/terms.js'

const app = intake({
  endpoints: {
    put: endpoint('PUT /things/{id}', {
      path: { id: integer() },
      header: { key: text({ secret: true, optional: true }) },
      who: record({ role: text() }),
      body: record({ name: text({ length: [1, 5] }), code: text({ secret: true, optional: true }) }),
    }),
  },
  identify: () => ({ role: 'clerk' }),
})
const save = async (page: string, draft: Draft, more: { title?: string; at?: number; decisions?: Decided[] } = {}) => {
  const matter = { app, books: [{ file: 'a.md', page }], kit, makeServices: () => ({}) }
  const order = { draft, file: 'a.md', title: more.title ?? 'New', decisions: more.decisions ?? [] }
  const { isDecided, open, ...saved } = await savedPage(matter, page, order, more.at)
  return isDecided ? saved : { open }
}
const put = (body: string, ...headers: string[]) =>
  ['PUT /things/1 HTTP/1.1', 'Content-Type: application/json', ...headers, '', body].join('\n')
const fenced = (kind: string, content: string) => `\`\`\`${kind}\n${content}\n\`\`\``
const old = fenced('http', put('{"name":"a","code":"hush"}', 'Key: hush'))
const book = `# Things\n\n${fenced('book', 'now: 2031-03-01T12:00:00Z\nheader: X-Own: 1')}\n\n## One\n\nWords.\n\n${old}\n\n${fenced('verdict', 'accepted')}\n\nAfter.\n`
const now = '2031-03-01T12:00:00Z'

const rows: [what: string, page: string, draft: Draft, more: { title?: string; at?: number }, after: string][] = [
  [
    'into nothing',
    '',
    { message: put('{"name":""}') },
    {},
    `## New\n\n${fenced('http', put('{"name":""}'))}\n\n${fenced('verdict', '422\nbody.name too_short')}\n`,
  ],
  [
    'at the end, with what the book adds',
    book,
    { message: put('{"name":"b"}', 'X-Own: (secret)'), now },
    { title: ' ## Two\nthings ' },
    `${book}\n## Two things\n\n${fenced('http', put('{"name":"b"}'))}\n\n${fenced('verdict', 'accepted')}\n`,
  ],
  [
    'at the end, by another clock and another caller',
    book,
    { message: put('{"name":"b"}'), now: '2032-01-01T00:00:00Z', who: '{\n"role": "boss"\n}' },
    {},
    `${book}\n## New\n\n${fenced('book', 'now: 2032-01-01T00:00:00Z\nwho: {"role":"boss"}')}\n\n${fenced('http', put('{"name":"b"}'))}\n\n${fenced('verdict', 'accepted')}\n`,
  ],
  [
    'at the end, by another clock, with what the book set before',
    book,
    { message: put('{"name":"b"}', 'X-Own: (secret)'), now: '2032-01-01T00:00:00Z' },
    {},
    `${book}\n## New\n\n${fenced('book', 'now: 2032-01-01T00:00:00Z\nheader: x-own: 1')}\n\n${fenced('http', put('{"name":"b"}'))}\n\n${fenced('verdict', 'accepted')}\n`,
  ],
  [
    'in place, its secrets as they were',
    book,
    { message: put('{"name":"too long","code":"(secret)"}', 'Key: (secret)', 'X-Own: 1'), now },
    { at: 0 },
    book.replace('{"name":"a"', '{"name":"too long"').replace('\naccepted\n', '\n422\nbody.name too_long\n'),
  ],
  [
    'in place, with CRLF',
    book.replaceAll('\n', '\r\n'),
    { message: put('{"name":"b"}', 'X-Own: 2'), now },
    { at: 0 },
    book
      .replace('\nKey: hush', '\nX-Own: 2')
      .replace('{"name":"a","code":"hush"}', '{"name":"b"}')
      .replaceAll('\n', '\r\n'),
  ],
  [
    'in place, behind a lone CR',
    book.replace('Words.', 'Two\rwords.'),
    { message: put('{"name":"b"}', 'X-Own: 1'), now },
    { at: 0 },
    book
      .replace('Words.', 'Two\rwords.')
      .replace('\nKey: hush', '')
      .replace('{"name":"a","code":"hush"}', '{"name":"b"}'),
  ],
  [
    'in place, behind a byte order mark',
    `\uFEFF${old}\n`,
    { message: put('```') },
    { at: 0 },
    `\uFEFF\`\`\`\`http\n${put('```')}\n\`\`\`\`\n\n${fenced('verdict', '400\nbody bad_syntax')}\n`,
  ],
  [
    'in place, inside a quote',
    `> ${old.replaceAll('\n', '\n> ')}\n`,
    { message: put('{"name":"b"}') },
    { at: 0 },
    `> ${fenced('http', put('{"name":"b"}')).replaceAll('\n', '\n> ')}\n>\n> ${fenced('verdict', 'accepted').replaceAll('\n', '\n> ')}\n`,
  ],
  [
    'with a fence in it',
    '',
    { message: put('```') },
    {},
    `## New\n\n\`\`\`\`http\n${put('```')}\n\`\`\`\`\n\n${fenced('verdict', '400\nbody bad_syntax')}\n`,
  ],
  [
    'in place, with a fence in it',
    `${old}\n`,
    { message: put('```') },
    { at: 0 },
    `\`\`\`\`http\n${put('```')}\n\`\`\`\`\n\n${fenced('verdict', '400\nbody bad_syntax')}\n`,
  ],
  [
    'without a line end',
    book.trimEnd(),
    { message: put('{"name":"b"}'), now },
    {},
    `${book}\n## New\n\n${fenced('http', put('{"name":"b"}'))}\n\n${fenced('verdict', 'accepted')}\n`,
  ],
]
const made = (one: Awaited<ReturnType<typeof save>>) => {
  if ('open' in one) throw new Error(`undecided: ${JSON.stringify(one.open)}`)
  return one
}
test.each(rows)('%s', async (_, page, draft, more, after) => {
  const { page: came, saved } = made(await save(page, draft, more))
  expect(came).toBe(after)
  const samples = readBook(came)
  expect(saved.id).toBe(`a.md#${(more.at ?? samples.length - 1) + 1}`)
  expect(saved.stamp.faults).toEqual([])
})

describe('in place, with assertions that were written by hand', () => {
  const asserting = (...lines: string[]) =>
    `# Things\n\n${fenced('book', 'now: 2031-03-01T12:00:00Z')}\n\n${fenced('http', put('{"name":"a"}'))}\n\n${fenced('verdict', lines.join('\n'))}\n`
  const page = asserting('accepted', '  body.name   =  "a"', '', 'path.id = 1', 'header.key = "x"')
  const to = async (message: string, decisions: Decision[], from = page, asked = from) => {
    const { open = [] } = (await save(asked, { message, now }, { at: 0 })) as Partial<Undecided>
    const decided = decisions.map((decision, index) => ({ ...open[index], decision }))
    return save(from, { message, now }, { at: 0, decisions: decided })
  }
  const named = (name: string) => put(`{"name":"${name}"}`)
  const block = (came: string) => /```verdict\n([\s\S]*)\n```\n$/.exec(came)?.[1]?.split('\n')

  test('what still holds stays byte for byte; what does not is asked, and nothing is saved before', async () => {
    const book = asserting('accepted', '  body.name   =  "a"', '', 'path.id = 1')
    expect(block(made(await to(put('{"name":"a","code":"x"}'), [], book)).page)).toEqual([
      'accepted',
      '  body.name   =  "a"',
      '',
      'path.id = 1',
    ])
    expect(await to(named('b'), [], book)).toEqual({ open: [{ was: '  body.name   =  "a"', now: 'body.name = "b"' }] })
  })
  test.each<[Decision, string[]]>([
    ['keep', ['accepted', '  body.name   =  "a"', '', 'path.id = 1', 'header.key = "x"']],
    ['take', ['accepted', 'body.name = "b"', '', 'path.id = 1', 'header.key = "x"']],
    ['remove', ['accepted', '', 'path.id = 1', 'header.key = "x"']],
  ])('%s', async (decision, lines) => {
    // A secret that is not there any more: what it would be now is not said.
    expect(await to(named('b'), [])).toMatchObject({ open: [{}, { was: 'header.key = "x"' }] })
    const { page: came, saved } = made(await to(named('b'), [decision, 'keep']))
    expect(block(came)).toEqual(lines)
    expect(saved.stamp.faults?.length).toBe(decision === 'keep' ? 2 : 1)
  })
  test('a decision is of the line that was asked, also if the book changes meanwhile', async () => {
    const since = asserting('accepted', '  body.name   =  "a"', 'body.name = "c"')
    expect(await to(named('b'), ['remove', 'remove'], since, page)).toMatchObject({
      open: [{}, { was: 'body.name = "c"' }],
    })
    expect(block(made(await to(named('b'), ['remove', 'remove'], since)).page)).toEqual(['accepted'])
  })
  test('another outcome is one question about the whole block', async () => {
    const before = ['accepted', '  body.name   =  "a"', '', 'path.id = 1', 'header.key = "x"']
    expect(await to(named(''), [])).toEqual({ open: [{ was: before.join('\n'), now: '422\nbody.name too_short' }] })
    expect(block(made(await to(named(''), ['take'])).page)).toEqual(['422', 'body.name too_short'])
    expect(block(made(await to(named(''), ['keep'])).page)).toEqual(before)
  })
  test('of errors those that do not come any more are asked, and those that are new', async () => {
    const book = asserting('422', 'body.name', 'body.code  wrong_type')
    expect(await to(named(''), [], book)).toEqual({ open: [{ was: 'body.code  wrong_type' }] })
    expect(block(made(await to(named(''), ['remove'], book)).page)).toEqual(['422', 'body.name'])
    expect(await to(put('{"name":"","code":5}'), [], asserting('422', 'body.name too_short'))).toEqual({
      open: [{ now: 'body.code wrong_type' }],
    })
    const others = asserting('422', 'body.name too_short', '…')
    expect(block(made(await to(put('{"name":"","code":5}'), [], others)).page)).toEqual([
      '422',
      'body.name too_short',
      '…',
    ])
    const any = asserting('422')
    expect(block(made(await to(named('too long'), [], any)).page)).toEqual(['422'])
  })
})

const sampleIn = (name: string) => `## ${name}\n\nWords.\n\n${old}\n\n${fenced('verdict', 'accepted')}\n`
const three = ['One', 'Two', 'Three'].map(sampleIn).join('\n')
const setting = `${fenced('book', 'now: 2031-03-01T12:00:00Z')}\n`
const bare = `${old}\n\n${fenced('verdict', 'accepted')}\n`
test.each<[what: string, page: string, at: number, title: string | undefined, after: string | RegExp]>([
  ['the second', three, 1, undefined, ['One', 'Three'].map(sampleIn).join('\n')],
  ['the last', three, 2, undefined, ['One', 'Two'].map(sampleIn).join('\n')],
  [
    'the last, with CRLF',
    three.replaceAll('\n', '\r\n'),
    2,
    undefined,
    ['One', 'Two'].map(sampleIn).join('\n').replaceAll('\n', '\r\n'),
  ],
  [
    'one that sets the clock for those after it',
    `${setting}\n${sampleIn('One').replace('Words.\n', `Words.\n\n${setting}`)}\n${sampleIn('Two')}`,
    0,
    undefined,
    `${setting}\n${setting}\n${sampleIn('Two')}`,
  ],
  ['one of two below a heading', `${sampleIn('One')}\n${bare}`, 0, undefined, `## One\n\nWords.\n\n${bare}`],
  ['the one below the heading of its book', `# Things\n\n${bare}`, 0, undefined, '# Things\n'],
  ['another heading', three, 1, 'Other', three.replace('## Two', '## Other')],
  [
    'another heading, underlined before',
    three.replace('## Two', 'Two\n---'),
    1,
    'Other',
    three.replace('## Two', '## Other'),
  ],
  [
    'another heading for one of two',
    `${sampleIn('One')}\n${bare}`,
    0,
    'Other',
    /several samples stand below this heading/,
  ],
  ['another heading for one without', bare, 0, 'Other', /no heading of its own/],
])('taken out, or renamed: %s', (_, page, at, title, after) => {
  const sample = readBook(page)[at] as never
  const edit = () => (title === undefined ? kit.without(page, sample) : kit.withTitle(page, sample, title))
  if (after instanceof RegExp) expect(edit).toThrow(after)
  else expect(edit()).toBe(after)
})

const refused: [draft: Draft, at: number | undefined, words: RegExp][] = [
  [{ message: 'nothing' }, undefined, /line 1: "nothing" is no request line.*only a request message can be kept/],
  [{ message: put('\uDC80') }, undefined, /it is no text, or too large/],
  [{ message: put('x'.repeat(30_000)) }, undefined, /too large/],
  [
    { message: put('{"name":"a\u0000"}').replace('\\u0000', '\u0000') },
    undefined,
    /a book reads U\+0000 as another character/,
  ],
  [
    { message: put('{}'), now: '2031-03-01T12:00:00Z\nheader: X-Own: 2' },
    undefined,
    /the clock .* is no date-time; write it as 2031-03-01T12:00:00Z/,
  ],
  [{ message: put('{}'), now: 'March 1, 2031' }, undefined, /is no date-time/],
  [{ message: put('{}') }, 0, /its clock and caller are set by the book/],
]
test.each(refused)('%j is not saved', async (draft, at, words) => {
  await expect(save(book, draft, at === undefined ? {} : { at })).rejects.toThrow(words)
})

test('names that every object has are none of an endpoint, and an odd caller is told', async () => {
  const bench = createBench({ app, books: [], kit })
  await expect(bench.sheet('constructor')).rejects.toThrow(/constructor: there is none/)
  await expect(bench.probes('__proto__', 'body')).rejects.toThrow(/there is none/)
  const rows: [more: Partial<Draft>, at: string, words: RegExp][] = [
    [{ who: '{"role":1}' }, 'who', /^role must be text/],
    [{ who: '{team' }, 'who', /^is not JSON; write it as \{"name": "a value"\}/],
    [{ now: '2031-03-01T12' }, 'now', /"2031-03-01T12" is not a date-time/],
  ]
  for (const [more, at, words] of rows)
    await expect(bench.judge({ message: put('{}'), ...more })).rejects.toMatchObject({
      at,
      message: expect.stringMatching(words),
    })
})

test('what a reader or a service made may hold itself, or be what JSON cannot say', async () => {
  const round: { self?: unknown; big: bigint } = { big: 7n }
  round.self = round
  const odd = endpoint('GET /odd/{id}', {
    path: { id: readAs(text(), () => round, { code: 'odd' }) },
    lookups: (on) => ({ found: on.lookup({ reads: [], ask: () => round }) }),
  })
  const bench = createBench({ app: intake({ endpoints: { odd } }), books: [], kit, makeServices: () => ({}) })
  const judged = await bench.judge({ message: 'GET /odd/1 HTTP/1.1' })
  expect(JSON.parse(JSON.stringify(judged))).toMatchObject({
    outcome: 'accepted',
    readings: [{ address: 'path.id', read: '(what JSON cannot say)' }],
  })
  expect(judged.steps.at(-1)).toMatchObject({ name: 'found', found: '(what JSON cannot say)' })
})

describe('a book that several desks write to', () => {
  const folder = mkdtempSync(join(tmpdir(), 'desk-'))
  afterAll(() => rmSync(folder, { recursive: true }))
  const file = join(folder, 'book.md')
  const desks = () =>
    Promise.all(
      [1, 2, 3].map(() =>
        startDesk({ load: async () => ({ app }), files: [file], modules: [], kit, send: async () => [] }),
      ),
    )
  const post = async (url: string, order: object) => {
    const response = await fetch(`${url.replace(/\/$/, '')}/api/samples`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(order),
    })
    return [response.status, JSON.stringify(await response.json())] as const
  }
  const message = put('{"name":"a"}')

  test('loses no save of 60, and says what has changed below a sample that was opened', async () => {
    writeFileSync(file, book)
    const running = await desks()
    const all = Array.from({ length: 60 }, (_, number) =>
      post(running[number % 3]?.url as string, { file, title: `Own ${number}`, draft: { message } }),
    )
    const statuses = (await Promise.all(all)).map(([status]) => status)
    expect(statuses.filter((status) => status !== 200)).toEqual([])
    const titles = readBook(readFileSync(file, 'utf8')).map(({ title }) => title)
    expect([titles.length, new Set(titles).size]).toEqual([61, 61])
    // Another desk has put another request where this one was read.
    const read = put('{"name":"a","code":"hush"}', 'Key: hush', 'X-Own: 1')
    const [mine = '', theirs = ''] = ['b', 'c'].map((name) => put(`{"name":"${name}"}`))
    const order = { file, title: 'x', replaces: `${file}#1`, read }
    const readNow = await (
      await fetch(`${running[0]?.url.replace(/\/$/, '')}/api/samples?id=${encodeURIComponent(`${file}#1`)}`)
    ).json()
    const known = { ...order, read: (readNow as { message: string }).message }
    expect((await post(running[1]?.url as string, { ...known, draft: { message: theirs, now } }))[0]).toBe(200)
    const before = readFileSync(file, 'utf8')
    const [status, told] = await post(running[0]?.url as string, { ...known, draft: { message: mine, now } })
    expect([status, told]).toEqual([409, expect.stringMatching(/"conflict".*has another request there by now/)])
    expect(readFileSync(file, 'utf8')).toBe(before)
    expect(readdirSync(folder)).toEqual(['book.md'])
    for (const one of running) await one.close()
  })

  test('is what it was if it cannot be written whole', () => {
    writeFileSync(file, book)
    expect(() => putFile(join(folder, 'none', 'book.md'), 'x')).toThrow('ENOENT')
    // A disk that is full takes a part and fails: so does a file beside it that cannot be one.
    mkdirSync(join(folder, `.book.md.${process.pid}`))
    expect(() => putFile(file, 'half')).toThrow()
    expect(readFileSync(file, 'utf8')).toBe(book)
  })
})
