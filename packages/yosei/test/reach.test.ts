// biome-ignore-all format: a table reads line by line
/** How far rules reach: into whatever holds a record, to other fields' values, and what their functions are reported. */
import { expect, test } from '@jest/globals'
import { decimal, either, endpoint, type Field, instant, intake, integer, judge, judgeParts, later, list, outline, readAs, record, table, tagged, text } from 'yosei'

const optional = { optional: true } as const
type Declaration = Parameters<typeof endpoint>[1]
const told = (declaration: object, body: unknown, engine?: 'interpreted') => {
  const { put } = intake({ endpoints: { put: endpoint('POST /', declaration as Declaration) }, engine }).endpoints
  const verdict = judgeParts(put, { body })
  return verdict.outcome === 'rejected' ? verdict.errors.map(({ address, code, message }) => `${address} ${code}: ${message}`) : []
}
const span = record({ low: integer(), high: integer() }, { rules: (on) => [on.ascending('low', 'high')] })
interface Tree { low: number; high: number; kids?: Tree[] | undefined }
const tree: Field<Tree> = record({ low: integer(), high: integer(), kids: list(later(() => tree), optional) }, { rules: (on) => [on.ascending('low', 'high'), on.inOrder('kids[].low' as never)] })
const [good, bad] = [{ low: 1, high: 2 }, { low: 2, high: 1 }]
const wrong = (at: string) => `${at}.high out_of_order: must be more than ${at}.low (2); 1 was sent`
const rates = record({ rates: table(record({ low: integer(), high: integer(optional) })), top: integer() })
const bill = record({ lines: list(record({ price: decimal(), quantity: integer(optional) })), total: decimal(optional), least: integer(optional) })
const lines = (...all: [string, number?][]) => all.map(([price, quantity]) => (quantity === undefined ? { price } : { price, quantity }))
const room = record({
  seats: integer(), room: record({ seats: integer(optional) }), note: text(optional), names: list(text(), optional), pick: text(optional), by: instant(optional), until: instant(optional),
  rows: list(record({ n: integer(), stock: integer(optional), why: text(optional) }), optional),
})
type On = { readonly [made in 'ascending' | 'needed' | 'absent' | 'above' | 'below' | 'other' | 'sumWithin' | 'exactlyOne' | 'not' | 'in' | 'is' | 'any' | 'while' | 'together']: (...given: unknown[]) => unknown }
const on = (make: (on: On) => unknown) => ({ rules: make as never })

test.each<[string, object, unknown, string[]]>([
  ['recursion, at every level', { body: tree }, { ...good, kids: [bad, { ...good, kids: [good, bad] }] }, [wrong('body.kids[0]'), 'body.kids[1].low out_of_order: must be more than body.kids[0].low (2); 1 was sent', wrong('body.kids[1].kids[1]')]],
  ['a table', { body: record({ rates: table(span) }) }, { rates: { a: good, 'b.c': bad } }, [wrong('body.rates["b.c"]')]],
  ['a list of tables of lists', { body: list(table(list(span))) }, [{ a: [good] }, { a: [good], b: [good, bad] }], [wrong('body[1].b[1]')]],
  ['a branch by trial', { body: record({ x: either([text(), record({ other: text() }), span]) }) }, { x: bad }, [wrong('body.x')]],
  ['another branch, without the rule', { body: record({ x: either([record({ low: integer(), high: integer(), more: text() }), span]) }) }, { x: { ...bad, more: '' } }, []],
  ['a tagged branch that holds itself', { body: tagged('k', { a: span, b: later(() => tree) }) }, { k: 'b', ...good, kids: [bad] }, [wrong('body.kids[0]')]],
  ['a list of lists', { body: list(list(span)) }, [[good], [good, bad]], [wrong('body[1][1]')]],
  ['what is wrong inside is not judged', { body: tree }, { ...good, kids: [{ low: 2, high: 'x' }] }, ['body.kids[0].high wrong_type: must be a whole number; "x" was sent']],
  ['each name of a table', { body: rates, ...on((on) => [on.ascending('body.rates{}.low', 'body.top', { blames: ['body.rates{}.low'] })]) }, { top: 2, rates: { a: good, b: { low: 5 } } }, ['body.rates.b.low out_of_order: must be less than body.top (2); 5 was sent']],
  ['a condition on each name', { body: rates, ...on((on) => [on.needed('body.rates{}.high', on.above('body.rates{}.low', on.other('body.top')))]) }, { top: 2, rates: { a: { low: 3 }, b: { low: 1 } } }, ['body.rates.a.high needed: must be sent when body.rates.a.low is more than body.top (2)']],
  ['the sum of a table', { body: rates, ...on((on) => [on.sumWithin('body.rates{}.low', { atMost: 'body.top' })]) }, { top: 2, rates: { a: good, b: bad } }, ['body.rates above_max: must add up to no more than body.top (2); body.rates{}.low adds up to 3']],
  ['a group in each element', { body: list(record({ a: text(optional), b: text(optional) })), ...on((on) => [on.exactlyOne('body[].a', 'body[].b')]) }, [{ a: 'x' }, {}, { a: 'x', b: 'y' }], ['body[1] none_present: needs one of body[1].a, body[1].b', 'body[2] more_than_one: takes only one of body[2].a, body[2].b']],
  ['another value', { body: room, ...on((on) => [on.needed('body.note', on.above('body.seats', on.other('body.room.seats')))]) }, { seats: 5, room: { seats: 4 } }, ['body.note needed: must be sent when body.seats is more than body.room.seats (4)']],
  ['no other value', { body: room, ...on((on) => [on.needed('body.note', on.above('body.seats', on.other('body.room.seats')))]) }, { seats: 5, room: {} }, []],
  ['of the same element', { body: room, ...on((on) => [on.needed('body.rows[].why', on.below('body.rows[].stock', on.other('body.rows[].n')))]) }, { seats: 5, room: {}, rows: [{ n: 5, stock: 4 }, { n: 3, stock: 4 }, { n: 9 }] }, ['body.rows[0].why needed: must be sent when body.rows[0].stock is less than body.rows[0].n (5)']],
  ['of any element', { body: room, ...on((on) => [on.absent('body.pick', on.not(on.in('body.pick', [on.other('body.names[]'), 'any'])))]) }, { seats: 5, room: {}, names: ['a', 'b'], pick: 'c' }, ['body.pick not_allowed_here: must not be sent unless body.pick is body.names[] or any']],
  ['the same instant, as written elsewhere', { body: room, ...on((on) => [on.absent('body.note', on.is('body.by', on.other('body.until')))]) }, { seats: 1, room: {}, note: 'x', by: '2031-03-01T10:00:00Z', until: '2031-03-01T11:00:00+01:00' }, ['body.note not_allowed_here: must not be sent when body.by is the same as body.until ("2031-03-01T10:00:00Z")']],
  ['a product, exactly', { body: bill, ...on((on) => [on.sumWithin('body.lines[].price', { times: 'body.lines[].quantity', exactly: 'body.total' })]) }, { lines: lines(['0.10', 3], ['-1.5', 2], ['5']), total: '-2.70' }, []],
  ['a product that is not', { body: bill, ...on((on) => [on.sumWithin('body.lines[].price', { times: 'body.lines[].quantity', exactly: 'body.total' })]) }, { lines: lines(['0.01', 3]), total: '0.3' }, ['body.lines unequal: must add up to body.total (0.3); body.lines[].price × quantity adds up to 0.03']],
  ['two limits', { body: bill, ...on((on) => [on.sumWithin('body.lines[].price', { atLeast: 'body.least', atMost: '10.5' })]) }, { lines: lines(['0.10'], ['11']), least: 12 }, ['body.lines above_max: must add up to at most 10.5; body.lines[].price adds up to 11.1', 'body.lines below_min: must add up to no less than body.least (12); body.lines[].price adds up to 11.1']],
  ['a condition of the outer element, in each inner one', { body: list(record({ k: text(optional), tags: list(text()) })), ...on((on) => [on.absent('body[].tags[]', on.is('body[].k', 'x'))]) }, [{ k: 'x', tags: ['a'] }, { tags: ['b'] }, { k: 'x', tags: ['c'] }], ['body[0].tags[0] not_allowed_here: must not be sent when body[0].k is x', 'body[2].tags[0] not_allowed_here: must not be sent when body[2].k is x']],
  ['a sum by value', { body: bill, ...on((on) => [on.sumWithin('body.lines[].price', { exactly: 10n }, { code: 'off' })]) }, { lines: lines(['0.10']) }, ['body.lines off: must add up to 10; body.lines[].price adds up to 0.1']],
])('%s', (_, declaration, body, errors) => {
  expect(told(declaration, body)).toEqual(errors)
  expect(told(declaration, body, 'interpreted')).toEqual(errors)
})

test.each<[string, object, string]>([
  ['elements of two lists', { body: room, ...on((on) => [on.needed('body.note', on.is('body.rows[].why', on.other('body.names[]')))]) }, 'lie in two lists, whose elements are no pairs'],
  ['another kind', { body: room, ...on((on) => [on.while(on.any(on.not(on.above('body.seats', on.other('body.note')))), [on.together('body.note', 'body.pick')])]) }, 'body.seats is a number and body.note a text, which do not compare'],
  ['no order', { body: rates, ...on((on) => [on.needed('body.top', on.above('body.rates', on.other('body.rates')))]) }, 'body.rates holds values that have no order'],
  ['another that is not declared', { body: room, ...on((on) => [on.needed('body.note', on.is('body.pick', on.other('body.nte')))]) }, 'body.nte is not declared. It may be body.note that is meant'],
  ['a sum without a limit', { body: bill, ...on((on) => [on.sumWithin('body.total', { times: 'body.least' })]) }, 'it has no limit'],
  ['a limit that is many', { body: bill, ...on((on) => [on.sumWithin('body.total', { atLeast: 1, atMost: 'body.lines[].quantity' })]) }, 'body.lines[].quantity is no one limit of the sum'],
  ['a sum of texts', { body: room, ...on((on) => [on.sumWithin('body.names[]', { atMost: 'body.seats' })]) }, 'body.names[] holds no numbers'],
])('makes no sense: %s', (_, declaration, mistake) => expect(() => endpoint('POST /', declaration as Declaration)).toThrow(mistake))

test('each says in words what it asks', () => {
  const rules = on((on) => [on.sumWithin('body.lines[].price', { times: 'body.lines[].quantity', exactly: 'body.total' }), on.sumWithin('body.lines[].price', { atLeast: 5 }), on.sumWithin('body.lines[].price', [1, 5]), on.needed('body.total', on.above('body.least', on.other('body.total')))])
  const { rules: said } = outline(endpoint('POST /', { body: bill, ...rules } as Declaration))
  expect(said.map(({ words }) => words)).toEqual(['body.lines must add up to body.total, each times body.lines[].quantity', 'body.lines must add up to no less than 5', 'body.lines must add up to at least 1 and at most 5', 'body.total must be sent when body.least is more than body.total'])
})

test('one object in many places is looked at once for the rules inside of it', () => {
  let shared: object = bad
  for (let depth = 0; depth < 60; depth++) shared = { ...good, kids: [shared, shared] }
  expect(told({ body: tree }, shared).length).toBeLessThan(100)
})

test('functions are told the clock of the judgement and who is asking', async () => {
  const seen: unknown[] = []
  const app = intake({ identify: () => ({ role: 'clerk' }), endpoints: { put: endpoint('PUT /x', {
    who: record({ role: text() }),
    body: record({ a: readAs(integer(), (value, { now, who }) => [value, now.getTime(), who], { code: 'x' }), n: integer(optional) }),
    rules: (on) => [
      on.check({ reads: ['body.a', 'body.n'], code: 'x', holds: (a, n, { now, who }) => seen.push([a, n, now.getTime(), who?.role]) > 0 }),
      on.find({ reads: ['body.n'], code: 'x', finds: (n, { now, who }) => [seen.push([n, now.getTime(), who?.role])].slice(1) as [] }),
      on.fill('body.n', [], ({ now }) => now.getTime()),
    ],
  }) } })
  const verdict = await judge(app, 'PUT /x HTTP/1.1\nContent-Type: application/json\n\n{"a":1}', { now: new Date(7), who: { role: 'clerk' } })
  expect(verdict).toMatchObject({ outcome: 'accepted' })
  const a = [1, 7, { role: 'clerk' }]
  expect(seen).toEqual([[a, 7, 7, 'clerk'], [7, 7, 'clerk']])
})
