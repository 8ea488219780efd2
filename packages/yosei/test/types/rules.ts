// biome-ignore-all format: each declaration that must not compile stands on the line after its mark
/** Rules, conditions, lookups, turns, groups and handlers: what compiles, and what must not. */
import { type Accepted, type BatchFinds, choice, endpoint, type FoundBy, file, group, instant, intake, integer, judge, judgeParts, list, type Out, type Piece, record, refuse, type Sent, serve, tagged, text, tuple } from 'yosei'

type Same<A, B> = (<T>() => T extends A ? 1 : 2) extends <T>() => T extends B ? 1 : 2 ? true : false
const same = <A, B>(..._: Same<A, B> extends true ? [] : ['not the same type']) => undefined

interface Services {
  telescopes: { find(id: string, signal: AbortSignal): Promise<{ id: string; aperture: number } | undefined> }
  quota: { left(team: string): Promise<number> }
}
const body = record({
  n: integer(), m: integer({ optional: true }), t: text(), at: instant(), k: choice(['a', 'b']),
  items: list(record({ n: integer(), t: text(), k: choice(['x', 'y']) })),
  mode: tagged('of', { fast: record({ speed: integer() }), slow: record({}) }),
})
export const book = endpoint('POST /telescopes/{id}/sessions', {
  path: { id: text() },
  header: { 'X-Team': text() },
  body,
  rules: (on) => [
    on.sumWithin('body.items[].n', { atMost: 'body.n' }),
    on.needed('body.m', on.all(on.is('body.mode.of', 'fast'), on.above('body.at', new Date()), on.in('body.items[].k', ['x']))),
    on.fill('body.m', ['body.n', 'body.items[].n'], (n, ns) => n + ns.length),
    on.find({ reads: ['body.items'], code: 'x', finds: (items) => items.map((one, index) => ({ at: `body.items[${index}].${one.t}` })) }),
  ],
  turn: { of: 'telescope', by: ['path.id'], wait: '1s', lease: '30s', longest: '2m', waiters: 9 },
  lookups: (on) => {
    const telescope = on.lookup({ reads: ['path.id'], ask: (services: Services, [id], { signal }) => services.telescopes.find(id, signal), refusal: { status: 404, code: 'none', message: 'is none', at: 'path.id' } })
    const quota = on.lookup({ reads: ['header.x-team'], follows: { telescope }, ask: async ({ quota }: { quota: Services['quota'] }, [team], { found }) => { same<typeof found.telescope, { id: string; aperture: number }>(); return (await quota.left(team)) > 0 } })
    const maybe = on.lookup({ reads: ['body.n'], when: on.above('body.n', 3), ask: () => 'text' })
    const some = on.lookup({ reads: ['body.m'], ask: (_: unknown, [m]) => { same<typeof m, number>(); return [m] }, counts: (all) => all.length > 0 })
    const none = on.lookup({ reads: ['path.id'], absent: true, ask: () => 1 })
    return { telescope, quota, maybe, some, none }
  },
})
same<FoundBy<typeof book>, { readonly telescope: { id: string; aperture: number }; readonly quota: true; readonly maybe: string | undefined; readonly some: number[] | undefined; readonly none: undefined }>()
same<Accepted<typeof book>['header'], { 'x-team': string }>()
const basket = endpoint('POST /shops/{shop}/baskets', {
  path: { shop: text() }, body: record({ lines: list(record({ sku: text(), size: integer({ optional: true }) })), extras: list(integer(), { optional: true }) }),
  lookups: (on) => {
    const product = on.lookup({ batch: true, reads: ['body.lines[].sku'], ask: async (services: Services, [skus]) => { same<typeof skus, string[]>(); return new Map(skus.map((sku) => [sku, { price: services ? 1 : 2 }])) } })
    const stock = on.lookup({ batch: true, reads: ['body.lines[].sku', 'body.lines[].size', 'path.shop'], follows: { product }, ask: (_: unknown, [skus, sizes, shop], { found }) => { same<typeof shop, string>(); same<typeof sizes, number[]>(); return skus.map((sku) => (found.product.get(sku)?.price === 1 ? skus.length : null)) }, counts: (left) => left > 0 })
    const extra = on.lookup({ batch: true, reads: ['body.extras[]'], ask: (_: unknown, [ids]) => ids.map(String) })
    return { product, stock, extra }
  },
})
same<FoundBy<typeof basket>, { readonly product: BatchFinds<[string], { price: number }>; readonly stock: BatchFinds<[string, number], number>; readonly extra: BatchFinds<[number], string> | undefined }>()
// @ts-expect-error no such address
endpoint('POST /x', { body, lookups: (on) => ({ x: on.lookup({ batch: true, reads: ['body.items[].nn'], ask: () => [] }) }) })
const plain = endpoint('GET /plain', {})
const app = intake({ endpoints: { book, ...group({ prefix: '/v1/{site}', path: { site: text() }, query: { page: integer() }, lookups: (on) => ({ site: on.lookup({ reads: ['path.site'], ask: () => 5 }) }) }, { plain }) } })
export async function use(services: Services) {
  const verdict = await judge(app, 'GET /plain HTTP/1.1')
  if (verdict.outcome === 'pending') same<typeof verdict.endpoint, 'book' | 'plain'>()
  const parts = judgeParts(plain, {})
  same<typeof parts.outcome, 'accepted' | 'rejected'>()
  return serve(app, {
    book: ({ body }, { found, turn, services }) => (body.n > 1 ? [found.telescope.aperture, turn?.fence, services.quota] : refuse({ status: 409, code: 'x', message: 'y', at: 'body.n' })),
    plain: ({ path, query }, { found }) => { same<typeof path.site, string>(); same<typeof query.page, number>(); return found.site + 1 },
  }, { services })
}

// Elements by their index: of a list one that may be missing, of a tuple the one that stands there.
const placed = { body: record({ rows: list(record({ n: integer(), tags: list(text()) })), grid: list(list(integer())), pair: tuple([integer(), text()]) }) }
endpoint('POST /x', { ...placed, rules: (on) => [
  on.equal('body.rows[0].n', 'body.rows[-1].n'), on.ascending('body.rows[].n', 'body.pair[0]'), on.differ('body.rows[].tags[0]', 'body.pair[1]'), on.needed('body.rows[1]', on.is('body.grid[0][-1]', 4)), on.sumWithin('body.grid[-1][]', { atMost: 'body.pair[0]' }),
  on.check({ reads: ['body.rows[0].n', 'body.pair[1]', 'body.rows[].tags[0]', 'body.grid[2]'], code: 'x', holds: (n, name, tags, row) => { same<typeof n, number | undefined>(); same<typeof name, string>(); same<typeof tags, (string | undefined)[]>(); same<typeof row, number[] | undefined>(); return true } }),
] })
// @ts-expect-error two kinds
endpoint('POST /x', { ...placed, rules: (on) => [on.equal('body.pair[0]', 'body.pair[1]')] })
// @ts-expect-error what is no list has no elements
endpoint('POST /x', { ...placed, rules: (on) => [on.sent('body.rows[0].n[0]')] })
// @ts-expect-error no such name in an element
endpoint('POST /x', { ...placed, rules: (on) => [on.needed('body.rows[-1].nn', on.sent('body.rows[]'))] })
// @ts-expect-error an index is a number
endpoint('POST /x', { ...placed, rules: (on) => [on.equal('body.rows[x].n', 'body.rows[0].n')] })

// For each rule and condition: an address that does not exist, and where it compares, two kinds that do not.
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.ascending('body.nn', 'body.n')] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.equal('body.n', 'body.nn')] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.equal('body.n', 'body.at')] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.differ('body.n', 'body.nn')] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.differ('body.t', 'body.n')] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.together('body.n', 'body.nn')] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.exactlyOne('body.n', 'body.nn')] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.atLeastOne('body.n', 'body.nn')] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.atMostOne('body.n', 'body.nn')] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.needed('body.nn', on.sent('body.n'))] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.absent('body.n', on.sent('body.nn'))] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.needed('body.n', on.is('body.k', 'c'))] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.needed('body.n', on.is('body.items[].k', 'z'))] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.needed('body.n', on.in('body.k', ['a', 'c']))] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.needed('body.n', on.above('body.at', 5))] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.needed('body.n', on.below('body.n', '5'))] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.sumWithin('body.items[].nn', [1, 2])] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.sumWithin('body.items[].n', { atMost: 'body.nn' })] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.check({ reads: ['body.nn'], code: 'x', holds: () => true })] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.find({ reads: ['body.nn'], code: 'x', finds: () => [] })] })
// @ts-expect-error
endpoint('POST /x', { body, rules: (on) => [on.fill('body.m', ['body.n'], (n) => `${n}`)] })
// @ts-expect-error a rule of a record outside of it
record({ a: integer() }, { rules: (on) => [on.needed('b', on.sent('a'))] })
// @ts-expect-error
endpoint('POST /x', { body, turn: { of: 'x', by: ['body.nn'] } })
// @ts-expect-error
endpoint('POST /x', { body, lookups: (on) => ({ x: on.lookup({ reads: ['body.nn'], ask: () => 1 }) }) })
// @ts-expect-error a value used as another type than it is read to
endpoint('POST /x', { body, lookups: (on) => ({ x: on.lookup({ reads: ['body.n'], ask: (_: unknown, [n]) => n.length }) }) })
// @ts-expect-error a handler is missing
serve(intake({ endpoints: { book, plain } }), { plain: () => 1 })
// @ts-expect-error a handler too many
serve(intake({ endpoints: { plain } }), { plain: () => 1, other: () => 2 })
// @ts-expect-error a find that there is not
serve(intake({ endpoints: { plain } }), { plain: (_, { found }) => found.telescope })
// A file's size, type and name; nothing else of it.
const photos = record({ cover: file({ optional: true }), all: list(file()), most: integer() })
endpoint('POST /x', { body: { 'multipart/form-data': photos }, rules: (on) => [on.sumWithin(['body.cover.bytes', 'body.all[].bytes'], { atMost: '20MB' }), on.distinct('body.all[].name'), on.absent('body.most', on.in('body.cover.type', ['image/png']))] })
// @ts-expect-error a file has no such part
endpoint('POST /x', { body: { 'multipart/form-data': photos }, rules: (on) => [on.distinct('body.all[].stream')] })
// @ts-expect-error a name is no number
endpoint('POST /x', { body: { 'multipart/form-data': photos }, rules: (on) => [on.ascending('body.cover.name', 'body.most')] })
// @ts-expect-error no unit of sizes
endpoint('POST /x', { body: { 'multipart/form-data': photos }, rules: (on) => [on.sumWithin('body.all[].bytes', { atMost: '20Mb' })] })
// What only observes may find nothing.
const watching = endpoint('POST /{id}', { path: { id: text() }, body, rules: (on) => [on.distinct('body.items[].n', { mode: 'observe' })], lookups: (on) => ({ one: on.lookup({ reads: ['path.id'], mode: 'observe', ask: () => 'x' }), two: on.lookup({ reads: ['path.id'], mode: 'enforce', ask: () => 'x' }) }) })
same<FoundBy<typeof watching>, { readonly one: string | undefined; readonly two: string }>()
// @ts-expect-error a rule enforces or observes
endpoint('POST /x', { body, rules: (on) => [on.distinct('body.items[].n', { mode: 'log' })] })
// Rules after lookups: what was found is there, and they find nothing themselves.
const late = endpoint('POST /{id}', { path: { id: text() }, body, lookups: (on) => {
  const one = on.lookup({ reads: ['path.id'], ask: (_: { a: 1 }) => ({ most: 5 }) })
  const two = on.lookup({ reads: ['body.m'], ask: (_: { b: 2 }, [m]) => m })
  const none = on.lookup({ reads: ['path.id'], absent: true, ask: () => 1 })
  // @ts-expect-error no such address
  on.after({ one }, ({ one }, on) => [on.sumWithin('body.items[].nn', { atMost: one.most })])
  // @ts-expect-error not found by it
  on.after({ one }, ({ two }) => [two as never])
  // @ts-expect-error braces without return give no rules
  on.after({ one }, (_, on) => { on.distinct('body.items[].n') })
  return { one, two, none, rules: on.after({ one, two, none }, ({ one, two, none }, on) => { same<[typeof one.most, typeof two, typeof none], [number, number, undefined]>(); return [on.sumWithin('body.items[].n', { atMost: one.most })] }) }
} })
same<FoundBy<typeof late>, { readonly one: { most: number }; readonly two: number | undefined; readonly none: undefined }>()
// @ts-expect-error the services of both are needed
serve(intake({ endpoints: { late } }), { late: () => 1 }, { services: { a: 1 } })
// Elements that are judged each alone: rules see what they are, and handlers what became of them.
const bulk = endpoint('POST /bulk', { body: record({ all: list(body, { piecewise: true }), some: list(integer()) }), rules: (on) => [on.distinct('body.all[].n'), on.needed('body.all[].m', on.is('body.all[].k', 'a'))], lookups: (on) => ({ known: on.lookup({ batch: true, reads: ['body.all[].t'], ask: (_: { b: 2 }, [ts]) => { same<typeof ts, string[]>(); return ts } }) }) })
same<Accepted<typeof bulk>['body']['all'], Piece<Out<typeof body>>[]>()
same<Sent<typeof bulk>['body']['all'][number]['t'], string>()
serve(intake({ endpoints: { bulk } }), { bulk: ({ body }, { pieces }) => pieces(body.all, (one, index) => { same<[typeof one.t, typeof index], [string, number]>(); return one.n }) }, { services: { b: 2 } })
// @ts-expect-error one that was rejected has no value
export const ofPiece = (piece: Piece<string>): string => piece.value
// @ts-expect-error no such address in an element
endpoint('POST /bulk', { body: list(body, { piecewise: true }), rules: (on) => [on.distinct('body[].value.n')] })
// @ts-expect-error its outcome is not what rules read
endpoint('POST /bulk', { body: list(body, { piecewise: true }), rules: (on) => [on.distinct('body[].outcome')] })
