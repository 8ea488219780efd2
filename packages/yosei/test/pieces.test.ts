// biome-ignore-all format: a table reads line by line
/** Batches with partial success: each element is judged as if it were alone. */
import { expect, test } from '@jest/globals'
import express from 'express'
import fc from 'fast-check'
import { endpoint, type Field, intake, integer, type JournalEvent, judge, judgeParts, judgeValue, list, type Piece, record, refuse, serve, table, text } from 'yosei'
import { contextOf, gate, inputOf } from 'yosei/node'
import { writeOpenApi } from 'yosei/openapi'
import { judgeParts as inPage } from 'yosei/page'
import { judgeProbe, probesOf } from 'yosei/probe'
import { started } from './service.ts'

const parcel = record(
  { sku: text(), n: integer({ min: 1 }), from: integer({ optional: true }), to: integer({ optional: true }), pin: text({ secret: true, length: [4, 4], optional: true }) },
  { rules: (on) => [on.ascending('from', 'to'), on.check({ reads: ['n'], code: 'odd', message: 'is odd', holds: (n) => n !== 13 })] },
)
type Services = { db: { [sku: string]: string }; asked: unknown[] }
const add = endpoint('POST /parcels', {
  body: record({ note: text(), parcels: list(parcel, { piecewise: true, length: [0, 5] }) }), success: 201,
  rules: (on) => [on.distinct('body.parcels[].sku'), on.needed('body.parcels[].to', on.above('body.parcels[].n', 50))],
  lookups: (on) => {
    const known = on.lookup({ batch: true, reads: ['body.parcels[].sku'], ask: ({ db, asked }: Services, [skus]) => { asked.push(skus); return skus.map((sku) => db[sku]) } })
    return { known, late: on.after({ known }, (_, on) => [on.differ('body.parcels[].from', 'body.parcels[].n')]) }
  },
})
const services = { db: { a: 'A', b: 'B', taken: 'T', c: 'C' }, asked: [] as unknown[] }
const declared = (engine: 'compiled' | 'interpreted') => {
  const events: JournalEvent[] = []
  const app = intake({ endpoints: { add }, engine, journal: { write: (event) => void events.push(event) }, naming: ([, ...names]) => names.join('/') })
  const handle = serve(app, {
    add: ({ body }, { pieces, found, services: _ }) => pieces(body.parcels, (one, index) => {
      if (one.sku === 'taken') return refuse({ status: 409, code: 'taken', message: 'is taken', at: 'body.parcels[].sku' })
      if (one.sku === 'c') throw refuse({ status: 403, code: 'never', message: 'is never sent' })
      return { index, name: found.known.get(one.sku) }
    }),
  }, { services })
  return { app, handle, events }
}
const post = (origin: string, body: unknown, language = 'en') => new Request(`${origin}/parcels`, { method: 'POST', headers: { 'content-type': 'application/json', 'accept-language': language }, body: JSON.stringify(body) })
const [a, b] = [{ sku: 'a', n: 1 }, { sku: 'b', n: 2 }]
type Row = readonly [what: string, parcels: unknown, status: number, pieces: readonly string[], asked?: unknown, note?: unknown]
const rows: readonly Row[] = [
  ['all are right', [a, b], 201, ['201 A', '201 B'], ['a', 'b']],
  ['none is there', [], 201, []],
  ['one is wrong, one is no object', [a, { ...b, n: 0 }, 5], 207, ['201 A', '422 parcels/1/n below_min', '422 parcels/2 wrong_type'], ['a']],
  ['an undeclared name, and null', [{ ...a, x: 1 }, null, b], 207, ['422 parcels/0/x unlisted', '422 parcels/1 null_not_allowed', '201 B'], ['b']],
  ['rules of the record', [{ ...a, from: 9, to: 3 }, { ...b, n: 13 }, { sku: 'taken', n: 1 }, { sku: 'c', n: 1 }], 207, ['422 parcels/0/to out_of_order', '422 parcels/1/n odd', '409 parcels/2/sku taken', '403 parcels/3 never'], ['taken', 'c']],
  ['rules of the endpoint', [a, { ...a, n: 2 }, { ...b, n: 60 }], 207, ['201 A', '422 parcels/1 repeated', '422 parcels/2/to needed'], ['a']],
  ['a lookup and what follows it', [{ sku: 'x', n: 1 }, a, { ...b, from: 2 }], 207, ['422 parcels/0/sku not_found', '201 A', '422 parcels/2/n equal_not_allowed'], ['x', 'a', 'b']],
  ['all are wrong', [{ ...a, n: 0 }, 5], 422, ['parcels/0/n below_min', 'parcels/1 wrong_type']],
  ['all are wrong, by shape and by lookup', [{ ...a, n: 0 }, { sku: 'x', n: 1 }], 422, ['parcels/0/n below_min', 'parcels/1/sku not_found'], ['x']],
  ['something else is wrong', [a, { ...b, n: 0 }], 422, ['note wrong_type', 'parcels/1/n below_min'], undefined, 5],
  ['there are too many', [a, b, 1, 2, 3, 4], 422, ['parcels too_many', 'parcels/2 wrong_type', 'parcels/3 wrong_type', 'parcels/4 wrong_type', 'parcels/5 wrong_type']],
  ['it is no list', { a }, 422, ['parcels wrong_type']],
]
type Told = { readonly [name: string]: readonly { readonly code: string }[] }
const told = (fields: Told) => Object.entries(fields).flatMap(([name, all]) => all.map(({ code }) => `${name} ${code}`))
test.each(['compiled', 'interpreted'] as const)('each counts alone, %s', async (engine) => {
  const { handle, events } = declared(engine)
  for (const [what, parcels, status, pieces, asked, note = 'x'] of rows) {
    services.asked.length = 0
    events.length = 0
    const response = await handle(post('http://h', { note, parcels }))
    const said = (await response.json()) as { pieces?: { status: number; value?: { name: string }; fields?: Told }[]; fields?: Told }
    const found = said.pieces ? said.pieces.map(({ status, value, fields }) => `${status} ${value ? value.name : told(fields as Told)}`) : told(said.fields as Told)
    expect([what, response.status, found, services.asked]).toEqual([what, status, pieces, asked ? [asked] : []])
    // What callers get wrong is logged, of accepted requests too.
    const wrong = pieces.filter((piece) => !piece.startsWith('201')).map((piece) => piece.replace(/^\d+ /, ''))
    expect([what, events.flatMap(({ outcome, errors }) => errors.map(({ address, code }) => `${outcome} ${address.replace(/^body\.?/, '').replaceAll(/\[(\d+)\]/g, '/$1').replaceAll('.', '/')} ${code}`)).sort()]).toEqual([what, wrong.map((one) => `rejected ${one}`).sort()])
  }
})
test('a verdict has the errors at addresses from the root, in the language that is asked for', async () => {
  const { app } = declared('compiled')
  const body = { note: 'x', parcels: [a, { ...b, n: 0, pin: 'hidden' }] }
  const rejected = (n: string, pin: string) => ({ outcome: 'rejected', status: 422, errors: [{ address: 'body.parcels[1].n', pointer: '/parcels/1/n', code: 'below_min', message: n, limit: 1 }, { address: 'body.parcels[1].pin', message: pin }] })
  expect(await judge(app, post('http://h', body, 'de'), { services })).toMatchObject({ outcome: 'accepted', input: { body: { note: 'x', parcels: [{ outcome: 'accepted', value: a }, rejected('muss mindestens 1 sein; gesendet wurde 0', 'darf höchstens 4 Zeichen haben')] } } })
  expect(await judge(app, post('http://h', body))).toMatchObject({ outcome: 'pending', input: { body: { parcels: [{ outcome: 'accepted' }, rejected('must be at least 1; 0 was sent', 'must have at most 4 characters')] } } })
  expect(judgeParts(add, { body }, { language: 'de' })).toMatchObject({ input: { body: { parcels: [{}, rejected('muss mindestens 1 sein; gesendet wurde 0', 'darf höchstens 4 Zeichen haben')] } } })
  const server = express().use(gate(app, { services })).post('/parcels', async (request) => {
    const { send, pieces } = contextOf(add, request)
    await send(await pieces(inputOf(add, request).body.parcels, ({ sku }) => sku))
  })
  const answered = await fetch(post(await started(server), body))
  expect([answered.status, await answered.json()]).toEqual([207, { pieces: [{ status: 201, value: 'a' }, { status: 422, fields: { 'parcels/1/n': [{ code: 'below_min', detail: 'must be at least 1; 0 was sent', pointer: '/parcels/1/n' }], 'parcels/1/pin': [{ code: 'too_long', detail: 'must have at most 4 characters', pointer: '/parcels/1/pin' }] } }] }])
})
test.each(['compiled', 'interpreted'] as const)('each is judged as it would be in a request of its own, %s', async (engine) => {
  const bulk = endpoint('POST /bulk', { body: list(parcel, { piecewise: true }) })
  const lone = endpoint('POST /lone', { body: list(parcel) })
  const app = intake({ endpoints: { bulk, lone }, engine })
  const sent = (target: string, body: unknown) => judge(app, { method: 'POST', target, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) })
  const value = fc.oneof(fc.integer({ min: -2, max: 60 }), fc.constantFrom<unknown>('a', null, '', 13, 1.5, [], {}, true))
  const element = fc.oneof({ weight: 6, arbitrary: fc.record({ sku: fc.constantFrom<unknown>('a', 'b', '', 5, null), n: value, from: value, to: value, pin: value, odd: value }, { requiredKeys: [] }) }, { weight: 1, arbitrary: value })
  await fc.assert(fc.asyncProperty(fc.array(element, { minLength: 1, maxLength: 6 }), async (all) => {
    const each = await Promise.all(all.map((one) => sent('/lone', [one])))
    const codes = each.map((one, index) => (one.outcome === 'rejected' ? one.errors.map(({ address, code, message }) => `${address.replace('[0]', `[${index}]`)} ${code} ${message.replaceAll('body[0]', `body[${index}]`)}`) : 'accepted'))
    const verdict = await sent('/bulk', all)
    const found = verdict.outcome === 'rejected' ? all.map((_, index) => verdict.errors.flatMap(({ address, code, message }) => (address.startsWith(`body[${index}]`) ? `${address} ${code} ${message}` : []))) : (verdict as { input: { body: Piece<unknown>[] } }).input.body.map((one) => (one.outcome === 'rejected' ? one.errors.map(({ address, code, message }) => `${address} ${code} ${message}`) : 'accepted'))
    // Names are compared for suggestions only so often in a request.
    const plain = (some: typeof codes) => some.map((one) => (one === 'accepted' ? one : one.map((error) => error.replace(/; .* may be meant|; it may.*$/, ''))))
    expect([verdict.outcome, plain(found)]).toEqual([codes.includes('accepted') ? 'accepted' : 'rejected', plain(codes)])
  }), { numRuns: 300, seed: Number(process.env.YOSEI_SEED ?? 34) })
})
test('probes break each limit of an element that is alone; a description says what may come', async () => {
  const { app } = declared('compiled')
  const faults = await Promise.all([...probesOf(app)].map(async (one) => (one.outcome === 'unprobed' ? undefined : (await judgeProbe(app, one)).fault)))
  expect(faults.filter((fault) => fault !== undefined)).toEqual([])
  expect(((await writeOpenApi(app)).document.paths['/parcels'] as { post: { responses: object } }).post.responses).toMatchObject({ 207: { description: 'Some of the elements were rejected, each with its errors.' } })
})
const many = (options = {}) => list(parcel, { piecewise: true, ...options })
const of = (body: Field, more: object = {}) => () => endpoint('POST /p', { body, ...more } as never)
type On = { [rule: string]: (...given: unknown[]) => never }
const alone = 'The elements of body.a are judged each alone.'
test.each([
  ['in a list', of(list(many())), 'POST /p, body[]: its elements cannot be judged each alone here. Use piecewise for one list of a body, which lies in records alone'],
  ['in a table', of(table(many())), 'POST /p, body{}: its elements'], ['two of them', of(record({ a: many(), b: many() })), 'POST /p, body.b: its elements'],
  ['in a query', () => endpoint('GET /p', { query: { a: list(integer(), { piecewise: true }) } }), 'GET /p, query.a: its elements'],
  ['a sum', of(record({ a: many(), t: integer() }), { rules: (on: On) => [on.sumWithin?.('body.a[].n', { atMost: 'body.t' })] }), `POST /p, rule sumWithin: it reads body.a[].n, and is not about one element. ${alone} Let it blame the elements`],
  ['a need elsewhere', of(record({ a: many(), t: integer({ optional: true }) }), { rules: (on: On) => [on.needed?.('body.t', on.above?.('body.a[].n', 5))] }), `it reads body.a[].n, and is not about one element. ${alone}`],
  ['a condition around', of(record({ a: many(), t: integer({ optional: true }), u: integer() }), { rules: (on: On) => [on.while?.(on.is?.('body.a[].sku', 'x'), [on.ascending?.('body.t', 'body.u')])] }), `it reads body.a[].sku, and is not about one element. ${alone}`],
  ['the list', of(record({ a: many(), t: integer({ optional: true }) }), { rules: (on: On) => [on.needed?.('body.t', on.sent?.('body.a'))] }), `it reads body.a, and is not about one element. ${alone}`],
  ['a function over all', of(record({ a: many() }), { rules: (on: On) => [on.check?.({ reads: ['body.a[].n'], blames: ['body.a[].n'], code: 'x', holds: () => true })] }), `rule check: it reads body.a[].n, and is not about one element. ${alone} Give it to the record that is the element`],
  ['a function over the body', of(record({ a: many() }), { rules: (on: On) => [on.check?.({ reads: ['body'], code: 'x', holds: () => true })] }), `rule check: it reads body, and is not about one element. ${alone}`],
  ['a lookup', of(record({ a: many() }), { lookups: (on: On) => ({ x: on.lookup?.({ reads: ['body.a[].sku'], ask: () => 1 }) }) }), `POST /p, lookup x: it reads body.a[].sku as a whole. ${alone} Write batch: true`],
  ['a turn', of(record({ a: many() }), { turn: { of: 'x', by: ['body.a'] } }), `POST /p, turn: its key is body.a. ${alone} Name another field`],
])('a mistake: %s', (_, declare, message) => {
  expect(declare).toThrow(message)
})
test('a value, and a form in a page, are accepted or rejected as a whole', () => {
  const field = list(parcel, { piecewise: true })
  const whole = endpoint('POST /p', { body: record({ all: field }) })
  for (const judged of [judgeValue(field, [a, b]), judgeValue(record({ all: field }), { all: [a, b] })]) expect(judged.outcome === 'accepted' && [judged.value].flatMap((one) => ('all' in one ? one.all : one))).toEqual([{ outcome: 'accepted', value: a }, { outcome: 'accepted', value: b }])
  expect(judgeValue(field, [a, 5])).toMatchObject({ outcome: 'rejected', errorsByField: { '[1]': [{ code: 'wrong_type' }] } })
  expect(inPage(whole, { body: { all: [a] } })).toMatchObject({ outcome: 'accepted', input: { body: { all: [{ outcome: 'accepted', value: a }] } } })
  expect(inPage(whole, { body: { all: [a, 5] } })).toMatchObject({ outcome: 'rejected', errors: [{ address: 'body.all[1]' }] })
})
