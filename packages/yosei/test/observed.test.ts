// biome-ignore-all format: a table reads line by line
/** Rules and lookups that only observe: a request goes on, and the journal says what would have been wrong. */
import { expect, test } from '@jest/globals'
import { endpoint, intake, integer, type JournalEvent, judge, list, outline, record, serve, text } from 'yosei'
import { gate, listenerOf } from 'yosei/node'
import { probesOf } from 'yosei/probe'
import { started } from './service.ts'

const mode = 'observe'
type Services = { db: { [id: string]: string | undefined } }
const declared = (engine: 'compiled' | 'interpreted') => {
  const events: JournalEvent[] = []
  const body = record({ a: integer(), b: integer(), rows: list(record({ n: integer() }), { optional: true }) }, { rules: (on) => [on.ascending('a', 'b', { mode })] })
  const put = endpoint('POST /{id}', {
    path: { id: text() }, body,
    rules: (on) => [
      on.sumWithin('body.rows[].n', { atMost: 5 }, { mode, code: 'sum' }), on.distinct('body.rows[].n', { mode }),
      on.differ('body.a', 'body.b', { mode: 'enforce' }), on.check({ reads: ['body.a'], code: 'odd', mode, status: 409, holds: (a) => a % 2 === 0 }),
      on.find({ reads: ['body.b'], code: 'seven', mode, finds: (b) => (b === 7 ? [{ at: 'body.b' }] : []) }),
      on.while(on.above('body.a', 100), [on.needed('body.rows', on.sent('body.a'), { mode })]),
    ],
    lookups: (on) => {
      const one = on.lookup({ reads: ['path.id'], mode, ask: ({ db }: Services, [id]) => db[id], refusal: { status: 404, code: 'gone', message: 'is not there' } })
      const two = on.lookup({ reads: ['body.a'], mode, ask: (_: unknown, [a]) => { if (a === 9) throw new Error('boom'); return a } })
      const each = on.lookup({ batch: true, reads: ['body.rows[].n'], mode, ask: (_: unknown, [all]) => new Map(all.map((n) => [n, n !== 4])) })
      return { one, two, each, three: on.lookup({ reads: ['body.b'], mode, follows: { one }, ask: (_: unknown, __, { found }) => found.one }) }
    },
  })
  const app = intake({ endpoints: { put }, engine, journal: { write: (event) => void events.push(event) } })
  const handle = serve(app, { put: (_, { found }) => Object.keys(found).join() }, { services: { db: { x: 'X' } } })
  return { app, handle, events }
}
const table: readonly (readonly [id: string, body: object, answer: string, logged: string[]])[] = [
  ['x', { a: 2, b: 3, rows: [{ n: 1 }] }, '200 "one,two,each,three"', []],
  ['y', { a: 2, b: 3 }, '200 "two"', ['observed 404 lookups: path.id gone']],
  ['x', { a: 9, b: 3 }, '200 "one,three"', ['failed 503 lookups: ', 'observed 422 rules: body.b out_of_order, body.a odd']],
  ['x', { a: 2, b: 7, rows: [{ n: 4 }, { n: 4 }] }, '200 "one,two,three"', ['observed 422 rules: body.rows sum, body.rows[1] repeated, body.b seven', 'observed 422 lookups: body.rows[0].n not_found, body.rows[1].n not_found']],
  ['x', { a: 3, b: 3 }, '422 body.b', ['observed 422 rules: body.b out_of_order, body.a odd', 'rejected 422 rules: body.b equal_not_allowed']],
  ['x', { a: 102, b: 200 }, '200 "one,two,three"', ['observed 422 rules: body.rows needed']],
  ['x', { a: 'x', b: 7 }, '422 body.a', ['observed 422 rules: body.b seven', 'rejected 422 shape: body.a wrong_type']],
]
const logged = ({ outcome, status, stage, errors }: JournalEvent) => `${outcome} ${status} ${stage}: ${errors.map(({ address, code }) => `${address} ${code}`).join(', ')}`
const post = (origin: string, id: string, body: object) => new Request(`${origin}/${id}`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) })
test.each(['compiled', 'interpreted'] as const)('a request goes on, and is logged, %s', async (engine) => {
  const { app, handle, events } = declared(engine)
  const gated = async () => { const guard = gate(app, { services: { db: { x: 'X' } } }); return started((request, response) => guard(request, response, () => void response.end('on'))) }
  for (const [name, ask] of Object.entries({ serve: handle, listener: async (request: Request) => fetch(new Request(await started(listenerOf(handle)) + new URL(request.url).pathname, request)), gate: async (request: Request) => fetch(new Request((await gated()) + new URL(request.url).pathname, request)) }))
    for (const [id, body, answer, log] of table) {
      events.length = 0
      const response = await ask(post('http://h', id, body))
      const said = await response.text()
      const isOn = response.status === 200
      expect([name, `${response.status} ${isOn ? said : Object.keys(JSON.parse(said).fields)[0]}`, events.map(logged)]).toEqual([name, isOn && name === 'gate' ? '200 on' : answer, log])
    }
})
test('what only observes rejects nothing, wherever rules are spoken of', async () => {
  const { app } = declared('compiled')
  const verdict = await judge(app, post('http://h', 'y', { a: 5, b: 3 }), { services: { db: {} }, trace: true })
  expect([verdict.outcome, verdict.trace?.steps.filter(({ outcome }) => outcome === 'observed').map(({ name }) => name)]).toEqual(['accepted', ['ascending a b', 'check body.a', 'one']])
  expect(outline(app).endpoints.put?.rules.map(({ mode }) => mode)).toEqual(['observe', 'observe', 'enforce', 'observe', 'observe', 'observe'])
  expect([...probesOf(app)].flatMap((one) => ('code' in one ? one.code : [])).filter((code) => ['sum', 'repeated', 'odd', 'seven', 'needed', 'gone', 'not_found', 'out_of_order'].includes(code))).toEqual([])
})
test('an enforced lookup follows none that only observes', () => {
  expect(() => endpoint('POST /{id}', { path: { id: text() }, lookups: (on) => { const one = on.lookup({ reads: ['path.id'], mode, ask: () => 1 }); return { one, two: on.lookup({ reads: ['path.id'], follows: { one }, ask: () => 1 }) } } })).toThrow("POST /{id}, lookup two: it follows one, which only observes: of a request that goes on without it, this one would not be asked. Let it observe too: { mode: 'observe' }")
  expect(() => endpoint('POST /a', { body: record({ a: integer() }), rules: (on) => [on.needed('body.a', on.sent('body.a'), { mode: 'log' as never })] })).toThrow("mode takes 'enforce' or 'observe'")
})
test('an endpoint that is only observed logs what its lookups only observe, and pieces', async () => {
  const events: JournalEvent[] = []
  const put = endpoint('POST /{id}', { path: { id: text() }, body: list(integer({ max: 9 }), { piecewise: true }), mode, lookups: (on) => ({ one: on.lookup({ reads: ['path.id'], mode, ask: () => null }), each: on.lookup({ batch: true, reads: ['body[]'], ask: (_: unknown, [all]) => all.map((n) => n !== 4) }) }) })
  const guard = gate(intake({ endpoints: { put }, journal: { write: (event) => void events.push(event) } }), { services: {} })
  const origin = await started((request, response) => guard(request, response, () => void response.end('on')))
  expect(await (await fetch(post(origin, 'x', [1, 99, 4] as never))).text()).toBe('on')
  await new Promise((resolve) => setTimeout(resolve, 50))
  expect(events.map(logged)).toEqual(['observed 422 lookups: path.id not_found', 'observed 422 shape: body[1] above_max, body[2] not_found'])
})
