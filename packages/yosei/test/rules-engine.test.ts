// biome-ignore-all format: a table reads line by line
/** The code that is made for rules says what the interpreter says: of any rules, on any bodies. */
import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { bigInteger, choice, codeOf, constant, DeclarationError, day, decimal, duration, either, endpoint, type Field, flag, instant, intake, integer, judgeParts, later, list, number, readAs, record, table, tagged, text, timeOfDay, tuple } from 'yosei'
import { parseCode } from './samples.ts'

const optional = { optional: true } as const
const maybe = { optional: true, nullable: true } as const
const row = { n: number(maybe), m: integer(optional), k: text(optional), at: instant(optional), to: instant(maybe), t: timeOfDay(optional), price: decimal(optional), big: bigInteger(optional), tags: list(text(), optional), constructor: integer(optional) }
interface Tree { low?: number; high?: number; kids?: Tree[] }
const tree: Field<Tree> = record({ low: integer(optional), high: integer(optional), kids: list(later(() => tree), optional) }, { rules: (on) => [on.ascending('low' as never, 'high' as never)] }) as never
const body = record({
  a: integer(optional), b: integer(maybe), c: number(optional), from: day(optional), until: day(optional), at: instant(maybe), to: instant(optional), t: timeOfDay(optional), span: duration(optional), other: duration(optional),
  word: text(optional), also: text(maybe), when: text({ format: 'date-time', optional: true }), price: decimal(optional), cost: decimal(optional), big: bigInteger(optional), yes: flag(optional), no: flag(optional), kind: choice(['x', 'y', 'z'], optional), v: constant('x', optional), read: readAs(text(optional), (one) => one && { one }, { code: 'odd' }),
  'odd name': integer(optional), ['__proto__']: integer(optional), toString: integer(optional),
  room: record({ seats: integer(optional), name: text(optional), deep: record({ x: integer(optional), y: integer(optional) }, { rules: (on) => [on.together('x', 'y')] }) }, optional),
  rows: list(record(row, { rules: (on) => [on.ascending('at', 'to', { orEqual: true })] }), maybe), nums: list(number(), optional), rates: table(record({ low: integer(optional), high: integer(optional) }), optional),
  grid: list(record({ cells: list(record({ x: integer(optional), y: integer(optional) }), optional), max: integer(optional) }), optional),
  mode: tagged('k', { fast: record({ x: integer(), y: integer() }, { rules: (on) => [on.ascending('x', 'y')] }), slow: record({ z: integer(optional) }) }, optional),
  pick: either([record({ low: integer(), high: integer() }, { rules: (on) => [on.ascending('low', 'high')] }), text(), list(integer())], optional), tree: { ...tree, need: 'optional' } as never, secret: integer({ secret: true, optional: true }),
})
type Name = 'ascending' | 'equal' | 'differ' | 'together' | 'exactlyOne' | 'atLeastOne' | 'atMostOne' | 'needed' | 'absent' | 'sumWithin' | 'inOrder' | 'distinct' | 'among' | 'acyclic' | 'count' | 'openAt' | 'apart' | 'gap' | 'fits' | 'check' | 'find' | 'fill' | 'while' | 'sent' | 'is' | 'in' | 'above' | 'below' | 'suits' | 'accepts' | 'all' | 'any' | 'not' | 'other'
type On = { readonly [made in Name]: (...given: unknown[]) => never }
const conditions: ((on: On) => never)[] = [
  (on) => on.sent('body.a'), (on) => on.sent('query.q'), (on) => on.sent('body.rows[].k'), (on) => on.is('body.word', 'x'), (on) => on.is('body.kind', on.other('body.word')), (on) => on.is('body.at', new Date(0)), (on) => on.is('body.yes', true), (on) => on.is('body.secret', 1),
  (on) => on.in('body.rows[].k', ['x', 'y']), (on) => on.in('body.a', [1, 2, on.other('body.b')]), (on) => on.above('body.a', 1), (on) => on.below('body.c', on.other('body.a')), (on) => on.above('body.price', '1'), (on) => on.above('body.big', on.other('body.a')), (on) => on.below('body.rows[].n', on.other('body.rows[].m')), (on) => on.above('body.nums[]', 1),
  (on) => on.above('body.rows[].at', on.other('body.at')), (on) => on.is('body.mode.k', 'fast'), (on) => on.above('body.mode.x', 1), (on) => on.above('body.toString', 0), (on) => on.suits('body.word', text({ pattern: /^[xy]/ })), (on) => on.suits('body.room', record({ seats: integer({ max: 2 }), name: text(optional) })), (on) => on.accepts('text/html'), (on) => on.is('who.role', 'clerk'), (on) => on.is('body.rates{}.low', 1), (on) => on.above('body.when', '2031-03-01T11:30:00+00:30'),
  (on) => on.all(on.sent('body.b'), on.not(on.is('body.b', 1))), (on) => on.any(on.not(on.sent('body.rows[].m')), on.below('body.t', '12:00:00')),
]
/** A value that tells one element from a list of it. */
const measure = (all: unknown) => JSON.stringify(all ?? null).length % 4
const rules: ((on: On, when: never) => never)[] = [
  (on) => on.ascending('body.a', 'body.b'), (on) => on.ascending('body.from', 'body.until', { orEqual: true }), (on) => on.ascending('body.at', 'body.to'), (on) => on.ascending('body.t', 'body.rows[].t'), (on) => on.ascending('body.price', 'body.cost'), (on) => on.ascending('body.a', 'body.big'), (on) => on.ascending('body.span', 'body.other'), (on) => on.ascending('body.word', 'body.also', { blames: ['body.word'] }), (on) => on.ascending('body.at', 'body.when'), (on) => on.ascending('body.rows[].at', 'body.rows[].to', { status: 409 }), (on) => on.ascending('body.a', 'body.rows[].n'), (on) => on.ascending('body.grid[].cells[].x', 'body.grid[].max'), (on) => on.ascending('body["odd name"]', 'body.toString'), (on) => on.ascending('body.rates{}.low', 'body.rates{}.high'), (on) => on.ascending('body.mode.x', 'body.a'), (on) => on.ascending('body.pick.low', 'body.a'),
  (on) => on.equal('body.word', 'body.also'), (on) => on.equal('body.yes', 'body.no'), (on) => on.equal('body.price', 'body.cost'), (on) => on.equal('body.at', 'body.to'), (on) => on.equal('body.room', 'body.room'), (on) => on.equal('body.kind', 'body.v'), (on) => on.differ('body.rows[].k', 'body.word'), (on) => on.differ('body.c', 'body.a'), (on) => on.differ('query.q', 'body.word'), (on) => on.differ('body.secret', 'body.a'), (on) => on.differ('body.read', 'body.read'),
  (on) => on.together('body.a', 'body.b'), (on) => on.exactlyOne('body.rows[].k', 'body.rows[].m'), (on) => on.atLeastOne('query.q', 'body.word'), (on) => on.atMostOne('query.q', 'header.x', 'body.a'), (on) => on.together('body.room.seats', 'body.room.name'), (on) => on.exactlyOne('body.rows', 'body.nums'), (on) => on.atLeastOne('body.grid[].cells[].x', 'body.grid[].cells[].y'), (on) => on.atMostOne('body.rates{}.low', 'body.rates{}.high'), (on) => on.atLeastOne('body.mode.z', 'body.a'),
  (on, when) => on.needed('body.word', when), (on, when) => on.needed('body.rows[].k', when), (on, when) => on.absent('body.b', when), (on, when) => on.absent('body.grid[].cells[].y', when), (on, when) => on.needed('query.q', when), (on, when) => on.absent('body.rows[].tags[]', when),
  (on) => on.sumWithin('body.rows[].n', [1, 5]), (on) => on.sumWithin('body.rows[].n', { times: 'body.rows[].m', atMost: 'body.a' }), (on) => on.sumWithin('body.rows[].price', { exactly: 'body.price' }), (on) => on.sumWithin('body.nums[]', { atLeast: 'body.c', atMost: '4.5' }), (on) => on.sumWithin('body.grid[].cells[].x', { atMost: 'body.grid[].max' }), (on) => on.sumWithin('body.a', { atLeast: 2 }), (on) => on.sumWithin('body.rows[].m', { exactly: 'body.b' }), (on) => on.sumWithin('body.rates{}.low', { atMost: 3 }), (on) => on.sumWithin('body.rows[].big', { atMost: 3n }),
  (on) => on.inOrder('body.rows[].at'), (on) => on.inOrder('body.nums[]', { orEqual: true }), (on) => on.inOrder('body.grid[].cells[].x'), (on) => on.inOrder('body.rows[].price'), (on) => on.inOrder('body.rows[].k', { code: 'own' }), (on) => on.inOrder('body.pick[]'),
  (on) => on.distinct('body.rows[].k'), (on) => on.distinct('body.rows[].k', 'body.rows[].n'), (on) => on.distinct('body.rows[].at', 'body.rows[].t'), (on) => on.distinct('body.nums[]'), (on) => on.distinct('body.rows[].price'), (on) => on.distinct('body.grid[].cells[].x'),
  (on) => on.count('body.rows[]', { where: on.is('body.rows[].k', 'x'), atMost: 1 }), (on) => on.count('body.grid[].cells[]', { atLeast: 1, by: ['body.grid[]'] }), (on) => on.count('body.rows[].m', { exactly: 'body.a', by: ['body.rows[].k', 'body.rows[].t'] }), (on) => on.count('body.grid[].cells[]', { atMost: 2, where: on.above('body.grid[].cells[].x', 1) }),
  (on) => on.sumWithin('body.rows[].n', { atMost: 3, by: ['body.rows[].k'] }), (on) => on.sumWithin(['body.a', ['body.rows[].n', 'body.rows[].m'], 'body.nums[]'], { less: ['body.c'], atMost: 9, atLeast: 1 }), (on) => on.sumWithin([['body.rows[].price', 'body.rows[].n'], 'body.price'], { rounded: 1, atMost: '3', by: ['body.rows[].at'] }), (on) => on.sumWithin('body.grid[].cells[].x', { exactly: 3, by: ['body.grid[]'] }),
  (on) => on.distinct('body.rows[].k', { by: ['body.rows[].t'] }), (on) => on.distinct('body.grid[].cells[].x', { by: ['body.grid[].cells[].y'] }), (on) => on.inOrder('body.rows[].n', { by: ['body.rows[].k'] }), (on) => on.inOrder('body.rows[].at', { by: ['body.rows[].price'], orEqual: true }), (on) => on.apart('body.rows[].at', 'body.rows[].to', { by: ['body.rows[].k', 'body.rows[].n'] }), (on) => on.apart('body.grid[].cells[].x', 'body.grid[].cells[].y', { by: ['body.grid[]'] }),
  (on) => on.openAt('body.at', { zone: 'Asia/Kathmandu', hours: { sat: [['00:00', '24:00']] } }), (on) => on.openAt('body.rows[].at', { zone: 'body.word', hours: { thu: [['05:00', '05:30']], sun: [['23:00', '01:00']] } }),
  (on) => on.among('body.rows[].k', 'body.words[]'), (on) => on.among('body.word', 'body.rows[].k'), (on) => on.among('body.nums[]', 'body.rows[].n'), (on) => on.among('body.rows[].k', { namesOf: 'body.rates' }), (on) => on.among('body.rows[].at', 'body.rows[].to'), (on) => on.among('body.grid[].cells[].x', 'body.grid[].cells[].y'), (on) => on.among('body.price', 'body.rows[].price'),
  (on) => on.acyclic('body.rows[].n', 'body.rows[].m'), (on) => on.acyclic('body.grid[].cells[].x', 'body.grid[].cells[].y'), (on) => on.acyclic('body.rows[].k', 'body.rows[].tags[]'), (on) => on.acyclic('body.rows[].at', 'body.rows[].to'),
  (on) => on.apart('body.rows[].at', 'body.rows[].to'), (on) => on.apart('body.rows[].m', 'body.rows[].n'), (on) => on.apart('body.rows[].m', 'body.rows[].n', { openEnded: true, lastIncluded: true }), (on) => on.apart('body.rows[].n', 'body.rows[].m', { rest: 1 }), (on) => on.apart('body.rows[].at', 'body.rows[].to', { rest: '1h', by: ['body.rows[].k'] }), (on) => on.apart('body.grid[].cells[].x', 'body.grid[].cells[].y', { seamless: true }), (on) => on.apart('body.grid[].cells[].x', 'body.grid[].cells[].y'), (on) => on.apart('body.rows[].price', 'body.rows[].price'),
  (on) => on.gap('body.from', 'body.until', { atLeast: '1d', atMost: '2d' }), (on) => on.gap('body.at', 'body.to', { atMost: '1h' }), (on) => on.gap('body.from', 'body.until', { exactly: 'body.a', in: 'd' }), (on) => on.gap('body.at', 'body.to', { atLeast: 'body.b', in: 'mo' }), (on) => on.gap('body.a', 'body.b', { exactly: 'body.c' }), (on) => on.gap('body.a', 'body.b', { atLeast: 1 }), (on) => on.gap('body.c', 'body.a', { atMost: 0.5 }), (on) => on.gap('body.span', 'body.other', { atLeast: '1s' }), (on) => on.gap('body.t', 'body.rows[].t', { atMost: '1h' }), (on) => on.gap('body.price', 'body.cost', { atMost: 0.1 }),
  (on) => on.fits('body.word', text({ length: [1, 2] })), (on) => on.fits('body.rows[].m', integer({ max: 2 })), (on) => on.fits('body.room', record({ seats: integer({ min: 1 }) })), (on) => on.fits('body.at', instant({ from: '2031-01-01T00:00:00Z' })), (on) => on.fits('body.nums', list(number({ max: 2 }))), (on) => on.fits('body.kind', choice(['x', 'y'])), (on) => on.fits('body.price', decimal({ max: '1.5' })), (on) => on.fits('body.secret', integer({ max: 1 })),
  (on) => on.check({ reads: ['body.a', 'body.rows[].n'], code: 'own', holds: (a: unknown, n: unknown) => a !== 1 && !String(n).includes('2') } as never), (on) => on.find({ reads: ['body.nums'], code: 'own', finds: (nums: unknown[] | undefined) => (nums ?? []).flatMap((one, at) => (one === 1 ? [{ at: `body.nums[${at}]` }] : [])) } as never), (on) => on.check({ reads: ['body.grid[].cells[].x'], code: 'own', holds: (x: unknown) => !JSON.stringify(x ?? null).includes('1') } as never),
  (on) => on.fill('body.a', ['body.b'], (b: number | undefined) => b ?? undefined), (on) => on.fill('body.rows[].m', ['body.a'], (a: number | undefined) => a), (on) => on.fill('body.word', ['body.also'], () => 'x'), (on) => on.fill('body.a', ['body.rows[].n'], measure), (on) => on.fill('body.rows[].m', ['body.nums[]'], measure), (on) => on.fill('body.grid[].max', ['body.grid[].cells[].x'], measure), (on) => on.fill('body.b', ['body.pick[]'], measure),
]
const small = fc.integer({ min: 0, max: 3 })
const instants = fc.constantFrom('1970-01-01T00:00:00Z', '1970-01-01T00:30:00Z', '2031-03-01T00:00:00Z', '2031-03-01T12:00:00+01:00')
const value: { readonly [name: string]: fc.Arbitrary<unknown> } = {
  number: fc.oneof(small, fc.constantFrom(0.5, 0.1, 0.2, -0, 1e16, 9007199254740991)), integer: small, day: fc.constantFrom('2031-03-01', '2031-03-02', '2031-03-04'), instant: instants, timeOfDay: fc.constantFrom('09:00', '09:00:00', '13:30'), duration: fc.constantFrom('PT1S', 'PT0S', 'PT1H'),
  text: fc.constantFrom('x', 'y', '', 'xyz', '2031-03-01T00:00:00Z'), decimal: fc.constantFrom('1', '1.0', '0.1', '0.2', '3'), bigInteger: small, flag: fc.boolean(), choice: fc.constantFrom('x', 'y', 'z'), constant: fc.constant('x'), readAs: fc.constantFrom('x', 'y'),
}
type Made = { readonly kind: string; readonly fields?: { readonly [name: string]: Made }; readonly item?: Made; readonly value?: Made; readonly branches?: never; readonly format?: string }
function bodies(node: Made, depth = 0): fc.Arbitrary<unknown> {
  if (node.kind === 'record') return fc.record(Object.fromEntries(Object.entries(node.fields ?? {}).map(([name, field]) => [name, depth > 4 ? fc.constant(undefined) : fc.oneof({ weight: 120, arbitrary: bodies(field, depth + 1) }, { weight: 120, arbitrary: fc.constant(undefined) }, { weight: 1, arbitrary: fc.constantFrom(null, 'wrong', 7) })])))
  if (node.kind === 'list') return fc.array(bodies(node.item as Made, depth + 1), { maxLength: 4 })
  if (node.kind === 'table') return fc.dictionary(fc.constantFrom('p', 'q', 'toString', '__proto__'), bodies(node.value as Made, depth + 1), { maxKeys: 3 })
  if (node.kind === 'tagged') return fc.oneof(fc.record({ k: fc.constant('fast'), x: small, y: small }), fc.record({ k: fc.constant('slow') }))
  if (node.kind === 'either') return fc.oneof(fc.record({ low: small, high: small }), fc.constant('x'), fc.array(small, { maxLength: 3 }))
  if (node.kind === 'later') return fc.record({ low: small, high: small })
  return node.format === 'date-time' ? instants : (value[node.kind] as fc.Arbitrary<unknown>)
}
const picks = fc.array(fc.tuple(fc.nat({ max: rules.length - 1 }), fc.array(fc.nat({ max: conditions.length - 1 }), { maxLength: 2 })), { minLength: 1, maxLength: 6 })
const runs = Number(process.env.RULE_RUNS ?? 320)

test(`${rules.length} rules and ${conditions.length} conditions, by code and interpreted`, () => {
  const used = new Set<number>()
  const outcomes: { [outcome: string]: number } = {}
  const codes = new Set<string>()
  fc.assert(fc.property(picks, fc.array(fc.record({ body: bodies(body as never), q: fc.option(fc.constantFrom('x', ''), { nil: undefined }), isKnown: fc.boolean() }), { minLength: 8, maxLength: 8 }), (picked, sent) => {
    let both: readonly unknown[]
    try {
      both = (['compiled', 'interpreted'] as const).map((engine) => intake({ engine, identify: () => undefined, endpoints: { put: endpoint('PUT /', {
        who: record({ role: text() }), query: { q: text(optional) }, header: { x: text(optional) }, body: body as never,
        rules: ((on: On) => picked.map(([rule, during]) => {
          const made = (rules[rule] as (typeof rules)[number])(on, conditions[during[0] ?? 0]?.(on) as never)
          return during.length > 1 && (made as { rule: string }).rule !== 'fill' ? on.while(conditions[during[1] as number]?.(on), [made]) : made
        })) as never,
      }) } }).endpoints.put)
    } catch (error) {
      expect(error).toBeInstanceOf(DeclarationError)
      // Some of them make no sense together.
      return
    }
    parseCode(both[0])
    for (const [rule] of picked) used.add(rule)
    for (const { body, q } of sent) {
      const parts = () => ({ query: q === undefined ? {} : { q }, body: JSON.parse(JSON.stringify(body)) })
      const [compiled, interpreted] = both.map((put) => judgeParts(put as never, parts()) as { outcome: string; status?: number; errors?: { code: string }[] })
      outcomes[compiled?.outcome ?? ''] = (outcomes[compiled?.outcome ?? ''] ?? 0) + 1
      for (const { code } of compiled?.errors ?? []) codes.add(code)
      const show = (verdict: unknown) => JSON.stringify(verdict, (_, one) => (typeof one === 'bigint' ? `${one}n` : Object.is(one, -0) ? '-0' : one))
      expect(show(compiled)).toBe(show(interpreted))
      // Two that fail alike would say the same.
      expect(compiled?.status).not.toBe(500)
    }
  }), { numRuns: runs, ...(process.env.RULE_RUNS ? {} : { seed: 6 }) })
  // All of them were tried, and both outcomes came often.
  expect(used.size).toBeGreaterThan(rules.length * 0.9)
  expect(Math.min(outcomes.accepted ?? 0, outcomes.rejected ?? 0)).toBeGreaterThan(runs / 8)
  for (const code of ['out_of_order', 'unequal', 'equal_not_allowed', 'not_together', 'none_present', 'more_than_one', 'needed', 'not_allowed_here', 'above_max', 'below_min', 'repeated', 'overlaps', 'too_far', 'own']) expect(codes).toContain(code)
})

test('what can be declared is judged by code: these alone are left to the interpreter', () => {
  const row = record({ n: integer(), m: integer(optional), k: text(optional), at: instant(), to: instant(), price: decimal(), cells: list(record({ c: integer(), d: integer(optional) }), optional), flagged: flag(optional) })
  const body = record({ name: text(optional), a: integer(), b: integer(optional), big: bigInteger(optional), size: number(optional), price: decimal(optional), from: day(optional), until: day(optional), opens: timeOfDay(optional), shuts: timeOfDay(optional), lasts: duration(optional), rows: list(row, optional), nums: list(integer(), optional), words: list(text(), optional), rates: table(record({ low: integer(optional), high: integer(optional) }), optional), pair: tuple([integer(), record({ q: text(optional) })], optional), kind: tagged('k', { x: record({ v: integer() }), y: record({ w: text(optional) }) }, optional), pick: either([integer(), text()], optional), written: text({ format: 'date-time', optional: true }), moment: instant(optional), colour: choice(['red', 'blue'], optional), one: constant('x', optional) })
  const rules = ((on: On) => [
    on.ascending('body.a', 'body.b'), on.ascending('body.rows[].at', 'body.rows[].to'), on.ascending('body.rates{}.low', 'body.rates{}.high'), on.ascending('body.a', 'body.rows[].n'), on.ascending('body.rows[].n', 'body.rows[].cells[].c'), on.ascending('body.from', 'body.until'), on.ascending('body.opens', 'body.shuts', { orEqual: true }), on.ascending('body.written', 'body.moment'), on.ascending('body.price', 'body.big'),
    on.equal('body.price', 'body.rows[].price'), on.differ('body.name', 'body.rows[].k'), on.equal('body.nums', 'body.nums'),
    on.gap('body.from', 'body.until', { atMost: '3d' }), on.gap('body.rows[].at', 'body.rows[].to', { atLeast: '1s' }), on.gap('body.a', 'body.b', { atLeast: 1, atMost: 5 }), on.gap('body.moment', 'body.rows[].at', { atMost: '3d' }), on.gap('body.from', 'body.until', { exactly: 'body.a', in: 'mo' }), on.openAt('body.rows[].at', { zone: 'body.name', hours: { mon: [['08:00', '12:00']] } }),
    on.together('body.name', 'body.a'), on.exactlyOne('body.name', 'body.rows[].k'), on.atLeastOne('body.rows[].m', 'body.rows[].k'), on.atMostOne('body.kind.v', 'body.kind.w'),
    on.needed('body.name', on.all(on.is('body.a', 1), on.not(on.in('body.rows[].n', [1, 2])))), on.needed('body.rows[].k', on.above('body.rows[].n', on.other('body.rows[].m'))), on.absent('body.rows[].cells[].d', on.any(on.sent('body.rows[].m'), on.below('body.rows[].cells[].c', 3))), on.needed('body.pair[1].q', on.suits('body.a', integer({ max: 3 }))), on.absent('body.rates{}.low', on.not(on.above('body.rates{}.high', 4))), on.needed('body.kind.w', on.is('body.colour', 'red')), on.needed('body.name', on.accepts('text/csv')), on.needed('body.rows[].m', on.not(on.above('body.rows[].n', on.other('body.rows[].m')))),
    on.sumWithin('body.nums[]', { atMost: 3 }), on.sumWithin('body.rows[].n', { times: 'body.rows[].m', atMost: 'body.a', atLeast: 1 }), on.sumWithin('body.rows[].price', { exactly: 'body.price' }), on.sumWithin('body.rows[].price', { times: 'body.rows[].n', atMost: '5' }), on.sumWithin('body.rows[].cells[].c', { atMost: 'body.rows[].n' }), on.sumWithin('body.rates{}.low', { atMost: 4 }),
    on.inOrder('body.nums[]'), on.inOrder('body.rows[].at', { orEqual: true }), on.inOrder('body.rows[].cells[].c'), on.distinct('body.words[]'), on.distinct('body.rows[].k', 'body.rows[].n'), on.distinct('body.rows[].price'), on.distinct('body.rows[].cells[].c'), on.apart('body.rows[].at', 'body.rows[].to'), on.among('body.rows[].k', 'body.words[]'), on.among('body.rows[].cells[].c', 'body.rows[].n'), on.among('body.name', { namesOf: 'body.rates' }), on.acyclic('body.rows[].n', 'body.rows[].cells[].c'), on.count('body.rows[]', { where: on.is('body.rows[].k', 'x'), atMost: 1, by: ['body.rows[].price'] }), on.sumWithin([['body.rows[].n', 'body.rows[].m']], { less: ['body.rows[].m'], atMost: 9, by: ['body.rows[].k'] }), on.sumWithin([['body.rows[].price', 'body.rows[].n'], 'body.price'], { rounded: 1, atMost: 3 }), on.distinct('body.rows[].k', { by: ['body.rows[].n'] }), on.inOrder('body.rows[].n', { by: ['body.rows[].k'] }), on.apart('body.rows[].at', 'body.rows[].to', { by: ['body.rows[].k'] }),
    on.fits('body.rows[].k', text({ length: [1, 5] })), on.fits('body.a', integer({ max: 5 })), on.fits('body.pick', integer({ max: 3 })), on.fits('body.nums', list(integer({ min: 1 }))), on.while(on.above('body.a', 3), [on.fits('body.name', text({ pattern: /^a/ })), on.inOrder('body.nums[]')]), on.while(on.is('body.rows[].flagged', true), [on.needed('body.rows[].k', on.sent('body.rows[].m')), on.ascending('body.rows[].n', 'body.rows[].m')]),
    on.check({ reads: ['body.rows[].n'], code: 'x', holds: () => true }), on.find({ reads: ['body.rows'], code: 'x', finds: () => [] }), on.fill('body.b', ['body.a'], (a: unknown) => a),
  ]) as never
  const code = codeOf(endpoint('PUT /', { body, rules }))
  const [, ...made] = code.slice(code.indexOf('judgeRules')).split('\n  // ')
  expect(made.length).toBe(65)
  expect(made.filter((one) => /else \{\n *interpret\(judging/.test(one)).map((one) => one.split('\n')[0])).toEqual([
    '"ascending body.rates{}.low body.rates{}.high"', '"exactlyOne body.name body.rows[].k"', '"absent body.rates{}.low body.rates{}.high"', '"sumWithin body.rates{}.low"', '"distinct body.rows[].price"',
  ])
})

test.each([undefined, false, 0, [], [{ code: 'odd', at: 'rows[0].n' }]])('a function of a declaration is called once at each place, if it gives %j', (given) => {
  const calls = (engine: 'compiled' | 'interpreted') => {
    const found = { holds: 0, finds: 0, read: 0 }
    const told = (what: keyof typeof found, value: unknown) => { found[what]++; return value as never }
    const holds = () => told('holds', given)
    const finds = () => told('finds', Array.isArray(given) ? given : [])
    const n = readAs(integer(), (sent) => told('read', sent), { code: 'odd' })
    const item = record({ n }, { rules: (on) => [on.check({ reads: ['n'], code: 'own', holds })] })
    const rows = list(item)
    const put = endpoint('PUT /', { body: record({ rows }), rules: (on) => [on.find({ reads: ['body.rows[].n'], code: 'odd', finds } as never)] })
    judgeParts(intake({ engine, endpoints: { put } }).endpoints.put as never, { body: { rows: [{ n: 1 }, { n: 2 }, { n: 3 }] } })
    return found
  }
  expect(calls('compiled')).toEqual({ holds: 3, finds: 1, read: 3 })
  expect(calls('interpreted')).toEqual(calls('compiled'))
})
