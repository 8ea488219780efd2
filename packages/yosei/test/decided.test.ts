// biome-ignore-all format: a table reads line by line
/** What the docs decide where a declaration could be meant in two ways: by both engines alike, row by row. */
import { describe, expect, test } from '@jest/globals'
import { allOptional, anything, bigInteger, choice, constant, DeclarationError, day, decimal, duration, either, endpoint, type Field, flag, instant, intake, integer, judge, judgeMerged, judgeParts, later, list, number, readAs, record, table, tagged, text, timeOfDay, tuple } from 'yosei'

const optional = { optional: true } as const
const now = new Date('2031-03-01T12:00:00Z')
type Name = 'ascending' | 'equal' | 'differ' | 'together' | 'exactlyOne' | 'atLeastOne' | 'atMostOne' | 'needed' | 'absent' | 'sumWithin' | 'inOrder' | 'distinct' | 'apart' | 'gap' | 'fits' | 'check' | 'find' | 'while' | 'sent' | 'is' | 'above' | 'suits' | 'not' | 'other'
type On = { readonly [name in Name]: (...given: unknown[]) => never }
type Made = (on: On) => readonly unknown[]
type Sent = { readonly [part: string]: unknown }

/** What an endpoint says by either engine, which must be the same: the input of the part, or the errors. */
function said(declared: object, sent: Sent, part = 'body'): unknown {
  const [compiled, interpreted] = (['compiled', 'interpreted'] as const).map((engine) => {
    const { put } = intake({ engine, endpoints: { put: endpoint('PUT /', declared as never) } }).endpoints
    const verdict = judgeParts(put as never, sent, { now }) as unknown as { outcome: string; input: { [part: string]: unknown }; errors: { address: string; code: string }[]; more: number }
    return verdict.outcome === 'accepted' ? verdict.input[part] : [...verdict.errors.map(({ address, code }) => `${address} ${code}`), ...(verdict.more > 0 ? [`and ${verdict.more}`] : [])]
  })
  expect(compiled).toEqual(interpreted)
  return compiled
}
const inQuery = (field: Field, x: unknown) => said({ query: { x: field } }, { query: { x } }, 'query')
const inBody = (field: Field, x: unknown, more = {}) => said({ body: record({ x: field }), ...more }, { body: { x } })
const coerced = (field: Field, x: unknown) => inBody(field, x, { coerce: true })

describe('a union tries its branches in order, in every source', () => {
  test.each<[string, (field: Field, x: unknown) => unknown, Field, unknown, unknown]>([
    ['a flag before a text, in a query', inQuery, either([flag(), text()]), '0', false],
    ['a text before a flag', inQuery, either([text(), flag()]), '0', '0'],
    ['a number before a decimal', inQuery, either([number(), decimal()]), '1.50', 1.5],
    ['a flag before an integer', inQuery, either([flag(), integer()]), '1', true],
    ['a text that keeps what is empty', inQuery, either([text(), text({ keepEmpty: true })]), '', ''],
    ['and beside others', inQuery, either([integer(), text({ keepEmpty: true, length: [0, 2] })], optional), '', ''],
    ['nothing, where no branch keeps it', inQuery, either([integer(), text()], optional), '', undefined],
    ['an integer from text in JSON', coerced, either([integer(), text()]), '5', 5],
    ['a choice from text in JSON', coerced, either([choice([1, 2]), text()]), '2', 2],
    ['null from text in JSON', coerced, either([constant(null), text()]), 'null', null],
    ['true from text in JSON', coerced, either([flag(), text()]), '1', true],
    ['a constant in a query', inQuery, either([constant(7), text()]), '7', 7],
    ['a number in JSON', inBody, either([integer(), text()]), '5', '5'],
  ])('%s', (_, from, field, sent, read) => expect((from(field, sent) as { x: unknown }).x).toEqual(read))

  const all = record({ all: list(integer()) })
  const shapes = either([record({ kind: constant('circle'), r: number() }), record({ kind: constant('square'), side: number() })])
  test.each<[string, Field, unknown, string[]]>([
    ['the branch that declares what was sent speaks', either([all, record({ any: list(integer()) })]), { all: ['a', 'b', 'c'] }, ['body.x.all[0] wrong_type', 'body.x.all[1] wrong_type', 'body.x.all[2] wrong_type']],
    ['in any order', either([record({ any: list(integer()) }), all]), { all: ['a', 'b', 'c'] }, ['body.x.all[0] wrong_type', 'body.x.all[1] wrong_type', 'body.x.all[2] wrong_type']],
    ['the one whose constants match, before that', either([record({ v: constant(1), a: integer(), b: integer() }), record({ v: constant(2), c: text(), d: text(), e: text() }), record({ c: text(), d: text(), f: text() })]), { v: 1, c: 'x', d: 'x' }, ['body.x.a missing', 'body.x.b missing', 'body.x.c unlisted', 'body.x.d unlisted']],
    ['wherever it stands', either([record({ c: text(), d: text(), f: text() }), record({ v: constant(1), a: integer(), b: integer() })]), { v: 1, c: 'x', d: 'x' }, ['body.x.a missing', 'body.x.b missing', 'body.x.c unlisted', 'body.x.d unlisted']],
    ['the one with the fewest errors', either([record({ a: integer(), b: integer() }), record({ a: integer(), b: text() })]), { a: 'x', b: 'x' }, ['body.x.a wrong_type']],
    ['the deepest of as many', either([record({ a: integer(), b: record({ c: integer() }, optional) }), record({ a: text(), b: record({ c: text() }) })]), { a: 'x', b: { c: 5 } }, ['body.x.b.c wrong_type']],
    ['an unknown constant is wrong at its field', shapes, { kind: 'oval', r: 1 }, ['body.x.kind not_a_choice']],
    ['one that was not sent as well', shapes, { r: 1 }, ['body.x.kind missing']],
    ['one of another type', shapes, { kind: 5 }, ['body.x.kind wrong_type']],
    ['and null', shapes, { kind: null }, ['body.x.kind null_not_allowed']],
    ['what comes close to none', shapes, 5, ['body.x no_branch']],
    ['what is wrong inside repeats nothing', list(record({ n: integer() }), { distinct: true }), [{ n: 'a' }, { n: 'a' }], ['body.x[0].n wrong_type', 'body.x[1].n wrong_type']],
    ['nor as a whole', list(record({ n: integer(), k: text() }), { distinct: 'k' }), [5, 5, { n: 'a', k: 'x' }, { n: 1, k: 'x' }], ['body.x[0] wrong_type', 'body.x[1] wrong_type', 'body.x[2].n wrong_type', 'body.x[3].k repeated']],
  ])('%s', (_, field, sent, errors) => expect(inBody(field, sent)).toEqual(errors))
  test('an unknown constant is told with all that there are', () => {
    const verdict = judgeParts(endpoint('PUT /', { body: record({ x: shapes }) }), { body: { x: { kind: 'oval' } } })
    expect(verdict.outcome === 'rejected' && verdict.errors).toMatchObject([{ message: 'must be one of circle, square; "oval" was sent', limit: ['circle', 'square'] }])
  })
})

const row = record({ k: text(optional), n: integer(optional), m: integer(optional), at: integer(optional), to: integer(optional), price: decimal(optional), times: integer(optional) })
const body = record({ rows: list(row, { optional: true, length: [0, 4] }), name: text(optional), least: integer(optional), total: decimal(optional), pair: tuple([record({ a: text(optional) }, { nullable: true })], optional), word: text(optional), limit: either([integer(), text()], optional), when: instant(optional), span: duration(optional), big: bigInteger(optional), size: number(optional), single: integer({ optional: true, nullable: true }), grid: list(record({ max: integer(optional), cells: list(integer(), optional) }), optional), nums: list(integer(), optional), prices: list(decimal(), optional), rates: table(record({ low: integer(optional) }, { nullable: true }), optional), room: record({ seats: integer(optional), tables: integer(optional) }, optional), kept: list(anything(), optional), tables: list(table(integer()), optional) })
const ruled = (rules: Made, sent: unknown) => said({ body, rules }, { body: sent })
const rows = (...all: unknown[]) => ({ rows: all })

describe('rules over elements', () => {
  test.each<[string, Made, unknown, string[] | true]>([
    // A condition selects the elements that a rule speaks of, `not` included.
    ['while, for each element', (on: On) => [on.while(on.is('body.rows[].k', 'x'), [on.ascending('body.rows[].n', 'body.rows[].m')])], rows({ k: 'x', n: 2, m: 1 }, { k: 'y', n: 2, m: 1 }), ['body.rows[0].m out_of_order']],
    ['while not, which one element cannot turn off', (on: On) => [on.while(on.not(on.is('body.rows[].k', 'x')), [on.ascending('body.rows[].n', 'body.rows[].m')])], rows({ k: 'x' }, { k: 'y', n: 2, m: 1 }), ['body.rows[1].m out_of_order']],
    ['distinct among those selected', (on: On) => [on.while(on.is('body.rows[].k', 'x'), [on.distinct('body.rows[].n')])], rows({ k: 'x', n: 1 }, { k: 'y', n: 1 }, { k: 'x', n: 1 }), ['body.rows[2] repeated']],
    ['distinct among all but those', (on: On) => [on.while(on.not(on.is('body.rows[].k', 'x')), [on.distinct('body.rows[].n')])], rows({ k: 'x', n: 1 }, { k: 'y', n: 1 }, { k: 'x', n: 1 }, { n: 1 }), ['body.rows[3] repeated']],
    ['in order among those selected', (on: On) => [on.while(on.is('body.rows[].k', 'x'), [on.inOrder('body.rows[].n')])], rows({ k: 'x', n: 1 }, { k: 'y', n: 9 }, { k: 'x', n: 2 }), true],
    ['apart among those selected', (on: On) => [on.while(on.is('body.rows[].k', 'x'), [on.apart('body.rows[].at', 'body.rows[].to')])], rows({ k: 'x', at: 1, to: 5 }, { k: 'y', at: 2, to: 3 }, { k: 'x', at: 4, to: 6 }), ['body.rows[2] overlaps']],
    ['a sum of those selected', (on: On) => [on.while(on.is('body.rows[].k', 'x'), [on.sumWithin('body.rows[].n', { atMost: 5 })])], rows({ k: 'x', n: 3 }, { k: 'y', n: 9 }, { k: 'x', n: 2 }), true],
    ['of spans that begin together, the later is wrong', (on: On) => [on.apart('body.rows[].at', 'body.rows[].to')], rows({ at: 1, to: 3 }, { at: 1, to: 5 }, { at: 1, to: 2 }), ['body.rows[1] overlaps', 'body.rows[2] overlaps']],
    ['what stands below a wrong value is not needed', (on: On) => [on.needed('body.room.seats', on.sent('body.name'))], { name: 'a', room: 5 }, ['body.room wrong_type']],
    ['nor in a wrong element', (on: On) => [on.needed('body.rows[].n', on.sent('body.name'))], { name: 'a', rows: [5, {}] }, ['body.rows[0] wrong_type', 'body.rows[1].n needed']],
    ['no sum where none is selected', (on: On) => [on.while(on.is('body.rows[].k', 'x'), [on.sumWithin('body.rows[].n', { atLeast: 5 })])], rows({ k: 'y', n: 1 }), true],
    ['a sum, whose condition lies outside, of none', (on: On) => [on.while(on.sent('body.name'), [on.sumWithin('body.rows[].n', { atLeast: 5 })])], { name: 'a', rows: [] }, ['body.rows below_min']],
    ['an own check at those selected', (on: On) => [on.while(on.is('body.rows[].k', 'x'), [on.check({ reads: ['body.rows[].n'], code: 'odd', holds: () => false })])], rows({ k: 'x', n: 1 }, { k: 'y', n: 1 }), ['body.rows[0].n odd']],
    ['an own search at those selected', (on: On) => [on.while(on.not(on.is('body.rows[].k', 'x')), [on.find({ reads: ['body.rows[].n'], code: 'odd', finds: (all: unknown[]) => all.map((_, i) => ({ at: `body.rows[${i}].n` })) })])], rows({ k: 'x', n: 1 }, { k: 'y', n: 1 }), ['body.rows[1].n odd']],
    ['one of several, of those selected', (on: On) => [on.while(on.is('body.rows[].k', 'x'), [on.atMostOne('body.name', 'body.rows[].n')])], { name: 'a', rows: [{ k: 'y', n: 1 }, { k: 'x' }] }, true],
    ['two conditions, of which one lies outside', (on: On) => [on.while(on.sent('body.name'), [on.while(on.is('body.rows[].k', 'x'), [on.distinct('body.rows[].n')])])], rows({ k: 'x', n: 1 }, { k: 'x', n: 1 }), true],
    ['outside, no element meets it', (on: On) => [on.needed('body.name', on.not(on.is('body.rows[].k', 'x')))], rows({ k: 'y' }, { k: 'x' }), true],
    ['another field of the same element', (on: On) => [on.needed('body.name', on.not(on.above('body.rows[].n', on.other('body.rows[].m'))))], rows({ n: 1, m: 5 }, { n: 9, m: 10 }), ['body.name needed']],
    ['and not of every other', (on: On) => [on.needed('body.name', on.above('body.rows[].n', on.other('body.rows[].m')))], rows({ n: 5, m: 9 }, { n: 1, m: 2 }), true],
    ['a list in each element', (on: On) => [on.needed('body.name', on.above('body.grid[].cells[]', on.other('body.grid[].max')))], { grid: [{ max: 5, cells: [1, 5] }, { max: 1, cells: [2] }] }, ['body.name needed']],
    // What is known is judged; one malformed element hides nothing between the others.
    ['too great already', (on: On) => [on.sumWithin('body.rows[].n', { atMost: 5 })], rows({ n: 3 }, { n: 'x' }, { n: 4 }), ['body.rows above_max', 'body.rows[1].n wrong_type']],
    ['perhaps not too little', (on: On) => [on.sumWithin('body.rows[].n', { atLeast: 9, exactly: 9 })], rows({ n: 3 }, { n: 'x' }), ['body.rows[1].n wrong_type']],
    ['an element that may be selected', (on: On) => [on.while(on.is('body.rows[].k', 'x'), [on.sumWithin('body.rows[].n', { atLeast: 9 })])], rows({ k: 'x', n: 3 }, { k: 5, n: 9 }), ['body.rows[1].k wrong_type']],
    ['a list inside that was not read', (on: On) => [on.sumWithin('body.tables[]{}', { atLeast: 9 })], { tables: [{ a: 3 }, 'x'] }, ['body.tables[1] wrong_type']],
    ['nor an element of it', (on: On) => [on.sumWithin('body.tables[]{}', { exactly: 9 })], { tables: [{ a: 3, b: 'x' }] }, ['body.tables[0].b wrong_type']],
    ['an element that is not', (on: On) => [on.while(on.is('body.rows[].k', 'x'), [on.sumWithin('body.rows[].n', { atLeast: 9 })])], rows({ k: 'x', n: 3 }, { k: 'y', n: 'z' }), ['body.rows below_min', 'body.rows[1].n wrong_type']],
    ['a limit that is no number waits with its sum', (on: On) => [on.sumWithin('body.rows[].n', { exactly: 3, atLeast: 'body.limit' })], { ...rows({ n: 1 }, { n: 'x' }), limit: 'y' }, ['body.rows[1].n wrong_type']],
    ['and is told with it', (on: On) => [on.sumWithin('body.rows[].n', { exactly: 1, atLeast: 'body.limit' })], { ...rows({ n: 1 }), limit: 'y' }, ['body.limit wrong_type']],
    ['repeated among the others', (on: On) => [on.distinct('body.rows[].n')], rows({ n: 1 }, { n: 'x' }, { n: 1 }), ['body.rows[1].n wrong_type', 'body.rows[2] repeated']],
    ['in order among the others', (on: On) => [on.inOrder('body.rows[].n')], rows({ n: 2 }, { n: 'x' }, { n: 1 }), ['body.rows[1].n wrong_type', 'body.rows[2].n out_of_order']],
    ['apart among the others', (on: On) => [on.apart('body.rows[].at', 'body.rows[].to')], rows({ at: 1, to: 5 }, { at: 'x', to: 9 }, { at: 2, to: 3 }), ['body.rows[1].at wrong_type', 'body.rows[2] overlaps']],
    ['too many hide nothing inside', (on: On) => [on.ascending('body.rows[].n', 'body.rows[].m'), on.distinct('body.rows[].k')], rows({ n: 2, m: 1 }, {}, {}, { k: 'x' }, { k: 'x' }), ['body.rows too_many', 'body.rows[0].m out_of_order', 'body.rows[4] repeated']],
    ['but an own function, which gets them all', (on: On) => [on.check({ reads: ['body.rows[].n'], code: 'odd', holds: () => false })], rows({}, {}, {}, {}, {}), ['body.rows too_many']],
    ['nor an own search', (on: On) => [on.find({ reads: ['body.rows[].n'], code: 'odd', finds: () => [{ at: 'body.rows[0].n' }] })], rows({}, {}, {}, {}, {}), ['body.rows too_many']],
    ['a condition on another list waits', (on: On) => [on.needed('body.rows[].k', on.above('body.nums[]', 5))], { ...rows({}), nums: ['x', 9] }, ['body.nums[0] wrong_type']],
    ['what must not be there, however wrong', (on: On) => [on.absent('body.least', on.sent('body.name'))], { name: 'a', least: 'x' }, ['body.least wrong_type', 'body.least not_allowed_here']],
    ['of a table too', (on: On) => [on.absent('body.rates{}', on.sent('body.name'))], { name: 'a', rates: { b: 'x' } }, ['body.rates.b wrong_type', 'body.rates.b not_allowed_here']],
    ['unless the condition looks at it', (on: On) => [on.absent('body.least', on.not(on.is('body.least', 5)))], { least: 'x' }, ['body.least wrong_type']],
    // Nothing is needed in what is null.
    ['in a tuple', (on: On) => [on.needed('body.pair[0].a', on.sent('body.name'))], { name: 'a', pair: [null] }, true],
    ['nor in one that is not there', (on: On) => [on.needed('body.pair[0].a', on.sent('body.name'))], { name: 'a' }, true],
    ['nor in a table', (on: On) => [on.needed('body.rates{}.low', on.sent('body.name'))], { name: 'a', rates: { x: null, y: {} } }, ['body.rates.y.low needed']],
    // A limit that was not sent switches no other off.
    ['one limit of two', (on: On) => [on.sumWithin('body.rows[].n', { atMost: 5, atLeast: 'body.least' })], rows({ n: 6 }), ['body.rows above_max']],
    ['and both', (on: On) => [on.sumWithin('body.rows[].n', { atMost: 5, atLeast: 'body.least' })], { ...rows({ n: 1 }), least: 2 }, ['body.rows below_min']],
    ['a sum of a single null', (on: On) => [on.sumWithin('body.single', { atLeast: 5 })], { single: null }, true],
    ['decimals times a number', (on: On) => [on.sumWithin('body.rows[].price', { times: 'body.rows[].times', exactly: 'body.total' })], { ...rows({ price: '0.10', times: 3 }, { price: '12345678901234.5', times: 2 }, { price: '1' }), total: '24691357802469.3' }, true],
    // What is blamed in a list of none is blamed at the list.
    ['what is no number, times itself, is told once', (on: On) => [on.sumWithin('body.kept[]', { times: 'body.kept[]', atMost: 1 })], { kept: ['x', 2, 'y'] }, ['body.kept[0] wrong_type', 'body.kept[2] wrong_type']],
    ['an error is never without a place', (on: On) => [on.check({ reads: ['body.name', 'body.rows[].n'], code: 'odd', holds: () => false })], { name: 'a', rows: [] }, ['body.rows odd']],
    ['nor where the list is not there', (on: On) => [on.sumWithin('body.nums[]', { atLeast: 5 }, { blames: ['body.rows[].n'] })], { nums: [1] }, ['body.rows below_min']],
    ['a group of other parts, once', (on: On) => [on.atMostOne('body.rows[].n', 'query', 'body.name')], { name: 'a', ...rows({ n: 1 }, { n: 2 }) }, ['body.rows more_than_one']],
    ['texts in their own order, though they look like numbers', (on: On) => [on.ascending('body.name', 'body.word')], { name: '10', word: '9' }, true],
    ['and the other way round', (on: On) => [on.ascending('body.name', 'body.word')], { name: '9', word: '10' }, ['body.word out_of_order']],
    // Same by value.
    ['decimals', (on: On) => [on.distinct('body.rows[].price')], rows({ price: '1.0' }, { price: '1.00' }), ['body.rows[1] repeated']],
    ['decimals, in order', (on: On) => [on.inOrder('body.prices[]', { orEqual: true })], { prices: ['1.0', '1.00', '01.0'] }, ['body.prices[2] wrong_type']],
    ['lists of decimals', (on: On) => [on.equal('body.prices', 'body.prices')], { prices: ['1.0'] }, true],
    // More than is kept is counted.
    ['all of a thousand', (on: On) => [on.ascending('body.kept[]', 'body.least' as never)], { kept: Array.from({ length: 1101 }, () => 9), least: 1 }, [...Array.from({ length: 50 }, () => 'body.least out_of_order'), 'and 1051']],
  ])('%s', (_, rules, sent, errors) => (errors === true ? expect(ruled(rules, sent)).not.toBeInstanceOf(Array) : expect(ruled(rules, sent)).toEqual(errors)))
})

test('of spans that end together, the first is named', () => {
  const spans = endpoint('PUT /', { body, rules: (on) => [on.apart('body.rows[].at', 'body.rows[].to')] })
  const verdict = judgeParts(spans, { body: rows({ at: 1, to: 5 }, { at: 2, to: 5 }, { at: 3, to: 4 }) })
  expect(verdict.outcome === 'rejected' && verdict.errors.map(({ address, message }) => `${address} ${message}`)).toEqual(['body.rows[1] must not overlap body.rows[0]', 'body.rows[2] must not overlap body.rows[0]'])
})

describe('what is sent, what touches, and what is wrong above', () => {
  test.each<[string, Made, unknown, string[] | true]>([
    ['an empty text in JSON is sent', (on: On) => [on.together('body.name', 'body.size')], { name: '' }, ['body not_together']],
    ['spans may touch', (on: On) => [on.apart('body.rows[].at', 'body.rows[].to')], rows({ at: 1, to: 2 }, { at: 2, to: 3 }), true],
    ['nothing is needed inside of what is wrong itself', (on: On) => [on.needed('body.room.seats', on.sent('body.size'))], { room: 5, size: 1 }, ['body.room wrong_type']],
  ])('%s', (_, rules, sent, errors) => (errors === true ? expect(ruled(rules, sent)).not.toBeInstanceOf(Array) : expect(ruled(rules, sent)).toEqual(errors)))
  test('a distance needs values that have one, and objects that can be compared', () => {
    const gap = (field: Field, ...more: unknown[]) => () => endpoint('PUT /', { body: record({ a: field, b: field }), rules: (on) => [(on as unknown as On).gap('body.a', 'body.b', { atLeast: 1 }), ...more.map((make) => (make as (on: unknown) => never)(on))] })
    expect(gap(text())).toThrow('holds values that have no distance')
    const own = readAs(integer(), (n) => ({ n }), { code: 'odd' })
    expect(gap(own)).not.toThrow()
    const filled = { fill: (on: { fill(...given: unknown[]): never }) => on.fill('body.b', ['body.a'], (a: unknown) => a) }
    expect(gap(allOptional(record({ a: own })).fields.a as Field, filled.fill)).toThrow('nothing says what makes two of them the same')
  })
  test('also if a message is judged without code', async () => {
    const app = intake({ engine: 'interpreted', endpoints: { put: endpoint('PUT /', { body, rules: (on) => [on.together('body.name', 'body.size')] }) } })
    expect(await judge(app, 'PUT / HTTP/1.1\nContent-Type: application/json\n\n{"name":""}')).toMatchObject({ errors: [{ address: 'body', code: 'not_together' }] })
  })
  test.each(['compiled', 'interpreted'] as const)('what a function says of a secret that it has read is left out: %s', async (engine) => {
    const causes: unknown[] = []
    const boom = (pin: unknown): never => { throw new Error(`no ${pin}`) }
    const put = endpoint('PUT /', { body: record({ pin: text({ secret: true }) }), rules: (on) => [on.check({ reads: ['body.pin'], code: 'odd', holds: boom })] })
    await judge(intake({ engine, endpoints: { put }, journal: { write: ({ cause }) => causes.push(cause) } }), 'PUT / HTTP/1.1\nContent-Type: application/json\n\n{"pin":"1234"}')
    expect(causes.map((cause) => (cause as Error).message)).toEqual(['the function of check over body.pin threw Error. It has read a secret, so what it says is left out'])
  })
  test('a trace has names that are kept, too', () => {
    const kept = endpoint('PUT /', { body: record({}, { unlisted: 'keep' }) })
    expect(judgeParts(kept, { body: { more: 1 } }, { trace: true }).trace?.readings.map(({ address }) => address)).toContain('body.more')
  })
})

describe('another field, as a rule and as a condition', () => {
  const held: Field<unknown[]> = list(later(() => held))
  const seats = record({ seats: integer(optional), tables: integer(optional) }, { rules: (on) => [on.ascending('tables', 'seats')] })
  test.each<[string, Made, unknown, string[] | true]>([
    ['the rules of its record hold', (on: On) => [on.fits('body.room', seats)], { room: { seats: 1, tables: 5 } }, ['body.room.seats out_of_order']],
    ['as a condition too', (on: On) => [on.needed('body.name', on.suits('body.room', seats))], { room: { seats: 1, tables: 5 } }, true],
    ['and where they do', (on: On) => [on.needed('body.name', on.suits('body.room', seats))], { room: { seats: 5, tables: 1 } }, ['body.name needed']],
    ['its own code is that of all inside', (on: On) => [on.fits('body.room', record({ seats: integer({ max: 1 }), tables: integer({ max: 1 }) }), { code: 'too_large_a_room', message: 'is too large' })], { room: { seats: 5, tables: 5 } }, ['body.room.seats too_large_a_room', 'body.room.tables too_large_a_room']],
    ['a field that holds itself', (on: On) => [on.fits('body.kept', held)], { kept: [[], [5]] }, ['body.kept[1][0] wrong_type']],
    ['a text that is an instant', (on: On) => [on.needed('body.name', on.suits('body.word', instant() as never))], { word: '2031-03-01T00:00:00Z' }, ['body.name needed']],
    ['a text that is a big integer', (on: On) => [on.needed('body.name', on.suits('body.word', bigInteger() as never))], { word: '5' }, ['body.name needed']],
    ['a number that is a duration', (on: On) => [on.needed('body.name', on.suits('body.size', duration() as never))], { size: 1.5 }, ['body.name needed']],
    ['a moment', (on: On) => [on.needed('body.name', on.suits('body.when', instant({ from: '2031-01-01T00:00:00Z' })))], { when: '2031-03-01T00:00:00Z' }, ['body.name needed']],
    ['a moment before it', (on: On) => [on.needed('body.name', on.suits('body.when', instant({ from: '2031-01-01T00:00:00Z' })))], { when: '2030-03-01T00:00:00Z' }, true],
  ])('%s', (_, rules, sent, errors) => (errors === true ? expect(ruled(rules, sent)).not.toBeInstanceOf(Array) : expect(ruled(rules, sent)).toEqual(errors)))
  test('a code of its own leaves the words as they are', () => {
    const declared = endpoint('PUT /', { body: record({ n: integer() }), rules: (on) => [on.fits('body.n', integer({ max: 5 }), { code: 'dear', status: 409 })] })
    const verdict = judgeParts(declared, { body: { n: 9 } })
    expect(verdict.outcome === 'rejected' && [verdict.status, verdict.errors]).toMatchObject([409, [{ code: 'dear', message: 'must be at most 5; 9 was sent' }]])
  })
})

describe('records with rules', () => {
  const inner = { rules: (on: On) => [on.needed('a', on.not(on.sent('b')))] }
  const ruledRecord = record({ a: text(optional), b: text(optional) }, { ...optional, ...inner } as never)
  const branch = (field: object) => record({ kind: choice(['p', 'q'], optional), c: field as never }, { rules: (on: On) => [on.gap('c', 'c', { atLeast: 1 })] } as never)
  test.each<[string, object, unknown, string[] | true]>([
    ['ask nothing of one that was not sent', { body: record({ r: ruledRecord }) }, {}, true],
    ['nor of a body that is null', { body: record({ a: text(optional), b: text(optional) }, { nullable: true, ...inner } as never) }, null, true],
    ['nor in a list of none', { body: record({ rows: list(record({ r: ruledRecord })) }) }, { rows: [{}, { r: {} }] }, ['body.rows[1].r.a needed']],
    ['hold for the branch that took the value', { unlisted: { body: 'drop' }, body: record({ u: either([record({ c: integer(optional), a: text(optional) }, { rules: (on: On) => [on.exactlyOne('c', 'a')] } as never), record({})]) }) }, { u: { c: 'x' } }, true],
    ['look at their own branch alone', { body: record({ u: tagged('k', { x: record({ c: timeOfDay() }), y: branch(integer()) as never }) }) }, { u: { k: 'y', c: 5 } }, ['body.u.c too_close']],
    // The name under which a value stands may be declared by another branch as something else.
    ['look at what is declared, not at a name that another branch has', { body: record({ u: tagged('k', { x: record({ m: tagged('k', { x: record({ c: instant() }) }) }), y: record({ m: table(integer()) }) }) }), rules: (on: On) => [on.gap('body.u.m{}', 'body.u.m{}', { atLeast: 1 })] }, { u: { k: 'y', m: { c: 1 } } }, ['body.u.m.c too_close']],
    ['see nothing of what was kept', { unlisted: { body: 'keep' }, body: record({ u: either([record({ at: instant(), to: instant() }), record({ to: text(optional) })]) }), rules: (on: On) => [on.needed('body.u.to', on.is('body.u.at', new Date(0)))] }, { u: { at: 'x' } }, true],
  ])('%s', (_, declared, sent, errors) => (errors === true ? expect(said(declared, { body: sent })).not.toBeInstanceOf(Array) : expect(said(declared, { body: sent })).toEqual(errors)))
})

describe('numbers by what was written', () => {
  const said = async (field: Field, json: string) => {
    const verdict = await judge(intake({ endpoints: { put: endpoint('PUT /', { body: field }) } }), `PUT / HTTP/1.1\nContent-Type: application/json\n\n${json}`)
    return verdict.outcome === 'rejected' ? verdict.errors.map(({ code }) => code).join() : verdict.outcome === 'accepted' ? verdict.input.body : 'pending'
  }
  test.each<[string, Field, string, unknown]>([
    ['zero, however it is written', integer(), '0.0e-308', 0], ['15 tens', integer(), '150.0e-1', 15], ['no whole number', integer(), '150.0e-2', 'not_whole'],
    ['a multiple that no float is', number({ step: 10 }), '1e23', 1e23], ['no multiple', number({ step: 10 }), '100000000000000000000001', 'not_a_step'],
    ['three times', number({ step: 0.1 }), '0.3', 0.3], ['a little more', number({ step: 0.1 }), '0.30000000000000004', 'not_a_step'], ['a cent', number({ step: 0.01 }), '1234567.89', 1234567.89],
    ['beyond its limit by less than a float has', number({ max: 0.3 }), '0.30000000000000000001', 'above_max'], ['at it', number({ max: 0.3 }), '0.30000000000000000000', 0.3],
    ['beyond a large limit', number({ max: 9007199254740992 }), '9007199254740993', 'above_max'], ['below', number({ above: 0.1 }), '0.1000000000000000000001', 0.1],
  ])('%s, alone and in what holds it', async (_, field, json, expected) => {
    expect(await said(field, json)).toEqual(expected)
    const isWrong = typeof expected === 'string'
    expect(await said(record({ a: field }), `{ "a": ${json} }`)).toEqual(isWrong ? expected : { a: expected })
    expect(await said(list(field), `[${json}]`)).toEqual(isWrong ? expected : [expected])
    expect(await said(table(field), `{ "a": ${json} }`)).toEqual(isWrong ? expected : { a: expected })
    expect(await said(tuple([field]), `[${json}]`)).toEqual(isWrong ? expected : [expected])
  })
  test('in a query as well', () => {
    expect(inQuery(number({ max: 0.3 }), '0.30000000000000000001')).toEqual(['query.x above_max'])
    expect(inQuery(either([number({ max: 0.3 }), text()]), '0.30000000000000000001')).toEqual({ x: '0.30000000000000000001' })
  })
})

test('values are the same by what they stand for, in a list', () => {
  const written = text({ format: 'date-time' })
  expect(inBody(list(decimal(), { distinct: true }), ['1.0', '2', '1.00'])).toEqual(['body.x[2] repeated'])
  expect(inBody(list(written, { distinct: true }), ['2031-03-01T00:00:00Z', '2031-03-01T01:00:00+01:00'])).toEqual(['body.x[1] repeated'])
  expect(inBody(list(record({ p: decimal() }), { distinct: 'p' }), [{ p: '1' }, { p: '1.0' }])).toEqual(['body.x[1].p repeated'])
  expect(inBody(list(list(decimal()), { distinct: true }), [['1.0'], ['1.00']])).toEqual(['body.x[1] repeated'])
  const shapes = tagged('kind', { a: record({ n: integer() }), b: record({}) })
  expect(inBody(list(shapes, { distinct: 'kind' as never }), [{ kind: 'b' }, { kind: 'a', n: 1 }, { kind: 'b' }])).toEqual(['body.x[2].kind repeated'])
})

test('the elements of a header field are split outside of quoted strings', async () => {
  const app = intake({ endpoints: { get: endpoint('GET /', { header: { 'if-match': list(text()) } }) } })
  const verdict = await judge(app, 'GET / HTTP/1.1\nIf-Match: "a,b", W/"c\\"d,e" ,, "f"\nIf-Match: g\n\n')
  expect(verdict.outcome === 'accepted' && verdict.input.header).toEqual({ 'if-match': ['"a,b"', 'W/"c\\"d,e"', '"f"', 'g'] })
})

test.each([
  ['America/St_Johns', '2010-03-14T00:00:30', '2010-03-14T03:30:30.000Z'], ['America/St_Johns', '2010-03-14T00:30:00', 'unreal_date'], ['America/St_Johns', '2010-11-07T00:00:30', '2010-11-07T02:30:30.000Z'], ['America/St_Johns', '2010-03-14T01:05:00', '2010-03-14T03:35:00.000Z'], ['Asia/Gaza', '2010-03-27T01:05:00', '2010-03-26T22:05:00.000Z'],
  ['Asia/Gaza', '2010-03-27T00:00:30', '2010-03-26T22:00:30.000Z'], ['Asia/Gaza', '2010-03-27T00:30:00', 'unreal_date'],
  ['Antarctica/Casey', '2020-10-04T00:00:30', '2020-10-03T16:00:30.000Z'], ['Antarctica/Casey', '2020-10-04T01:30:00', 'unreal_date'], ['Antarctica/Casey', '2020-10-04T03:01:00', '2020-10-03T16:01:00.000Z'],
  ['America/St_Johns', '1890-01-01T00:00:00', '1890-01-01T03:30:52.000Z'], ['Africa/Monrovia', '1960-01-01T00:00:00', '1960-01-01T00:44:30.000Z'],
])('%s shows %s', (zone, shown, expected) => {
  const read = inBody(instant({ zone }), shown)
  expect(Array.isArray(read) ? read[0].split(' ')[1] : (read as { x: Date }).x.toISOString()).toBe(expected)
})

describe('defaults', () => {
  const on = (field: Field, day: string) => judgeParts(endpoint('PUT /', { body: record({ x: field }) }), { body: {} }, { now: new Date(`${day}T12:00:00Z`) }) as { outcome: string; status?: number; input?: object }
  const late = () => day({ from: '+1d', default: '2031-03-02' })
  test('are checked by the clock of each judgement', () => {
    const field = late()
    expect([on(field, '2031-03-01').outcome, on(field, '2031-04-01').status, on(field, '2031-03-01').outcome]).toEqual(['accepted', 500, 'accepted'])
    expect(on(readAs(late(), (read) => read, { code: 'odd' }), '2031-04-01').status).toBe(500)
    expect(on(list(record({ d: late() }), { default: () => [{} as never] }), '2031-04-01').status).toBe(500)
  })
  test('that a field never takes are a mistake, with their address', () => {
    const at = (field: Field) => () => endpoint('PUT /', { body: record({ x: field }) })
    expect(at(either([record({ a: integer({ max: 5, default: 9 }) }), text()]))).toThrow(/body\.x\.a: its own default/)
    expect(at(readAs(list(integer({ max: 5 }), { default: [9] }), (read) => read, { code: 'odd' }))).toThrow(/body\.x\[0\]: its own default/)
    expect(() => readAs(integer(), (read) => read, { code: 'odd', default: 9 } as never)).toThrow(/Give default to the base/)
  })
  test('in a union are made where a value is put', () => {
    const soon = () => new Date(Date.now() + 3 * 86_400_000)
    const put = endpoint('PUT /', { body: record({ u: either([record({ at: instant({ until: '+1y', default: soon }) }), text()]) }) })
    expect(judgeMerged(put, { u: {} }, {})).toMatchObject({ outcome: 'accepted' })
  })
})

test('a part that was not sent has none of its fields', () => {
  const verdict = judgeParts(endpoint('GET /', { query: { a: text(optional), b: text(optional) }, rules: (on) => [on.exactlyOne('query.a', 'query.b')] }), {})
  expect(verdict.outcome === 'rejected' && verdict.errors.map(({ address, code }) => `${address} ${code}`)).toEqual(['query none_present'])
})

test('who is asking is told to the rules of a record that a value must fit', async () => {
  const room = record({ seats: integer() }, { rules: (on) => [on.check({ reads: ['seats'], code: 'for_clerks', holds: (seats, { who }) => seats < 5 || (who as { role: string }).role === 'clerk' })] })
  const app = intake({ identify: () => undefined, endpoints: { put: endpoint('POST /', { who: record({ role: text() }), body: record({ room: record({ seats: integer() }) }), rules: (on) => [on.fits('body.room', room as never)] }) } })
  const as = async (role: string) => (await judge(app, { method: 'POST', target: '/', headers: { 'content-type': 'application/json' }, body: '{"room":{"seats":9}}' }, { services: {}, who: { role } })).outcome
  expect([await as('clerk'), await as('guest')]).toEqual(['accepted', 'rejected'])
})

test('elements that came as one text were sent', () => {
  const verdict = judgeParts(endpoint('GET /', { query: { ids: list(integer(), { explode: false }), q: text(optional) }, rules: (on) => [on.needed('query.q', on.sent('query.ids[]'))] }), { query: { ids: '1,2' } })
  expect(verdict.outcome === 'rejected' && verdict.errors.map(({ address, code }) => `${address} ${code}`)).toEqual(['query.q needed'])
})

test('what one object at many places, and a union that takes nothing, leave behind', () => {
  const tree: Field<unknown> = record({ n: integer(), parts: list(later(() => tree)) })
  const verdict = judgeParts(endpoint('PUT /', { body: tree as never }), { body: { n: 1, parts: Array(3000).fill({ n: 'x', parts: [] }) } })
  expect(verdict).toMatchObject({ outcome: 'rejected', more: 2950 })
  const none = judgeParts(endpoint('PUT /', { body: record({ u: either([integer(), record({ a: text() })]) }) }), { body: { u: true } }, { trace: true })
  expect(none.trace?.readings).toEqual([{ address: 'body.u', how: 'as is' }])
})

test('a merge patch changes a table name by name', () => {
  const plan = record({ rates: table(record({ low: integer(), high: integer() }), { length: [1, 3] }), tags: table(text(), optional) })
  const put = endpoint('PUT /', { body: plan })
  const change = endpoint('PATCH /', { body: { 'application/merge-patch+json': allOptional(plan, { nullable: true, deep: true }) } })
  const stored = { rates: { a: { low: 1, high: 2 }, b: { low: 3, high: 4 } }, tags: { x: 'y' } }
  const changed = (patch: object) => {
    const verdict = judgeParts(change, { body: patch })
    const whole = verdict.outcome === 'accepted' ? judgeMerged(put, stored, verdict.input.body) : verdict
    return whole.outcome === 'accepted' ? (whole.input as { body: unknown }).body : whole.outcome === 'rejected' ? whole.errors.map(({ address, code }) => `${address} ${code}`) : []
  }
  expect(changed({ rates: { a: { low: 9 }, b: null, c: { low: 5, high: 6 } }, tags: { z: 'w' } })).toEqual({ rates: { a: { low: 9, high: 2 }, c: { low: 5, high: 6 } }, tags: { x: 'y', z: 'w' } })
  expect(changed({ rates: { c: { low: 1 } } })).toEqual(['body.rates.c.high missing'])
  expect(changed({ rates: { a: null, b: null } })).toEqual(['body.rates too_few'])
  expect(changed({ rates: { a: { low: null } } })).toEqual(['body.rates.a.low null_not_allowed'])
  // All may go, and as many may come.
  const [gone, come] = [['a', 'b', 'x'], ['c', 'd', 'e']].map((names) => Object.fromEntries(names.map((name) => [name, name < 'c' || name > 'w' ? null : { low: 1, high: 2 }])))
  expect(changed({ rates: { ...gone, ...come } })).toMatchObject({ rates: come })
  expect(changed({ rates: { ...gone, ...come, y: null } })).toEqual(['body.rates too_many'])
})

test('some parts alone are judged by code, and say the same', () => {
  const declared = (engine: 'compiled' | 'interpreted') => intake({ engine, endpoints: { put: endpoint('PUT /{id}', { path: { id: integer() }, query: { q: integer(optional) }, body: record({ a: integer(), b: integer() }), rules: (on) => [on.ascending('body.a', 'body.b'), on.differ('body.a', 'query.q')] }) } }).endpoints.put
  for (const only of [['body'], ['query', 'body'], ['path'], ['body', 'query']] as const)
    for (const body of [{ a: 1, b: 2 }, { a: 2, b: 1 }, { a: 'x', b: 1 }]) {
      const sent = { path: { id: 'x' }, query: { q: '2' }, body }
      expect(JSON.stringify(judgeParts(declared('compiled'), sent, { only }))).toBe(JSON.stringify(judgeParts(declared('interpreted'), sent, { only })))
    }
  const verdict = judgeParts(declared('compiled'), { body: { a: 2, b: 1 } }, { only: ['body'] })
  expect(verdict.outcome === 'rejected' && verdict.errors.map(({ address, code }) => `${address} ${code}`)).toEqual(['body.b out_of_order'])
})

test('values that hold themselves end as rejections', () => {
  interface Tree { kids?: Tree[] }
  const tree: Field<Tree> = record({ kids: list(later(() => tree), optional) })
  const loop: { kids: unknown[] } = { kids: [] }
  loop.kids.push(loop)
  const verdicts = (['compiled', 'interpreted'] as const).map((engine) => judgeParts(intake({ engine, endpoints: { put: endpoint('PUT /', { body: record({ t: tree, any: anything(optional) }) }) } }).endpoints.put, { body: { t: loop, any: loop } }))
  expect(JSON.stringify(verdicts[0])).toBe(JSON.stringify(verdicts[1]))
  expect(verdicts[0]?.outcome === 'rejected' && verdicts[0].errors.map(({ code }) => code)).toEqual(['too_large', 'too_large'])
})

test('what makes no sense is refused', () => {
  const rule = (made: Made) => () => endpoint('PUT /', { body, rules: made as never })
  const wrong: [Made, RegExp][] = [
    [(on: On) => [on.gap('body.rows[].n', 'body.nums[]', { atLeast: 1 })], /lie in two lists/],
    [(on: On) => [on.inOrder('body.tables[]{}')], /names many values/],
    [(on: On) => [on.sumWithin('body.rows[].n', { exactly: 'body.rows[].m', atLeast: 'body.least' })], /is no one limit of the sum/],
    [(on: On) => [on.together('body.name', 'body.least', { codes: 'x' })], /has no option codes/],
    [(on: On) => [on.distinct('body.rows[].n', { blames: ['body.name'] })], /has no option blames/],
  ]
  for (const [made, told] of wrong) expect(rule(made)).toThrow(told)
  expect(rule((on: On) => [on.gap('body.nums[]', 'body.least', { min: 1 })])).toThrow(DeclarationError)
})

test('every rule takes code, message and status in a last options object', () => {
  const own = { code: 'own', message: 'is not as we want it', status: 409 } as const
  const made: Made[] = [
    (on: On) => [on.together('body.name', 'body.least', own)], (on: On) => [on.exactlyOne('body.word', 'body.least', own)], (on: On) => [on.atLeastOne('body.word', 'body.least', own)], (on: On) => [on.atMostOne('body.name', 'body.size', own)],
    (on: On) => [on.distinct('body.nums[]', own)], (on: On) => [on.inOrder('body.nums[]', own)], (on: On) => [on.apart('body.rows[].at', 'body.rows[].to', own)], (on: On) => [on.needed('body.least', on.sent('body.name'), own)],
    (on: On) => [on.absent('body.name', on.sent('body.size'), own)], (on: On) => [on.fits('body.size', number({ max: 1 }), own)], (on: On) => [on.sumWithin('body.nums[]', { atMost: 1 }, own)], (on: On) => [on.gap('body.size', 'body.size', { atLeast: 1, ...own })],
    (on: On) => [on.ascending('body.size', 'body.size', own)], (on: On) => [on.equal('body.name', 'body.other', own)], (on: On) => [on.differ('body.size', 'body.size', own)],
  ]
  const wide = record({ ...(body as unknown as { fields: object }).fields, other: text() } as never)
  for (const rules of made) {
    const verdict = judgeParts(endpoint('PUT /', { body: wide, rules: rules as never }), { body: { name: 'a', other: 'b', size: 5, nums: [2, 2], rows: [{ at: 1, to: 3 }, { at: 2, to: 4 }] } })
    expect(verdict.outcome === 'rejected' && [verdict.status, verdict.errors.length, verdict.errors[0]?.code, verdict.errors[0]?.message]).toEqual([409, 1, 'own', 'is not as we want it'])
  }
  // A code alone keeps the rule's words; so it does in a language, unless that has words for the code.
  const said = (languages: object) => judgeParts(intake({ languages: languages as never, endpoints: { put: endpoint('PUT /', { body: wide, rules: ((on: On) => [on.ascending('body.size', 'body.least', { code: 'late' }), on.needed('body.word', on.sent('body.name'), { code: 'say' })]) as never }) } }).endpoints.put, { body: { name: 'a', other: 'b', size: 5, least: 1 } }, { language: 'en' })
  expect((said({}) as { errors?: object }).errors).toMatchObject([{ code: 'late', message: 'must be more than body.size (5); 1 was sent' }, { code: 'say', message: 'must be sent when body.name is sent' }])
  expect((said({ en: { late: 'is too late' } }) as { errors?: object }).errors).toMatchObject([{ code: 'late', message: 'is too late; 1 was sent' }, {}])
})

test('a field has its own words for what a rule finds', () => {
  const name = text({ optional: true, messages: { needed: 'is needed to {x}', not_allowed_here: 'must go' } })
  const say = (rules: Made, sent: object) => {
    const verdict = judgeParts(endpoint('PUT /', { body: record({ name, a: text(optional) }), rules: rules as never }), { body: sent })
    return verdict.outcome === 'rejected' && verdict.errors[0]?.message
  }
  expect(say((on: On) => [on.needed('body.name', on.sent('body.a'))], { a: 'x' })).toBe('is needed to {x}')
  expect(say((on: On) => [on.absent('body.name', on.sent('body.a'))], { a: 'x', name: 'y' })).toBe('must go')
  expect(say((on: On) => [on.needed('body.name', on.sent('body.a'), { message: 'of the rule' })], { a: 'x' })).toBe('of the rule')
})
