// biome-ignore-all format: each declaration that must not compile stands on the line after its mark
/** What compiles against the package, and what must not. Checked by the compiler alone. */


import * as all from 'yosei'
import { type Accepted, adding, allOptional, anything, type ByteRange, bigInteger, byteRanges, choice, constant, day, decimal, duration, type EntityTag, either, endpoint, entityTags, epoch, type Field, flag, httpDate, type In, instant, intake, integer, judge, judgeParts, later, like, list, number, type Out, only, readAs, record, type Sent, type SortKey, sortKeys, table, tagged, text, tuple, without, write } from 'yosei'
import { readJsonSchema } from 'yosei/json-schema'
import { front } from 'yosei/node'
import { readParameter } from 'yosei/openapi'
import type { Kind } from '../../src/kinds/kind.ts'
import type {} from '../../src/kinds/kinds.ts'

// Every kind has a builder of its name, but what a JSON Schema makes.
all satisfies { readonly [K in Exclude<Kind, 'schema'>]: unknown }

type Same<A, B> = (<T>() => T extends A ? 1 : 2) extends <T>() => T extends B ? 1 : 2 ? true : false
const same = <A, B>(..._: Same<A, B> extends true ? [] : ['not the same type']) => undefined

const slug = text({ pattern: /^[a-z][a-z0-9-]+$/, length: [2, 40] })
const session = record({
  target: record({
    name: text({ length: [1, 80], tidy: ['trim'] }),
    rightAscension: number({ min: 0, below: 24 }),
    declination: number({ min: -90, max: 90 }),
  }),
  window: record({ opens: instant({ from: '+36h' }), closes: instant() }),
  exposures: list(
    record({
      filter: choice(['clear', 'red', 'green', 'blue']),
      seconds: number({ above: 0, max: 3600 }),
      count: integer({ min: 1, max: 500 }),
    }),
    { length: [1, 12] },
  ),
  contact: text({ format: 'email' }),
  observing: tagged('mode', { survey: record({ tiles: integer({ min: 1 }) }), single: record({ repeat: integer({ default: 1 }) }) }),
  slug: text({ optional: true }),
  note: text({ length: [0, 500], optional: true, nullable: true }),
})

export const bookSession = endpoint('POST /telescopes/{telescopeId}/sessions', {
  title: 'Book an observing session',
  success: 201,
  path: { telescopeId: slug },
  query: { dryRun: flag({ default: false }), limit: integer({ min: 1, max: 50, optional: true }) },
  header: { 'x-team': slug, 'idempotency-key': text({ length: [8, 64], optional: true }) },
  body: session,
  rules: (on) => [
    on.ascending('body.window.opens', 'body.window.closes'),
    on.atLeastOne('body.note', 'query.limit', 'header.idempotency-key'),
    on.check({
      reads: ['body.window', 'body.exposures[].seconds', 'query.limit', 'body.observing.tiles'],
      blames: ['body.exposures'],
      code: 'longer_than_window',
      message: 'take longer than the window is open',
      holds: (window, seconds, limit, tiles) => {
        same<typeof tiles, number | undefined>()
        same<typeof seconds, number[]>()
        same<typeof limit, number | undefined>()
        return window.closes.getTime() - window.opens.getTime() > seconds.length * 1000 + (limit ?? 0)
      },
    }),
  ],
})
const sessionId = text({ length: [8, 8] })
export const changeSession = endpoint('PATCH /sessions/{sessionId}', {
  path: { sessionId },
  body: allOptional(adding(without(session, ['slug']), { sessionId })),
  rules: (on) => [on.equal('path.sessionId', 'body.sessionId'), on.atLeastOne('body.window', 'body.note')],
})
export const listSessions = endpoint('GET /sessions', {
  query: { night: day({ optional: true }), telescope: list(slug, { optional: true }), limit: integer({ min: 1, max: 100, default: 20 }) },
})

interface Tree { name: string; parts: Tree[] }
const tree: Field<Tree> = record({ name: text(), parts: list(later(() => tree)) })
export const others = endpoint('PUT /odd/{n}', { path: { n: bigInteger() }, body: record({ a: either([integer(), text()]), b: tuple([integer(), text()]), c: constant(true), d: decimal({ scale: 2 }), e: duration({ max: '2h' }), f: table(text(), { length: [0, 5] }), g: tree, h: readAs(text(), (s) => new URL(s), { code: 'bad_link' }), i: anything(), j: instant({ readOnly: true }) }) })
const app = intake({ endpoints: { bookSession, changeSession, listSessions, others }, base: '/api' })

export async function use(request: Request) {
  const verdict = await judge(app, request)
  if (verdict.outcome === 'rejected') return verdict.errorsByField['body.window.closes']?.[0]?.message
  if (verdict.endpoint === 'bookSession') same<typeof verdict.input.body.window.opens, Date>()
  const now = judgeParts(bookSession, { path: { telescopeId: 'kr-2' }, query: {}, header: {}, body: {} })
  return now.outcome === 'accepted' ? now.input.body.target.rightAscension + 1 : now.errors
}

// What a handler gets, and what a client sends.
type A = Accepted<typeof bookSession>
type S = Sent<typeof bookSession>
same<A['query'], { dryRun: boolean; limit?: number }>()
same<A['header'], { 'x-team': string; 'idempotency-key'?: string }>()
same<A['body']['note'], string | null | undefined>()
same<S['query'], { dryRun?: boolean; limit?: number } | undefined>()
same<S['body']['window'], { opens: string; closes: string }>()
same<Accepted<typeof listSessions>['body'], undefined>()
same<
  Accepted<typeof changeSession>['body']['exposures'],
  { filter: 'clear' | 'red' | 'green' | 'blue'; seconds: number; count: number }[] | undefined
>()
export const sent: S = {
  path: { telescopeId: 'kr-1' },
  header: { 'x-team': 'nebula' },
  body: { target: { name: 'Lantern', rightAscension: 1, declination: 2 }, window: { opens: '2031-01-01T00:00:00Z', closes: '2031-01-01T01:00:00Z' }, exposures: [], contact: 'a@b.example', observing: { mode: 'single' } },
}
export const tiles = (a: A): number => (a.body.observing.mode === 'survey' ? a.body.observing.tiles : a.body.observing.repeat)
export const message: Request = write(bookSession, 'https://kr.example', sent)
export const few = only(session, ['target', 'note'])
const readers = record({ since: httpDate({ optional: true }), at: epoch({ unit: 's', nullable: true }), tags: entityTags(), ranges: byteRanges({ nullable: true }), sort: sortKeys(['opens', 'team'], { optional: true }) })
same<Out<typeof readers>, { since?: Date; at: Date | null; tags: '*' | readonly EntityTag[]; ranges: readonly ByteRange[] | null; sort?: SortKey<'opens' | 'team'>[] }>()
// @ts-expect-error seconds or milliseconds
epoch({ unit: 'm' })
// @ts-expect-error it counts something
epoch()
same<keyof Out<typeof few>, 'target' | 'note'>()

type O = Accepted<typeof others>['body']
type P = Sent<typeof others>['body']
same<Accepted<typeof others>['path']['n'], bigint>()
same<Sent<typeof others>['path']['n'], string | number>()
same<[O['a'], O['b'], O['c'], O['d'], O['e']], [number | string, [number, string], true, string, number]>()
same<[P['a'], P['b'], P['c'], P['d'], P['e']], [number | string, [number, string], true, string, string]>()
same<[O['f'], O['g'], O['h'], O['i'], O['j']], [{ [name: string]: string }, Tree, URL, unknown, Date | undefined]>()
same<[P['f'], P['h'], P['i'], P['j']], [{ [name: string]: string }, string, unknown, string | undefined]>()
same<Sent<typeof bookSession>['body']['observing'], { mode: 'survey'; tiles: number } | { mode: 'single'; repeat?: number }>()
const withDefault = choice([1, 2], { default: 1, nullable: true })
same<Out<typeof withDefault>, 1 | 2 | null>()
same<In<typeof withDefault>, 1 | 2 | null>()
same<(typeof withDefault)['need'], 'defaulted'>()
export const open: Field<Date, string, 'optional'> = instant({ optional: true })
// The same field with other options; a field that a schema narrows; a parameter of OpenAPI.
const again = record({ kept: like(session, { title: 'Again' }), optional: like(session, { optional: true, nullable: true }), filled: like(integer({ optional: true }), { default: 5 }), given: like(integer({ default: 1 }), { optional: true }), sub: like(session, {}).fields.slug })
same<Out<typeof again>['kept'], Out<typeof session>>()
same<[Out<typeof again>['optional'], Out<typeof again>['filled'], Out<typeof again>['given']], [Out<typeof session> | null | undefined, number, number | undefined]>()
same<[In<typeof again>['filled'], keyof (typeof again)['fields']], [number | undefined, 'kept' | 'optional' | 'filled' | 'given' | 'sub']>()
const narrowed = record({ session: readJsonSchema({ minProperties: 1 }, { field: session }), slug: readJsonSchema({}, { field: text({ optional: true }) }), any: readJsonSchema<{ a: number }>({}) })
same<Out<typeof narrowed>, { session: Out<typeof session>; slug?: string; any: { a: number } }>()
same<[(typeof id)['need'], (typeof filter)['need']], ['required', 'optional']>()
const id = readParameter({ name: 'id', in: 'path', style: 'matrix', schema: { type: 'integer' } })
const filter = readParameter({ name: 'filter', in: 'query', schema: {} })

// What must not compile.
// @ts-expect-error an address that does not exist
endpoint('POST /x', { body: record({ a: integer(), b: integer() }), rules: (on) => [on.ascending('body.a', 'body.zz')] })
// @ts-expect-error two kinds that do not compare
endpoint('POST /x', { body: record({ a: integer(), b: text() }), rules: (on) => [on.ascending('body.a', 'body.b')] })
// @ts-expect-error an address that a rule blames and that does not exist
endpoint('POST /x', { body: record({ a: integer() }), rules: (on) => [on.check({ reads: ['body.a'], blames: ['body.b'], code: 'odd', holds: (a) => a > 1 })] })
// @ts-expect-error a value used as another type than it is read to
endpoint('POST /x', { body: record({ a: instant() }), rules: (on) => [on.check({ reads: ['body.a'], code: 'odd', holds: (a) => a.startsWith('2031') })] })
// @ts-expect-error a path parameter left unlisted
endpoint('GET /x/{id}', { query: { a: integer() } })
// @ts-expect-error a path parameter misspelt
endpoint('GET /x/{id}', { path: { idd: integer() } })
// @ts-expect-error path fields where the template has no parameter
endpoint('GET /x', { path: { id: integer() } })
// @ts-expect-error a default of another type
integer({ default: 'x' })
// @ts-expect-error a default that the choice does not have
choice(['a', 'b'], { default: 'c' })
// @ts-expect-error a field of the elements that does not exist
list(record({ a: integer() }), { distinct: 'b' })
list(record({ a: integer() }, { nullable: true }), { distinct: 'a' })
list(tagged('kind', { kayak: record({ hull: text() }), ferry: record({ deck: text() }) }), { distinct: 'hull' })
// @ts-expect-error texts have no fields
list(text(), { distinct: 'length' })
// @ts-expect-error an option of another kind
flag({ min: 1 })
// @ts-expect-error an asynchronous reader
readAs(text(), async (s) => s, { code: 'x' })
// @ts-expect-error not a field of that record
without(session, ['nowhere'])
// @ts-expect-error not a field of that record either
only(session, ['nowhere'])
// @ts-expect-error a default of another type than the field has
like(integer(), { default: 'x' })
// @ts-expect-error a limit, which not every field has
like(integer(), { min: 1 })
// @ts-expect-error a place that OpenAPI does not have
readParameter({ name: 'a', in: 'body' })
// @ts-expect-error a default of another shape
list(integer(), { default: ['a'] })
// @ts-expect-error a span without its unit
duration({ max: '2' })
// @ts-expect-error a limit of another type
bigInteger({ min: 1 })
// @ts-expect-error a format that there is not
text({ format: 'telephone' })
// @ts-expect-error an address into a branch that has no such field
endpoint('POST /x', { body: tagged('k', { a: record({ n: integer() }) }), rules: (on) => [on.check({ reads: ['body.m'], code: 'odd', holds: () => true })] })
// @ts-expect-error a value that a client can't send
write(listSessions, 'https://kr.example', { path: {}, query: { limit: 'many' }, body: undefined })
// @ts-expect-error own words of another type
text({ messages: { too_short: 5 } })

const orderBread = endpoint('POST /breads/{bread}', { path: { bread: text() }, lookups: (on) => ({ stock: on.lookup({ reads: ['path.bread'], ask: ({ left }: { left: (bread: string) => number }, [bread]) => left(bread) }) }) })
const bakery = intake({ endpoints: { orderBread } })
const to = 'http://127.0.0.1:8080'
front(bakery, { to, services: { left: (bread) => bread.length }, observe: ['query'] })
front(intake({ endpoints: { plain: endpoint('GET /', {}) } }), { to })
// @ts-expect-error a lookup asks services
front(bakery, { to })
// @ts-expect-error services of another type
front(bakery, { to, services: { left: 5 } })
// @ts-expect-error a part that requests do not have
front(bakery, { to, services: { left: () => 1 }, observe: ['head'] })
