// biome-ignore-all format: each declaration that must not compile stands on the line after its mark
/** The caller, services, what is found and what is filled: none is typed as something that it may not be. */
import { type Accepted, allOptional, type Context, choice, either, endpoint, type Field, type FoundBy, type Gives, group, type Handlers, instant, intake, integer, judge, judgeMerged, later, list, type Out, readAs, record, refuse, serve, table, tagged, text, type WhoOf } from 'yosei'

type Same<A, B> = (<T>() => T extends A ? 1 : 2) extends <T>() => T extends B ? 1 : 2 ? true : false
const same = <A, B>(..._: Same<A, B> extends true ? [] : ['not the same type']) => undefined

// The caller.
const who = record({ role: choice(['clerk', 'guest']), teams: list(text()), since: instant() })
const free = record({ role: choice(['clerk', 'guest']) }, { optional: true })
const body = record({ n: integer(), m: integer({ optional: true }), name: text(), slug: text({ optional: true }), rows: list(record({ a: integer(), b: integer({ optional: true }) })) })
interface Db { db: { find(id: string): Promise<{ id: string } | undefined> } }
const guarded = endpoint('POST /a/{id}', {
  path: { id: text() },
  header: { 'x-role': text({ optional: true }) },
  body,
  who,
  may: (on) => on.all(on.is('who.role', 'clerk'), on.sent('header.x-role')),
  turn: { of: 'a', by: ['who.role', 'path.id'] },
  rules: (on) => [
    on.check({ reads: ['who.teams', 'body.name'], blames: ['body.name'], code: 'x', holds: (teams, name) => { same<typeof teams, readonly string[]>(); return teams.includes(name) } }),
    on.needed('body.m', on.in('who.role', ['guest'])),
    on.fill('body.slug', ['body.name'], (name) => name.toLowerCase()),
    on.fill('body.rows[].b', ['body.rows[].a'], (a) => a + 1),
    on.fill('body.m', ['body.n'], (n) => (n > 1 ? n : undefined)),
  ],
  lookups: (on) => {
    const one = on.lookup({ reads: ['path.id'], ask: ({ db }: Db, [id], { who }) => { same<typeof who.role, 'clerk' | 'guest'>(); return db.find(id) } })
    const two = on.lookup({ reads: ['body.m'], follows: { one }, ask: ({ log }: { log(id: string): number }, [m], { found }) => m + log(found.one.id) })
    return { one, two, three: on.lookup({ reads: ['body.m'], follows: { two }, ask: (_: unknown, __, { found }) => { same<typeof found.two, number | undefined>(); return found.two } }) }
  },
})
same<WhoOf<typeof guarded>['since'], Date>()
same<FoundBy<typeof guarded>, { readonly one: { id: string }; readonly two: number | undefined; readonly three: number | undefined }>()
same<Accepted<typeof guarded>['body'], { n: number; name: string; slug: string; m?: number; rows: { a: number; b: number }[] }>()
const openTo = endpoint('GET /b', { who: free, open: true })
same<WhoOf<typeof openTo>, { readonly role: 'clerk' | 'guest' } | undefined>()
const app = intake({ endpoints: { guarded, openTo }, identify: async ({ path, tags }, { users }: { users: { role(name: string): 'clerk' | 'guest' } }) => (path.id ? { role: users.role(path.id), teams: tags, since: new Date() } : undefined) })
const services = { db: { find: async () => undefined }, log: () => 1, users: { role: () => 'clerk' as const } }
const handlers: Handlers<typeof app.endpoints, typeof services> = {
  guarded: ({ body }, { who, found, services }) => [body.slug.length, who.teams.length, found.one.id, services.log()],
  openTo: (_, { who }) => who?.role,
}
export const one = (input: Accepted<typeof guarded>, context: Context<typeof guarded, typeof services>) => handlers.guarded(input, context)
serve(app, handlers, { services })
export const same_: Handlers<typeof app, typeof services> = handlers
serve(app, { guarded: ({ body }, { who }) => body.slug + who.role, openTo: () => 1 }, { services })
export const pending = judge(app, 'GET /b HTTP/1.1').then((verdict) => verdict.outcome === 'pending' && verdict.unasked)
const grouped = group({ prefix: '/v1/{team}', path: { team: text() }, who, lookups: (on) => ({ team: on.lookup({ reads: ['path.team'], ask: ({ teams }: { teams: Map<string, number> }, [team]) => teams.get(team) }) }) }, (shared) => ({
  inner: shared.endpoint('GET /x', { may: (on) => on.is('who.role', 'clerk'), lookups: (on, { team }) => ({ more: on.lookup({ reads: ['path.team'], follows: { team }, ask: (_: unknown, __, { found }) => found.team.toFixed() }) }) }),
}))
same<FoundBy<typeof grouped.inner>, { readonly team: number; readonly more: string }>()
same<WhoOf<typeof grouped.inner>['role'], 'clerk' | 'guest'>()
const groupedApp = intake({ endpoints: grouped, identify: () => ({ role: 'clerk' as const, teams: [], since: new Date() }) })
serve(groupedApp, { inner: ({ path }, { found }) => path.team + found.more }, { services: { teams: new Map<string, number>() } })
refuse<typeof guarded>({ status: 409, code: 'x', message: 'y', at: 'body.rows[3].a' })
refuse<typeof guarded>([{ status: 409, code: 'x', message: 'y', at: 'body.rows[].a' }])
refuse({ status: 451, code: 'x', message: 'y' })
refuse({ status: 503, code: 'x', message: 'y', retryAfter: '30s' })
// @ts-expect-error: the head of a request decides it
refuse({ status: 405, code: 'x', message: 'y' })
// @ts-expect-error: no refusal
refuse({ status: 500, code: 'x', message: 'y' })

// @ts-expect-error the services of lookups and identify are missing
serve(app, handlers)
// @ts-expect-error one of them is
serve(app, { guarded: () => 1, openTo: () => 1 }, { services: { db: services.db, log: services.log } })
// @ts-expect-error services of another kind
serve(app, { guarded: () => 1, openTo: () => 1 }, { services: { nothing: 1 } })
// @ts-expect-error identify gives something else
intake({ endpoints: { guarded }, identify: () => ({ role: 'king', teams: [], since: new Date() }) })
// @ts-expect-error an instant of the caller is no text
intake({ endpoints: { guarded }, identify: () => ({ role: 'clerk' as const, teams: [], since: '2031-01-01' }) })
// @ts-expect-error a misspelt name of the caller
endpoint('GET /x', { who, may: (on) => on.is('who.rol', 'clerk') })
// @ts-expect-error a value that it cannot have
endpoint('GET /x', { who, may: (on) => on.is('who.role', 'king') })
// @ts-expect-error the body has not come
endpoint('POST /x', { who, body, may: (on) => on.sent('body.n') })
// @ts-expect-error the caller never has an error
endpoint('POST /x', { who, body, rules: (on) => [on.equal('body.name', 'who.role', { blames: ['who.role'] })] })
// @ts-expect-error the caller is not declared
endpoint('GET /x', { rules: (on) => [on.sent('who.role') as never] })
// @ts-expect-error an open endpoint may have no caller
serve(intake({ endpoints: { openTo }, identify: () => ({ role: 'clerk' as const }) }), { openTo: (_, { who }) => who.role })
// @ts-expect-error a place where nothing is declared
refuse<typeof guarded>({ status: 409, code: 'x', message: 'y', at: 'body.rows[3].z' })
// @ts-expect-error a refusal at a place where nothing is declared
endpoint('POST /x', { body, lookups: (on) => ({ x: on.lookup({ reads: ['body.n'], ask: () => 1, refusal: { status: 404, code: 'x', message: 'y', at: 'body.z' } }) }) })
// @ts-expect-error no lookup
endpoint('POST /x', { body, lookups: (on) => ({ x: on.lookup({ reads: ['body.n'], ask: () => 1, follows: ['y'] }) }) })
// @ts-expect-error a lookup that it does not follow
endpoint('POST /x', { body, lookups: (on) => ({ x: on.lookup({ reads: ['body.n'], ask: (_: unknown, __, { found }) => found.y }) }) })
// @ts-expect-error what may not have been asked
endpoint('POST /x', { body, lookups: (on) => { const y = on.lookup({ reads: ['body.m'], ask: () => 1 }); return { y, x: on.lookup({ reads: ['body.n'], follows: { y }, ask: (_: unknown, __, { found }) => found.y.toFixed() }) } } })
// @ts-expect-error an address that is blamed and does not exist
endpoint('POST /x', { body, rules: (on) => [on.ascending('body.n', 'body.m', { blames: ['body.nn'] })] })
// @ts-expect-error a sum that blames what is not there
endpoint('POST /x', { body, rules: (on) => [on.sumWithin('body.rows[].a', [1, 2], { blames: ['body.nn'] })] })
// @ts-expect-error the prefix has no such parameter
group({ prefix: '/v1/{team}', path: { team: text(), tem: text() } }, {})

// Options and recursion.
const maybe: { title: string | undefined; optional: boolean | undefined } = { title: undefined, optional: undefined }
same<Out<typeof unsure>['a'], string | undefined>()
const unsure = record({ a: text({ title: maybe.title, optional: maybe.optional, default: undefined }) })
same<Out<ReturnType<typeof both>>, string | number>()
const both = () => either([text(), integer()], { default: 'x' })
const byTag = tagged('k', { a: record({ n: integer() }), b: record({}) }, { default: { k: 'a', n: 1 } })
same<(typeof byTag)['need'], 'defaulted'>()
interface Chain { name: string; next?: Chain }
const chain: Field<Chain> = record({ name: text(), next: later(() => chain, { optional: true, description: 'the link below' }) })
const filledAlone = record({ name: text(), slug: text({ optional: true }) }, { rules: (on) => [on.fill('slug', ['name'], (name) => name)] })
same<Out<typeof filledAlone>, { name: string; slug: string }>()
export const read = readAs(text({ optional: true }), (value) => value?.length, { code: 'x', message: undefined, write: undefined })
// @ts-expect-error a field that may be left out is not one that must be sent
export const wrongly: Field<Chain> = record({ name: text(), next: later(() => chain, { optional: true }) }, { optional: true })
// @ts-expect-error a default that no branch takes
either([text(), integer()], { default: true })
// @ts-expect-error a default of no branch
tagged('k', { a: record({ n: integer() }) }, { default: { k: 'b' } })
// @ts-expect-error an instant's default is a Date
instant({ default: '2031-01-01T00:00:00Z' })
// Fields that a value must also pass, and rules that hold for a while.
endpoint('POST /x', { body, rules: (on) => [on.while(on.suits('body.name', text({ pattern: /^a/ })), [on.fits('body.n', integer({ max: 5 })), on.fits('body.rows', list(record({ a: integer() })))])] })
// @ts-expect-error a number is no text
endpoint('POST /x', { body, rules: (on) => [on.fits('body.n', text())] })
// @ts-expect-error an address that does not exist
endpoint('POST /x', { body, rules: (on) => [on.fits('body.nn', integer())] })
// @ts-expect-error a condition on what is not there
endpoint('POST /x', { body, rules: (on) => [on.while(on.is('body.nn', 5), [])] })
// @ts-expect-error no list
endpoint('POST /x', { body, rules: (on) => [on.inOrder('body.n')] })
// @ts-expect-error a start and an end that do not compare
endpoint('POST /x', { body, rules: (on) => [on.apart('body.rows[].a', 'body.name')] })
// @ts-expect-error no text is among numbers
endpoint('POST /x', { body, rules: (on) => [on.among('body.name', 'body.rows[].a')] })
// @ts-expect-error one value is no list
endpoint('POST /x', { body, rules: (on) => [on.among('body.n', 'body.m')] })
// @ts-expect-error a list has no names
endpoint('POST /x', { body, rules: (on) => [on.among('body.name', { namesOf: 'body.rows' })] })
// @ts-expect-error elements of no list
endpoint('POST /x', { body, rules: (on) => [on.count('body.n', { atMost: 1 })] })
// @ts-expect-error a limit that is no address
endpoint('POST /x', { body, rules: (on) => [on.count('body.rows[]', { atMost: 'body.nn' })] })
// @ts-expect-error groups by what is not there
endpoint('POST /x', { body, rules: (on) => [on.distinct('body.rows[].a', { by: ['body.rows[].nn'] })] })
// @ts-expect-error a term that is not there
endpoint('POST /x', { body, rules: (on) => [on.sumWithin(['body.n', ['body.m', 'body.nn']], { atMost: 1 })] })
// @ts-expect-error nothing to take away there
endpoint('POST /x', { body, rules: (on) => [on.sumWithin('body.n', { less: ['body.nn'], atMost: 1 })] })
endpoint('POST /x', { body, rules: (on) => [on.count('body.rows[]', { where: on.above('body.rows[].a', 1), exactly: 'body.n', by: ['body.rows[].a'] }, { blames: ['body.n'] }), on.sumWithin(['body.n', ['body.m', 'body.rows[].a']], { less: ['body.m'], rounded: 2, exactly: 'body.n', by: ['body.name'] }), on.inOrder('body.rows[].a', { by: ['body.rows[].a'], orEqual: true })] })
// @ts-expect-error a unit that no time has
endpoint('POST /x', { body, rules: (on) => [on.gap('body.n', 'body.m', { exactly: 'body.n', in: 'w' })] })
// @ts-expect-error a limit that is no address
endpoint('POST /x', { body, rules: (on) => [on.gap('body.n', 'body.m', { exactly: 'body.nn' })] })
// @ts-expect-error a rest that is no span
endpoint('POST /x', { body, rules: (on) => [on.apart('body.rows[].a', 'body.rows[].b', { rest: 'long' })] })
endpoint('POST /x', { body, rules: (on) => [on.gap('body.n', 'body.m', { atLeast: 'body.n', atMost: '6mo', code: 'x' }), on.apart('body.rows[].a', 'body.rows[].b', { rest: '11h', seamless: false, lastIncluded: true, openEnded: true, by: ['body.name'] })] })
// @ts-expect-error a day that no week has
endpoint('POST /x', { body, rules: (on) => [on.openAt('body.name', { zone: 'UTC', hours: { monday: [['08:00', '12:00']] } })] })
// @ts-expect-error hours of what is not there
endpoint('POST /x', { body, rules: (on) => [on.openAt('body.nn', { zone: 'UTC', hours: {} })] })
// @ts-expect-error a reference of another kind
endpoint('POST /x', { body, rules: (on) => [on.acyclic('body.rows[].a', 'body.name')] })
const graph = record({ nodes: list(record({ id: text(), after: list(text()), up: text({ optional: true }) })), edges: list(record({ from: text(), to: text() })), named: table(integer()) })
endpoint('POST /x', { body: graph, rules: (on) => [on.among('body.edges[].from', 'body.nodes[].id'), on.among('body.nodes[].after[]', 'body.nodes[].id', { code: 'x' }), on.among('body.edges[].to', { namesOf: 'body.named' }), on.acyclic('body.nodes[].id', 'body.nodes[].after[]'), on.acyclic('body.nodes[].id', 'body.nodes[].up'), on.acyclic('body.edges[].from', 'body.edges[].to')] })
// @ts-expect-error no two kinds have a distance
endpoint('POST /x', { body, rules: (on) => [on.gap('body.n', 'body.name', { atMost: 1 })] })
const unset: { limits: undefined; open: undefined; body: undefined; base: undefined; now: undefined } = { limits: undefined, open: undefined, body: undefined, base: undefined, now: undefined }
intake({ endpoints: { x: endpoint('GET /x', { limits: { body: unset.body }, open: unset.open, rules: undefined, title: undefined }) }, limits: unset.limits, base: unset.base, statuses: { body: undefined } })
// Other values, tables, sums, and what functions are reported.
const priced = record({ rates: table(record({ low: integer(), name: text() })), grid: list(list(integer())), rows: list(record({ n: integer(), m: integer(), label: text(), at: instant() })), top: integer(), label: text(), at: instant() })
endpoint('POST /x', { who: record({ role: text() }), body: priced, rules: (on) => [
  on.needed('body.label', on.all(on.above('body.rates{}.low', on.other('body.top')), on.is('body.label', on.other('body.rows[].label')), on.in('body.rows[].n', [1, on.other('body.rows[].m')]), on.below('body.at', on.other('body.rows[].at')))),
  on.sumWithin('body.rows[].n', { times: 'body.rows[].m', exactly: 'body.top', atMost: '10.5', atLeast: 3n }),
  on.check({ reads: ['body.rates{}.low', 'body.grid[][]', 'body.rates'], code: 'x', holds: (low, grid, rates, { now, who }) => { same<typeof low, number[]>(); same<typeof grid, number[][]>(); same<typeof who, { readonly role: string } | undefined>(); return low.length + grid.length + now.getTime() > Object.keys(rates).length } }),
] })
// @ts-expect-error a number is no text
endpoint('POST /x', { body: priced, rules: (on) => [on.needed('body.label', on.above('body.top', on.other('body.label')))] })
// @ts-expect-error an address that does not exist
endpoint('POST /x', { body: priced, rules: (on) => [on.needed('body.label', on.above('body.top', on.other('body.tip')))] })
// @ts-expect-error no such field of a table's values
endpoint('POST /x', { body: priced, rules: (on) => [on.sent('body.rates{}.hi') as never] })
// @ts-expect-error a limit that does not exist
endpoint('POST /x', { body: priced, rules: (on) => [on.sumWithin('body.rows[].n', { exactly: 'body.tip' })] })
// @ts-expect-error a factor that does not exist
endpoint('POST /x', { body: priced, rules: (on) => [on.sumWithin('body.rows[].n', { times: 'body.rows[].k', exactly: 1 })] })
// Changes: what a patch reads to, and what comes of it.
const whole = record({ id: text(), note: text({ optional: true }), seconds: integer({ default: 60 }), maybe: text({ nullable: true }), window: record({ opens: instant(), label: text({ optional: true }) }), tags: list(text(), { optional: true }) })
const shallow = allOptional(whole)
same<Out<typeof shallow>, { id?: string; note?: string; seconds?: number; maybe?: string | null; window?: { opens: Date; label?: string }; tags?: string[] }>()
const patching = allOptional(whole, { nullable: true, deep: true })
same<Out<typeof patching>, { id?: string; note?: string | null; seconds?: number | null; maybe?: string; window?: { opens?: Date; label?: string | null }; tags?: string[] | null }>()
const putWhole = endpoint('PUT /x', { body: whole })
export const merge = (patch: Out<typeof patching>) => { const verdict = judgeMerged(putWhole, {}, patch); if (verdict.outcome === 'accepted') same<typeof verdict.input.body.window, { opens: Date; label?: string }>(); return verdict.outcome === 'rejected' ? refuse(verdict) : undefined }
// @ts-expect-error a patch of another type
judgeMerged(putWhole, {}, { seconds: '5' })
// @ts-expect-error no such option
allOptional(whole, { nulable: true })
// What an endpoint gives, and parameters inside of a segment.
const giving = endpoint('GET /files/{name}.{type}', { path: { name: text(), type: text() }, gives: record({ at: instant(), n: integer({ optional: true }) }) })
same<Gives<typeof giving>, { at: string; n?: number }>()
same<Accepted<typeof giving>['path'], { name: string; type: string }>()
// @ts-expect-error the template has another parameter
endpoint('GET /files/{name}.{type}', { path: { name: text() } })

// Messages as they came.
const webhook = endpoint('POST /hooks/{id}', { path: { id: text() }, body: text(), who, keepBytes: true, attest: ({ bytes, head, now, who }, { keys }: { keys: string[] }) => { same<[typeof bytes, typeof head.method, typeof now, typeof who.role], [Uint8Array, string, Date, 'clerk' | 'guest']>(); return keys.includes('k') } })
const unkept = endpoint('POST /a', { body: text(), attest: async ({ bytes }) => bytes.length > 0 })
const hooks = intake({ endpoints: { webhook, unkept, ...group({ attest: (_, { log }: { log(): boolean }) => log(), keepBytes: true }, { shared: endpoint('POST /b', { body: text() }) }) }, identify: () => ({ role: 'clerk' as const, teams: [], since: new Date() }) })
serve(hooks, { webhook: (_, { bytes }) => same<typeof bytes, Uint8Array>(), unkept: (_, { bytes }) => same<typeof bytes, undefined>(), shared: (_, { bytes }) => same<typeof bytes, Uint8Array>() }, { services: { keys: [], log: () => true } })
// @ts-expect-error the services of attest are missing
serve(hooks, { webhook: () => 1, unkept: () => 1, shared: () => 1 }, { services: { keys: [] } })
// @ts-expect-error a function without return lets everybody in
endpoint('POST /a', { body: text(), attest: ({ bytes }) => { bytes.length > 0 } })
// @ts-expect-error a signature is not a verdict
endpoint('POST /a', { body: text(), attest: () => 'ok' })
// @ts-expect-error nor is a promise of one
group({ attest: async () => 1 }, { unkept })
// @ts-expect-error bytes are kept or not
endpoint('POST /a', { body: text(), keepBytes: false })
judge(hooks, 'POST /a HTTP/1.1').then((verdict) => verdict.outcome === 'pending' && same<typeof verdict.endpoint, 'webhook' | 'unkept' | 'shared'>())
