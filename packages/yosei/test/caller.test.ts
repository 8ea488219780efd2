// biome-ignore-all format: a table reads line by line
/** Every error reaches the caller: in an envelope, in its language, through lookups, by the client, and out of a journal. */
import { describe, expect, test } from '@jest/globals'
import { answer, anything, choice, constant, decimal, either, endpoint, type Field, instant, intake, integer, type JournalEvent, judge, judgeParts, list, parseMessage, record, refuse, serve, table, tagged, text, tuple, write } from 'yosei'
import { client } from 'yosei/client'
import * as page from 'yosei/page'

type Enveloped = { errors: { address: string; code: string; message: string; limit?: unknown }[]; problem: { fields: { [address: string]: { code: string; detail: string }[] }; more?: number; detail: string } }
const rows = endpoint('POST /rows', { body: record({ rows: list(record({ a: integer({ max: 5 }), b: choice(['x', 'y']) })) }) })
const envelope = { write: ({ errors, more }: { errors: unknown; more: number }, problem: unknown) => ({ body: { errors, more, problem } }), read: (body: unknown) => (body as Enveloped | undefined)?.errors }
const post = (target: string, body: unknown, headers = {}) => new Request(`http://kr.example${target}`, { method: 'POST', body: JSON.stringify(body), headers: { 'content-type': 'application/json', ...headers } })
const wrong = (count: number) => ({ rows: Array.from({ length: count }, () => ({ a: 9, b: 'z' })) })

describe('an envelope', () => {
  test('is given all errors up to the limit, uncut, and how many more', async () => {
    const handle = serve(intake({ endpoints: { rows }, envelope }), { rows: () => 1 })
    const { errors, problem } = (await (await handle(post('/rows', wrong(15)))).json()) as Enveloped
    expect([errors.length, Object.values(problem.fields).flat().length, problem.more]).toEqual([30, 30, undefined])
    const most = (await (await handle(post('/rows', wrong(40)))).json()) as Enveloped
    expect([most.errors.length, Object.values(most.problem.fields).flat().length, most.problem.more]).toEqual([50, 50, 30])
    expect(most.problem.detail).toMatch(/and 79 more errors$/)
  })
  test('speaks the language of the answer', async () => {
    const handle = serve(intake({ endpoints: { rows }, envelope: envelope.write as never }), { rows: () => 1 })
    const response = await handle(post('/rows', { rows: [{ a: 9, b: 'x' }] }, { 'accept-language': 'de-AT, en;q=0.5' }))
    const { errors, problem } = (await response.json()) as Enveloped
    expect(response.headers.get('content-language')).toBe('de')
    expect(errors).toMatchObject([{ address: 'body.rows[0].a', message: 'darf höchstens 5 sein; gesendet wurde 9', limit: 5 }])
    expect(problem.fields['body.rows[0].a']).toMatchObject([{ detail: 'darf höchstens 5 sein; gesendet wurde 9' }])
  })
  test('keeps its answer within what is promised', async () => {
    const values = Array.from({ length: 20_000 }, (_, index) => `choice number ${index}`)
    const pick = endpoint('POST /rows', { body: record({ x: choice(values as never) as Field, many: list(choice(values as never)) as Field }) })
    for (const shape of [{}, { envelope }]) {
      const handle = serve(intake({ endpoints: { pick }, ...shape }), { pick: () => 1 })
      const told = await (await handle(post('/rows', { x: 'z', many: Array.from({ length: 100 }, () => 'z') }))).text()
      expect(told.length).toBeLessThan(256_000)
      expect(told).toMatch(/choice number 19 and 19980 more/)
    }
    // An own shape may write what it likes: then it is given fewer errors, and the rest are counted.
    const loud = serve(intake({ endpoints: { rows }, envelope: ({ errors, more }) => ({ body: { more, all: errors.map((one) => ({ ...one, again: 'x'.repeat(20_000) })) } }) }), { rows: () => 1 })
    const body = await (await loud(post('/rows', wrong(40)))).text()
    const { more, all } = JSON.parse(body) as { more: number; all: unknown[] }
    expect([body.length < 256_000, more + all.length]).toEqual([true, 80])
  })
  test('is how `answer` shows a verdict', async () => {
    const app = intake({ endpoints: { rows }, envelope })
    const verdict = await judge(app, 'POST /rows HTTP/1.1\nContent-Type: application/json\n\n{"rows":[{"a":9,"b":"x"}]}')
    expect(verdict.outcome === 'rejected' && await answer(verdict).json()).toMatchObject({ errors: [{ address: 'body.rows[0].a', code: 'above_max' }], problem: { status: 422 } })
    const parts = judgeParts(app.endpoints.rows, { body: { rows: 1 } })
    expect(parts.outcome === 'rejected' && await answer(parts).json()).toMatchObject({ errors: [{ address: 'body.rows' }] })
  })
  test('is read back by a client', async () => {
    const server = intake({ endpoints: { rows: endpoint('POST /rows', { body: record({ rows: list(record({ a: integer({ max: 2 }), b: text() })) }) }) }, envelope })
    const handle = serve(server, { rows: () => 1 })
    const call = client(intake({ endpoints: { rows }, envelope }), { base: 'http://kr.example', fetch: handle })
    const refused = await call.rows({ body: { rows: [{ a: 5, b: 'x' }] } })
    expect(refused).toMatchObject({ outcome: 'rejected', status: 422, isSent: true, errorsByField: { 'body.rows[0].a': [{ code: 'above_max', message: 'must be at most 2; 5 was sent' }] } })
    const blind = client(intake({ endpoints: { rows }, envelope: envelope.write as never }), { base: 'http://kr.example', fetch: handle })
    expect(await blind.rows({ body: { rows: [{ a: 5, b: 'x' }] } })).toMatchObject({ outcome: 'rejected', status: 422, errors: [] })
  })
})

test('a problem document says how many errors it does not list', async () => {
  const handle = serve(intake({ endpoints: { rows } }), { rows: () => 1 })
  expect(await (await handle(post('/rows', wrong(40)))).json()).toMatchObject({ more: 30 })
  expect(await (await handle(post('/rows', wrong(1)))).json()).not.toHaveProperty('more')
})

test('a verdict that a lookup refuses with is told as it stands', async () => {
  const inner = endpoint('POST /inner', { body: record({ seats: integer({ max: 5 }) }) })
  const outer = endpoint('POST /outer', { body: record({ room: record({ seats: integer() }) }), lookups: (on) => ({
    room: on.lookup({ reads: ['body.room'], ask: async (_: object, [room]) => { const verdict = judgeParts(inner, { body: room }); return verdict.outcome === 'rejected' ? refuse(verdict) : room } }),
  }) })
  const response = await serve(intake({ endpoints: { outer } }), { outer: () => 1 }, { services: {} })(post('/outer', { room: { seats: 9 } }))
  expect([response.status, (await response.json() as { fields: object }).fields]).toEqual([422, { 'body.seats': [{ code: 'above_max', detail: 'must be at most 5; 9 was sent', pointer: '/seats' }] }])
})

test('each error carries its limit as data', () => {
  const body = record({ n: integer({ max: 5 }), c: choice(['a', 'b']), t: text({ length: [2, 3] }), d: decimal({ min: '1.50' }), at: instant({ from: '+1d' }), m: text({ optional: true }) })
  const verdict = judgeParts(endpoint('PUT /', { body }), { body: { n: 9, c: 'z', t: 'x', d: '1', at: '2031-03-01T00:00:00Z', m: 5 } }, { now: new Date('2031-03-01T12:00:00Z') })
  expect(verdict.outcome === 'rejected' && verdict.errors.map(({ address, limit }) => [address, limit])).toEqual([['body.n', 5], ['body.c', ['a', 'b']], ['body.t', 2], ['body.d', '1.50'], ['body.at', '2031-03-02T12:00:00Z'], ['body.m', undefined]])
})

test('messages come in a language', async () => {
  const sent = { body: { rows: 1 } }
  const told = (verdict: { outcome: string }) => (verdict as unknown as Enveloped).errors[0]?.message
  expect([told(judgeParts(rows, sent, { language: 'de' })), told(judgeParts(rows, sent, { language: 'fr, de;q=0.5' })), told(judgeParts(rows, sent))]).toEqual(['muss eine Liste sein; gesendet wurde eine Zahl', 'muss eine Liste sein; gesendet wurde eine Zahl', 'must be a list; a number was sent'])
  const own = page.intake({ endpoints: { rows: page.endpoint('POST /rows', { body: page.record({ n: page.integer() }) }) }, languages: { es: { 'wrong_type.integer': 'debe ser entero' } } })
  expect(told(page.judgeParts(own.endpoints.rows, { body: { n: 'x' } }, { language: 'es' }))).toMatch(/^debe ser entero/)
  const handle = serve(intake({ endpoints: { rows } }), { rows: (_, { language }) => language })
  expect(await (await handle(post('/rows', { rows: [] }, { 'accept-language': 'de' }))).json()).toBe('de')
})

test('a lookup knows the clock', async () => {
  const one = endpoint('GET /x/{id}', { path: { id: text() }, lookups: (on) => ({ x: on.lookup({ reads: ['path.id'], ask: (_: object, __, { now }) => now.toISOString() }) }) })
  const handle = serve(intake({ endpoints: { one } }), { one: (_, { found }) => found.x }, { services: {}, now: () => new Date('2031-03-01T12:00:00Z') })
  expect(await (await handle(new Request('http://kr.example/x/1'))).json()).toBe('2031-03-01T12:00:00.000Z')
})

test('a request that a journal has kept is rejected as it was, whatever its secrets were', async () => {
  const secret = { secret: true } as const
  const body = record({ pin: text({ length: [4, 4], pattern: /^\d+$/, ...secret }), code: integer({ min: 100, ...secret }), n: integer({ max: 5 }), again: text({ ...secret, optional: true }), old: text({ ...secret, optional: true }), fresh: text({ ...secret, optional: true }) })
  const events: JournalEvent[] = []
  let broken = true
  const app = intake({ journal: { write: (event) => events.push(event) }, endpoints: { put: endpoint('POST /{key}', { path: { key: text({ length: [2, 3], ...secret }) }, body, rules: (on) => [on.equal('body.pin', 'body.again'), on.differ('body.old', 'body.fresh')] }) } })
  const handle = serve(app, { put: () => { if (broken) throw new Error('broken'); return 1 } })
  for (const [target, sent] of [['/ab', { pin: '1234', code: 555, n: 1, old: 'x', fresh: 'y' }], ['/ab', { pin: '1', code: 5, n: 9 }], ['/abcd', { pin: '1234', code: 555, n: 1, again: '12' }]] as const) {
    await handle(post(target, sent))
    const { input = '', errors, outcome } = events.at(-1) as JournalEvent
    const message = parseMessage(input)
    if (input === '' && outcome !== 'failed') continue
    const verdict = await judge(app, message as never, { kept: errors })
    expect(input).not.toMatch(/1234|555/)
    expect(verdict.outcome === 'rejected' ? verdict.errors.map(({ address, code }) => ({ address, code })) : []).toEqual(errors.map(({ address, code }) => ({ address, code })))
  }
  broken = false
})

test.each<[string, string, 'problem+json' | 'html' | 'plain']>([
  ['a range with parameters is narrower than the type', 'text/html;level=1', 'problem+json'],
  ['a weight is no parameter', 'text/html;q=0.5', 'html'],
  ['what stands behind the weight is none of the range', 'text/html;q=0.5;ext=1', 'html'],
  ['a comma in quotes parts nothing', 'application/json;profile="a, text/html";q=0.1, text/plain', 'plain'],
  ['a long list is read to its end', `${'x/y, '.repeat(600)}text/plain`, 'plain'],
])('what a client would rather read: %s', async (_, accept, form) => {
  const response = await serve(intake({ endpoints: { rows } }), { rows: () => 1 })(new Request('http://kr.example/nowhere', { headers: { accept } }))
  expect(response.headers.get('content-type')).toContain(form)
})

test.each([
  ['*, de', 'de'],
  ['en;q=0, *', 'de'],
  ['*', 'en'],
  ['fr, *', 'en'],
  ['de-AT, en;q=0.1', 'de'],
  ['en;q=0', 'en'],
])('Accept-Language: %s', async (field, language) => {
  const response = await serve(intake({ endpoints: { rows } }), { rows: () => 1 })(new Request('http://kr.example/nowhere', { headers: { 'accept-language': field } }))
  expect(response.headers.get('content-language')).toBe(language)
})

test('an endpoint at the base of its intake is written as it is matched', async () => {
  const root = endpoint('GET /', { query: { q: integer({ optional: true }) } })
  const handle = serve(intake({ base: '/v1', endpoints: { root } }), { root: ({ query }) => ({ q: query.q ?? null }) })
  const calls = client(intake({ base: '/v1', endpoints: { root } }), { base: 'https://kr.example', fetch: handle })
  expect(await calls.root({})).toMatchObject({ status: 200, value: { q: null } })
  expect(await calls.root({ query: { q: 5 } })).toMatchObject({ status: 200, value: { q: 5 } })
  expect(write(root, 'https://kr.example', { path: {}, query: {}, body: undefined }).url).toBe('https://kr.example/')
})

test('the digits of an encoded octet are of either case, also beside a parameter', async () => {
  const shown = intake({ endpoints: { show: endpoint('GET /café-{n}', { path: { n: integer() } }) } })
  for (const target of ['/caf%c3%a9-1', '/caf%C3%A9-1', '/caf%C3%a9-1'])
    expect((await judge(shown, { method: 'GET', target, headers: {}, body: null })).outcome).toBe('accepted')
})

describe('addresses are called as the house calls them', () => {
  const naming = ([part, ...names]: readonly (string | number)[]) => names.reduce<string>((name, one) => (typeof one === 'number' ? `${name}[${one}]` : `${name}${name === '' ? '' : '.'}${one}`), part === 'body' ? 'shipment' : part === 'query' ? '' : `${part}`)
  const send = endpoint('POST /shipments', {
    query: { ids: list(integer(), { optional: true }), limit: integer({ optional: true }) },
    body: record({ from: instant(), until: instant(), lines: list(record({ sku: text(), low: integer(), high: integer() })), notes: table(text(), { optional: true }) }),
    rules: (on) => [on.ascending('body.from', 'body.until'), on.ascending('body.lines[].low', 'body.lines[].high')],
  })
  const sent = { from: '2031-03-02T00:00:00Z', until: '2031-03-01T00:00:00Z', lines: [{ sku: 'a', low: 1, high: 2 }, { sku: 'b', low: 3, high: 2 }], notes: { '7': 5 }, lime: 1 }
  const events: JournalEvent[] = []
  const app = intake({ endpoints: { send }, naming, journal: { write: (event) => void events.push(event) } })
  const handle = serve(app, { send: () => 1 })
  const wrong = ['until', 'lines[1].high', 'notes.7', 'lime'].map((name) => `shipment.${name}`)

  test('in fields, in the detail, and inside of messages; pointers, verdicts and the journal keep ours', async () => {
    const { fields, detail } = (await (await handle(post('/shipments?limit=x&ids=1&ids=y', sent))).json()) as Enveloped['problem']
    expect(Object.keys(fields)).toEqual(['ids[1]', 'limit', ...wrong])
    expect(detail).toBe('ids[1] must be a whole number; "y" was sent, and 5 more errors')
    expect(fields['shipment.until']).toEqual([{ code: 'out_of_order', detail: 'must come after shipment.from ("2031-03-02T00:00:00Z"); "2031-03-01T00:00:00Z" was sent', pointer: '/until' }])
    expect(fields['shipment.lines[1].high']?.[0]?.detail).toBe('must be more than shipment.lines[1].low (3); 2 was sent')
    expect(events[0]?.errors[2]?.address).toBe('body.until')
    const verdict = await judge(app, post('/shipments', sent))
    expect(verdict.outcome === 'rejected' && verdict.errors.map(({ address }) => address)).toEqual(['body.until', 'body.lines[1].high', 'body.notes["7"]', 'body.lime'])
    const page = await (await handle(post('/shipments', sent, { accept: 'text/plain', 'accept-language': 'de' }))).text()
    expect(page).toContain('shipment.until muss nach shipment.from ("2031-03-02T00:00:00Z") liegen')
  })
  test('a client reads them back to addresses', async () => {
    // What the client would not send, a server may still reject: its own answer is read.
    const answering = client(intake({ endpoints: { send: endpoint('POST /shipments', { query: { ids: list(integer(), { optional: true }), limit: integer({ optional: true }) }, body: anything() }) }, naming }), { base: 'http://kr.example', fetch: handle })
    const own = await answering.send({ query: { limit: 5 }, body: { ...sent, lines: sent.lines.slice(0, 1) } })
    expect(own.outcome === 'rejected' && own.errors.map(({ address, pointer }) => [address, pointer])).toEqual([['body.until', '/until'], ['body.notes["7"]', '/notes/7'], ['body.lime', '/lime']].map(([address, pointer]) => [address, pointer]))
    const whole = client(app, { base: 'http://kr.example', fetch: async () => new Response(JSON.stringify({ fields: { 'ids[3]': [{ code: 'x' }], limit: [{ code: 'x' }], other: [{ code: 'x' }], 'shipment.lines[1].sku': [{ code: 'x', pointer: '/lines/1/sku' }], 'shipment.notes.7': [{ code: 'x', pointer: '/notes/7' }] } }), { status: 422, headers: { 'content-type': 'application/problem+json' } }) })
    const read = await whole.send({ body: { ...sent, until: '2031-03-03T00:00:00Z', lines: [], notes: {}, lime: undefined } as never })
    expect(read.outcome === 'rejected' && read.errors.map(({ address }) => address)).toEqual(['query.ids[3]', 'query.limit', 'other', 'body.lines[1].sku', 'body.notes["7"]'])
  })
  test('what makes no sense is a mistake of the declaration; what it cannot name keeps its address', async () => {
    const bad = (naming: never) => () => intake({ endpoints: { send }, naming })
    expect(bad(((path: string[]) => path.at(-1)) as never)).toThrow('intake, send, naming: it gives no text for query.ids[0]')
    expect(bad((([part]: string[]) => part) as never)).toThrow('it gives query.ids and query.limit the same name "query"')
    expect(bad((() => { throw new Error('inside') }) as never)).toThrow('it gives no text for path')
    expect(bad(5 as never)).toThrow('naming takes a function')
    const odd = serve(intake({ endpoints: { send }, naming: (path) => { if (path.includes('lime')) throw new Error('inside'); return naming(path) } }), { send: () => 1 })
    const { fields } = (await (await odd(post('/shipments', sent))).json()) as Enveloped['problem']
    expect(Object.keys(fields)).toEqual([...wrong.slice(0, 3), 'body.lime'])
    // Names that were sent can be made alike: nothing is lost.
    const flat = endpoint('POST /shipments', { body: table(integer()) })
    const alike = serve(intake({ endpoints: { flat }, naming: (path) => path.join('.').toLowerCase() }), { flat: () => 1 })
    const told = (await (await alike(post('/shipments', { A: 'x', b: 'x', a: 'x' }))).json()) as Enveloped['problem']
    expect(Object.entries(told.fields).map(([name, errors]) => [name, errors.length])).toEqual([['body.a', 2], ['body.b', 1]])
  })
})

const branches = either([record({ k: constant('x'), n: integer() }), record({ k: constant('y'), l: list(text()) })])
test.each<[string, Field, unknown]>([
  ['a tag', tagged('k', { a: record({ n: integer() }), b: record({}) }), { k: 'a', n: 1 }],
  ['tags in tags', record({ t: tagged('k', { a: tagged('l', { x: record({ n: integer() }) }) }) }), { t: { k: 'a', l: 'x', n: 1 } }],
  ['a union of objects', branches, { k: 'y', l: ['a'] }],
  ['unions in a list', list(branches), [{ k: 'x', n: 1 }, { k: 'y', l: [] }]],
  ['a union of a list and a text', record({ e: either([list(integer()), text()]) }), { e: [1, 2] }],
  ['anything', record({ a: anything(), b: anything() }), { a: 5, b: { c: [1, null, 'x', true] } }],
  ['anything at the top', anything(), [1, 'x']],
  ['a tuple in a table', table(tuple([text(), integer()])), { a: ['b', 1] }],
  ['null', record({ n: integer({ nullable: true }), o: text({ optional: true }) }), { n: null }],
])('what a journal has kept is judged again as it was: %s', async (_, body, sent) => {
  const events: JournalEvent[] = []
  const put = endpoint('POST /{id}', { path: { id: text() }, query: { l: list(integer(), { optional: true }), q: text({ optional: true }) }, body })
  const app = intake({ endpoints: { put }, journal: { write: (event) => void events.push(event) } })
  const post = (content: unknown, type = 'application/json') => serve(app, { put: () => { throw new Error('inside') } })(new Request('http://kr.example/7?q=a', { method: 'POST', headers: { 'content-type': type }, body: JSON.stringify(content) }))
  await post(sent)
  expect(await judge(app, events[0]?.input ?? '')).toMatchObject({ outcome: 'accepted', input: { path: { id: '7' }, query: { q: 'a' }, body: sent } })
})

test('so is a form in parts', async () => {
  const events: JournalEvent[] = []
  const put = endpoint('POST /', { body: { 'multipart/form-data': record({ n: integer(), many: list(text()), deep: record({ a: list(integer()) }), none: list(integer(), { optional: true }) }) } })
  const app = intake({ endpoints: { put }, journal: { write: (event) => void events.push(event) } })
  const form = new FormData()
  for (const [name, value] of [['n', '5'], ['many', 'a'], ['many', 'b']] as const) form.append(name, value)
  form.append('deep', new Blob(['{"a":[1]}'], { type: 'application/json' }))
  await serve(app, { put: () => { throw new Error('inside') } })(new Request('http://kr.example/', { method: 'POST', body: form }))
  expect(await judge(app, events[0]?.input ?? '')).toMatchObject({ outcome: 'accepted', input: { body: { n: 5, many: ['a', 'b'], deep: { a: [1] } } } })
})

test('an answer says each message as the verdict does, whatever it quotes', async () => {
  const odd = { optional: true } as const
  const body = record({
    a: text(odd), b: text(odd), c: text(odd), 'x"\\': list(record({ 'n"': integer(), 'm"': integer() })), opens: instant(), closes: instant(),
    d: either([constant('y"\\'), choice(['p,"', 'q']), integer(), record({ 'e"': integer() })]),
  })
  const app = intake({ endpoints: { post: endpoint('POST /', { body, rules: (on) => [
    on.absent('body.c', on.any(on.not(on.all(on.is('body.a', 'q"\\'), on.in('body.b', ['z"', 'é,"']))), on.is('body.b', 'v'))),
    on.needed('body.a', on.not(on.is('body.b', 'w"\\'))),
    // Types write names without quotes.
    on.sumWithin('body["x\\"\\\\"][]["n\\""]' as never, { atMost: 5, times: 'body["x\\"\\\\"][]["m\\""]' as never }),
    on.gap('body.opens', 'body.closes', { atLeast: '90m' }),
  ] }) } })
  const sent = { c: 'm', 'x"\\': [{ 'n"': 2, 'm"': 3 }], opens: '2031-03-01T00:00:00Z', closes: '2031-03-01T01:00:00Z', d: true }
  const verdict = await judge(app, { method: 'POST', target: '/', headers: [['content-type', 'application/json']], body: JSON.stringify(sent) })
  const messages = verdict.outcome === 'rejected' ? verdict.errors.map(({ address, message }) => [address, message]) : []
  expect(messages.map(([, message]) => message)).toEqual([
    'must be sent when body.b is not w"\\',
    'must not be sent when not (body.a is q"\\ and body.b is z" or "é,\\"") or body.b is v',
    'must add up to at most 5; body["x\\"\\\\"][]["n\\""] × body["x\\"\\\\"][]["m\\""] adds up to 6',
    'must be at least 1 hour 30 minutes after body.opens ("2031-03-01T00:00:00Z"); "2031-03-01T01:00:00Z" was sent',
    'must be y"\\, one of "p,\\"", q, a whole number, or an object with e"',
  ])
  const { fields } = (await answer(verdict as never).json()) as Enveloped['problem']
  expect(Object.entries(fields).flatMap(([address, all]) => all.map(({ detail }) => [address, detail]))).toEqual(messages)
})
