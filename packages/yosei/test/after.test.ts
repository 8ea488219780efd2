// biome-ignore-all format: a table reads line by line
/** Rules that are made of what lookups found. */
import { expect, test } from '@jest/globals'
import { choice, endpoint, instant, intake, integer, type JournalEvent, judge, list, outline, type Rule, type RuleMaker, record, serve, text } from 'yosei'

const body = record({ depot: text(), other: text({ optional: true }), pickup: instant(), kind: text(), lines: list(record({ weight: integer(), sku: text({ optional: true, messages: { needed: 'needs its number' } }) })) })
interface Depot { zone: string; hours: { mon: [string, string][] }; most: number; kinds: [string, ...string[]]; more?: (on: RuleMaker<{ body: { depot: string; kind: string; lines: { sku?: string }[] } }>) => unknown }
type Services = { db: { [id: string]: Depot | undefined } }
const post = endpoint('POST /parcels', {
  body,
  lookups: (on) => {
    const depot = on.lookup({ reads: ['body.depot'], ask: ({ db }: Services, [id]) => db[id], refusal: { status: 404, code: 'gone', message: 'is not there' } })
    const other = on.lookup({ reads: ['body.other'], ask: ({ db }: Services, [id]) => db[id] })
    const hours = on.after({ depot }, ({ depot }, on) => (depot.more ? (depot.more(on as never) as Rule[]) : [
      on.openAt('body.pickup', { zone: depot.zone, hours: depot.hours }), on.sumWithin('body.lines[].weight', { atMost: depot.most }),
      on.while(on.is('body.depot', 'vie'), [on.distinct('body.lines[].sku')]),
    ]))
    return { depot, other, hours, kinds: on.after({ depot, other }, ({ other }, on) => [on.fits('body.kind', choice(other.kinds)), on.differ('body.depot', 'body.other', { mode: 'observe' })]) }
  },
})
const hours = { mon: [['08:00', '12:00']] as [string, string][] }
const db: Services['db'] = { vie: { zone: 'Europe/Vienna', hours, most: 10, kinds: ['box'] }, nyc: { zone: 'America/New_York', hours, most: 3, kinds: ['tube', 'bag'] } }
const odd: { readonly [name: string]: NonNullable<Depot['more']> } = {
  nothing: () => undefined, number: () => [1], condition: (on) => [on.sent('body.kind')], throws: () => { throw new Error('boom') },
  misspelt: (on) => [on.equal('body.kindd' as 'body.kind', 'body.depot')], unlike: (on) => [on.sumWithin('body.kind' as never, { atMost: 1 })], derives: (on) => [on.fill('body.kind', ['body.depot'], (id) => id)],
  limits: (on) => [on.sumWithin('body.lines[].weight' as never, { atLeast: 5, atMost: 1 })], none: () => [], needed: (on) => [on.needed('body.lines[].sku', on.sent('body.depot'), { code: 'needed' })], own: (on) => [on.check({ reads: ['body.kind'], code: 'above_max', holds: () => false })],
  status: (on) => [on.check({ reads: ['body.kind'], code: 'k', status: 409, message: '{other}', holds: () => false })],
}
for (const [name, more] of Object.entries(odd)) db[name] = { ...(db.vie as Depot), more }
const good = { depot: 'vie', pickup: '2031-03-03T09:00:00Z', kind: 'box', lines: [{ weight: 4 }] }
/** A change of what is good, the answer, and what is logged besides a rejection. */
const table: readonly (readonly [change: object, answer: string, logged?: string])[] = [
  [{}, '200 depot'],
  [{ other: 'nyc', kind: 'bag' }, '200 depot,other'],
  [{ pickup: '2031-03-03T11:00:00Z' }, '422 body.pickup closed_then'],
  [{ depot: 'nyc' }, '422 body.pickup closed_then, body.lines above_max'],
  [{ lines: [{ weight: 4, sku: 'a' }, { weight: 7, sku: 'a' }] }, '422 body.lines above_max, body.lines[1] repeated'],
  [{ other: 'nyc', lines: [{ weight: 11 }] }, '422 body.kind not_a_choice, body.lines above_max'],
  [{ other: 'gone', lines: [{ weight: 11 }] }, '422 body.other not_found, body.lines above_max'],
  [{ depot: 'gone', other: 'nyc' }, '404 body.depot gone'],
  [{ other: 'vie' }, '200 depot,other', 'observed body.other equal_not_allowed'],
  ...['nothing', 'number', 'condition', 'throws', 'misspelt', 'unlike', 'derives', 'limits'].map((depot) => [{ depot }, '503 ', 'failed '] as const),
  [{ depot: 'none' }, '200 depot'],
  [{ depot: 'needed', lines: [{ weight: 1 }, { weight: 1, sku: 'x' }, { weight: 1 }] }, '422 body.lines[0].sku needed needs its number, body.lines[2].sku needed needs its number'],
  [{ depot: 'own' }, '422 body.kind above_max is not accepted'],
  [{ depot: 'status' }, '409 body.kind k {other}'],
]
test.each(['compiled', 'interpreted'] as const)('they are judged when those have answered, %s', async (engine) => {
  const events: JournalEvent[] = []
  const app = intake({ endpoints: { post }, engine, journal: { write: (event) => void events.push(event) } })
  const handle = serve(app, { post: (_, { found }) => Object.keys(found).join() }, { services: { db } })
  for (const [change, answer, logged = ''] of table) {
    events.length = 0
    const response = await handle(new Request('http://h/parcels', { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ ...good, ...change }) }))
    const said = await response.json()
    const told = response.status === 200 ? said : Object.entries((said.fields ?? {}) as { [address: string]: { code: string; detail: string }[] }).map(([address, all]) => all.map(({ code, detail }) => `${address} ${code}${/needs|accepted|\{other/.test(answer) ? ` ${detail}` : ''}`)).join(', ')
    const log = events.filter(({ outcome }) => outcome !== 'rejected').map(({ outcome, errors }) => `${outcome} ${errors.map(({ address, code }) => `${address} ${code}`)}`).join()
    expect([change, `${response.status} ${told}`, log]).toEqual([change, answer, logged])
  }
})
test('a trace shows each; without services they are not asked; an outline says what they follow', async () => {
  const app = intake({ endpoints: { post } })
  const request = { method: 'POST', target: '/parcels', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ ...good, depot: 'nyc' }) }
  const { trace } = await judge(app, request, { services: { db }, trace: true })
  expect(trace?.steps.slice(5).map(({ stage, name, outcome }) => `${stage} ${name} ${outcome}`)).toEqual(['rules openAt body.pickup failed', 'rules sumWithin body.lines[].weight failed', 'rules distinct body.lines[].sku not run', 'lookups depot passed', 'lookups other not run', 'lookups hours failed', 'lookups kinds not run'])
  expect(await judge(app, request)).toMatchObject({ outcome: 'pending', unasked: ['depot', 'other', 'hours', 'kinds'] })
  expect(outline(post).lookups.kinds).toEqual({ reads: [], follows: ['depot', 'other'], givesRules: true })
})
test('lookups and rules that share a function, and follow others, are asked for themselves', async () => {
  const fits = ({ most }: { most: number }, on: RuleMaker<{ body: { from: string; to: string; n: number } }>, at: 'a' | 'b') => [on.fits('body.n', integer({ max: most }), { code: at })]
  const limit = ({ found }: never, on: never) => fits(found, on, 'a')
  const told = (_: unknown, __: unknown, { found }: { found: { found: { most: number } } }) => found.found.most
  const send = endpoint('POST /x', { body: record({ from: text(), to: text(), n: integer() }), lookups: (on) => {
    const ask = ({ depots }: { depots: { [id: string]: { most: number } } }, [id]: readonly string[]) => depots[id as string]
    const [from, to] = [on.lookup({ reads: ['body.from'], ask }), on.lookup({ reads: ['body.to'], ask })]
    return { from, to, a: on.after({ found: from }, limit as never), b: on.after({ found: to }, limit as never), one: on.lookup({ reads: ['body.n'], follows: { found: from }, ask: told as never }), two: on.lookup({ reads: ['body.n'], follows: { found: to }, ask: told as never }) }
  } })
  const handle = serve(intake({ endpoints: { send } }), { send: (_, { found }) => found }, { services: { depots: { wide: { most: 100 }, slim: { most: 5 } } } } as never)
  const asked = async (from: string, to: string) => { const response = await handle(new Request('http://h/x', { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ from, to, n: 9 }) })); const { one, two } = await response.json(); return [response.status, one, two] }
  expect([await asked('wide', 'slim'), await asked('slim', 'wide'), await asked('wide', 'wide')]).toEqual([[422, undefined, undefined], [422, undefined, undefined], [200, 100, 100]])
})
