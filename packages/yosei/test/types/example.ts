// biome-ignore-all format: each declaration that must not compile stands on the line after its mark

import type { Accepted, Field, Sent } from 'yosei'
import { adding, allOptional, bigInteger, choice, constant, day, decimal, duration, either, endpoint, flag, group, instant, intake, integer, judge, judgeParts, later, list, number, only, readAs, record, refuse, serve, table, tagged, text, tuple, without, write } from 'yosei'

interface Services { telescopes: { find(id: string, signal: AbortSignal): Promise<{ id: string; aperture: number } | undefined> }; quota: { left(team: string): Promise<number> } }
const slug = text({ pattern: /^[a-z][a-z0-9-]+$/, length: [2, 40] })
const session = record({
  target: record({ name: text({ length: [1, 80], trim: true }), rightAscension: number({ min: 0, below: 24 }), declination: number({ min: -90, max: 90 }) }),
  window: record({ opens: instant({ from: '+36h' }), closes: instant() }),
  exposures: list(record({ filter: choice(['clear', 'red', 'green', 'blue']), seconds: number({ above: 0, max: 3600 }), count: integer({ min: 1, max: 500 }) }), { length: [1, 12] }),
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
    on.needed('header.idempotency-key', on.above('query.limit', 10)),
    on.needed('body.note', on.all(on.is('body.observing.mode', 'survey'), on.not(on.present('query.limit')))),
    on.fill('body.slug', ['body.target.name'], (name) => name.toLowerCase()),
    on.check({
      reads: ['body.window', 'body.exposures[].seconds', 'query.limit', 'body.observing.tiles'],
      blames: ['body.exposures'],
      code: 'longer_than_window',
      message: 'take longer than the window is open',
      holds: (window, seconds, limit, tiles) => {
        const each: number[] = seconds; const l: number | undefined = limit; const t: number | undefined = tiles
        return window.closes.getTime() - window.opens.getTime() > each.length * 1000 + (l ?? 0) + (t ?? 0)
      },
    }),
    on.find({ reads: ['body.exposures'], code: 'same_filter_twice', finds: (exposures) => exposures.flatMap((e, i) => (i > 0 && exposures[i - 1]?.filter === e.filter ? [{ at: `body.exposures[${i}].filter` }] : [])) }),
  ],
  turn: { of: 'telescope', by: ['path.telescopeId'], wait: '0s', lease: '30s' },
  lookups: (on) => ({
    telescope: on.lookup({ reads: ['path.telescopeId'], ask: (services: Services, [id], { signal }) => services.telescopes.find(id, signal), refusal: { status: 404, code: 'no_such_telescope', message: 'is not one of our telescopes' } }),
    quota: on.lookup({ reads: ['header.x-team'], follows: ['telescope'], ask: async (services: Services, [team]) => (await services.quota.left(team)) > 0, refusal: { status: 422, code: 'quota_spent', message: 'has no sessions left tonight' } }),
  }),
})
export const changeSession = endpoint('PATCH /sessions/{sessionId}', { path: { sessionId: text({ format: 'uuid' }) }, body: allOptional(adding(without(session, ['slug']), { sessionId: text({ format: 'uuid' }) })), rules: (on) => [on.equal('path.sessionId', 'body.sessionId'), on.atLeastOne('body.window', 'body.note')] })
export const listSessions = endpoint('GET /sessions', { query: { night: day({ optional: true }), telescope: list(slug, { optional: true }), limit: integer({ min: 1, max: 100, default: 20 }) } })

interface Tree { name: string; parts: Tree[] }
const tree: Field<Tree> = record({ name: text(), parts: list(later(() => tree)) })
export const others = endpoint('PUT /odd/{n}', { path: { n: bigInteger() }, cookie: { theme: choice(['dark', 'light'], { optional: true }) }, body: { 'application/json': record({ a: either([integer(), text()]), b: tuple([integer(), text()]), c: constant(true), d: decimal({ scale: 2 }), e: duration({ max: '2h' }), f: table(text(), { length: [0, 5] }), g: tree, h: readAs(text(), (s) => new URL(s), { code: 'bad_link' }) }), 'text/plain': text() } })

const app = intake({ endpoints: { bookSession, changeSession, ...group({ prefix: '/v1' }, { listSessions }) }, limits: { body: '64kB', queryValues: 20 }, base: '/api' })

export async function use(request: Request, services: Services) {
  const verdict = await judge(app, request)
  if (verdict.outcome === 'rejected') return verdict.errorsByField['body.window.closes']?.[0]?.message
  if (verdict.endpoint === 'bookSession') { const opens: Date = verdict.input.body.window.opens; return opens }
  const now = judgeParts(bookSession, { path: { telescopeId: 'kr-2' }, query: {}, header: {}, body: {} })
  if (now.outcome === 'pending') { const r: number = now.input.body.target.rightAscension; return r + now.unasked.length }
  return serve(app, {
    bookSession: async (input, { found, turn }) => { const aperture: number = found.telescope.aperture; const ok: true = found.quota; void turn?.fence; return input.query.dryRun ? { aperture, ok } : refuse({ status: 409, code: 'slot_taken', message: 'is taken', at: 'body.window' }) },
    changeSession: (input) => input.body.window?.opens,
    listSessions: (input) => input.query.limit + 1,
  }, { services })
}
type A = Accepted<typeof bookSession>; type S = Sent<typeof bookSession>
export const note = (a: A): string | null | undefined => a.body.note
export const tiles = (a: A): number => (a.body.observing.mode === 'survey' ? a.body.observing.tiles : a.body.observing.repeat)
export const sent: S = { path: { telescopeId: 'kr-1' }, header: { 'x-team': 'nebula' }, body: { target: { name: 'M 42', rightAscension: 1, declination: 2 }, window: { opens: '2031-01-01T00:00:00Z', closes: '2031-01-01T01:00:00Z' }, exposures: [], contact: 'a@b.example', observing: { mode: 'single' } } }
export const message: Request = write(bookSession, 'https://kr.example', sent)
export const few = only(session, ['target', 'note'])

// what must not compile
// @ts-expect-error an address that does not exist
endpoint('POST /x', { body: record({ a: integer(), b: integer() }), rules: (on) => [on.ascending('body.a', 'body.zz')] })
// @ts-expect-error two kinds that do not compare
endpoint('POST /x', { body: record({ a: integer(), b: text() }), rules: (on) => [on.ascending('body.a', 'body.b')] })
// @ts-expect-error a path parameter left undeclared
endpoint('GET /x/{id}', { query: { a: integer() } })
// @ts-expect-error a path parameter misspelt
endpoint('GET /x/{id}', { path: { idd: integer() } })
// @ts-expect-error a default of another type
integer({ default: 'x' })
// @ts-expect-error an asynchronous reader
readAs(text(), async (s) => s, { code: 'x' })
// @ts-expect-error a handler is missing
serve(intake({ endpoints: { listSessions, changeSession } }), { listSessions: () => 1 })
// @ts-expect-error not a field of that record
without(session, ['nowhere'])
// @ts-expect-error a condition on a value that the choice does not have
endpoint('POST /x', { body: record({ k: choice(['a', 'b']), n: text({ optional: true }) }), rules: (on) => [on.needed('body.n', on.is('body.k', 'c'))] })
