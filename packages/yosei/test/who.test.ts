/** The caller: declared, checked, looked at before the body comes and by rules, and shown in no output. */
import { expect, test } from '@jest/globals'
import {
  choice,
  endpoint,
  group,
  instant,
  intake,
  integer,
  type JournalEvent,
  judge,
  judgeParts,
  list,
  memoryTurns,
  outline,
  record,
  refuse,
  serve,
  text,
} from 'yosei'

const role = choice(['clerk', 'guest'])
const who = record({
  role,
  since: instant(),
  pets: list(text(), { default: [] }),
  more: record({ a: integer({ optional: true }) }),
})
const clerk = { role: 'clerk', since: new Date(0), pets: ['xyzzy'], more: { a: 2, b: 2 }, free: 1 } as const
const asked: unknown[] = []
const events: JournalEvent[] = []
let given: unknown = clerk
const app = intake({
  endpoints: {
    put: endpoint('PUT /things/{id}', {
      path: { id: integer() },
      query: { team: text({ optional: true }) },
      body: record({ name: text({ optional: true }), by: text({ optional: true }) }, { optional: true }),
      who,
      may: (on) => on.any(on.is('who.role', 'clerk'), on.is('query.team', 'xyzzy')),
      rules: (on) => [
        on.check({
          reads: ['who.pets', 'query.team'],
          code: 'no_pet',
          holds: (pets, team) => !team || pets.includes(team),
        }),
        on.needed('body.name', on.is('who.role', 'guest')),
        on.equal('body.by', 'who.role', { blames: ['body.by'] }),
        on.fill('body', ['who.role'], () => ({ name: 'made' })),
      ],
      turn: { of: 'pet', by: ['who.role'] },
      lookups: (on) => ({
        since: on.lookup({
          reads: ['who.since'],
          when: on.is('who.role', 'clerk'),
          ask: (_: unknown, [since]) => asked.push(since),
        }),
      }),
    }),
    open: endpoint('GET /open', {
      who: record({ role }, { optional: true }),
      open: true,
      rules: (on) => [on.check({ reads: ['who.role'], blames: ['path'], code: 'x', holds: (is) => is !== 'guest' })],
    }),
    few: endpoint('GET /few', {
      who: record({ role }, { optional: true }),
      open: true,
      may: (on) => on.is('who.role', 'clerk'),
    }),
    ...group({ prefix: '/in/{n}', path: { n: integer() }, who, may: (on) => on.is('who.role', 'clerk') }, (shared) => ({
      inner: shared.endpoint('GET /', { may: (on) => on.above('path.n', 5) }),
    })),
  },
  identify: () => given as typeof clerk,
  journal: { write: (event) => void events.push(event) },
  turns: memoryTurns(),
})
const handle = serve(
  app,
  {
    put: ({ body }, { who, found }) => ({
      body,
      free: 'free' in who,
      since: who.since.getTime(),
      found,
      same: who === given,
    }),
    open: (_, { who }) => who?.role ?? null,
    few: () => 1,
    inner: ({ path }) => path.n,
  },
  { services: {} },
)
const guest = { ...clerk, role: 'guest' } as const
test.each<[string, unknown, string, unknown, unknown]>([
  [
    'is handed on as it is',
    clerk,
    'PUT /things/1',
    undefined,
    { body: { name: 'made' }, free: true, since: 0, found: { since: 1 }, same: true },
  ],
  ['may not', guest, 'PUT /things/1', undefined, '403 header.authorization does not have permission'],
  [
    'may, by the query',
    guest,
    'PUT /things/1?team=xyzzy',
    { name: 'x' },
    { body: { name: 'x' }, free: true, since: 0, found: {}, same: true },
  ],
  ['is asked of by a condition', guest, 'PUT /things/1?team=xyzzy', {}, '422 body.name must be sent here'],
  ['is looked at by a check', clerk, 'PUT /things/1?team=dog', undefined, '422 query.team is not accepted'],
  [
    'is compared, and never told',
    clerk,
    'PUT /things/1',
    { by: 'guest' },
    '422 body.by must be the same as who.role; "guest" was sent',
  ],
  [
    'may, but the head is wrong',
    guest,
    'PUT /things/x?team=a&team=b',
    undefined,
    '400 path.id must be a whole number; "x" was sent, and 2 more errors',
  ],
  ['is no caller', undefined, 'PUT /things/1', undefined, '401 header.authorization must carry valid credentials'],
  ['is no caller where none need be', undefined, 'GET /open', undefined, null],
  ['is checked where none need be', { role: 'guest' }, 'GET /open', undefined, '422 path is not accepted'],
  [
    'is no caller where one must be',
    undefined,
    'GET /few',
    undefined,
    '401 header.authorization must carry valid credentials',
  ],
  ['is not what is declared', { ...clerk, role: 'xyzzy' }, 'PUT /things/1', undefined, '500'],
  ['has a text for an instant', { ...clerk, since: 'xyzzy' }, 'PUT /things/1', undefined, '500'],
  [
    'may by the group, not by the endpoint',
    clerk,
    'GET /in/5',
    undefined,
    '403 header.authorization does not have permission',
  ],
  ['may not by the group', guest, 'GET /in/6', undefined, '403 header.authorization does not have permission'],
  ['may by both', clerk, 'GET /in/6', undefined, 6],
  [
    'is refused',
    refuse({ status: 402, code: 'x', message: 'must pay' }),
    'GET /open',
    undefined,
    '402 header.authorization must pay',
  ],
])('who is asking %s', async (_, one, line, body, wanted) => {
  given = one
  asked.length = 0
  const [method = '', target = ''] = line.split(' ')
  const sent = body === undefined ? {} : { headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }
  const response = await handle(new Request(`http://kr.example${target}`, { method, ...sent }))
  const said = await response.text()
  const told = response.ok ? JSON.parse(said) : `${response.status} ${JSON.parse(said).detail}`
  if (wanted === '500') expect(told).toMatch(/^500 /)
  else expect(told).toEqual(wanted)
  expect(JSON.stringify([said, events.map(({ cause: _, ...event }) => event)])).not.toContain('xyzzy is')
  if (response.status === 500)
    expect(String(events.at(-1)?.cause)).toMatch(/who\.(role|since) was put in by the service/)
})

test('is held against what is declared by both engines alike', async () => {
  const declared = record({
    name: text({ length: [1, 3] }),
    since: instant({ until: '+0s' }),
    teams: list(record({ id: integer({ min: 1 }), lead: text({ optional: true, nullable: true }) }), {
      length: [1, 2],
    }),
    quota: integer({ default: 3 }),
  })
  class Member {
    name = 'ada'
    since = new Date(0)
    teams = [{ id: 1, lead: null }]
  }
  const member = { ...new Member(), more: 1 }
  const sparse: unknown[] = [{ id: 1 }]
  sparse.length = 2
  const right = [member, new Member(), { ...member, quota: 1 }, { ...member, teams: [{ id: 1 }, { id: 2, lead: 'x' }] }]
  const wrong: unknown[] = [
    [member],
    new Date(0),
    'ada',
    { ...member, name: '' },
    { ...member, name: undefined },
    { ...member, since: '1970-01-01' },
    { ...member, since: new Date(Number.NaN) },
    { ...member, since: new Date(Date.now() + 60_000) },
    { ...member, quota: null },
    { ...member, teams: [] },
    { ...member, teams: [{ id: 0 }] },
    { ...member, teams: [{ id: 1, lead: 2 }] },
    { ...member, teams: [1] },
    { ...member, teams: { 0: { id: 1 }, length: 1 } },
    { ...member, teams: sparse },
    { ...member, teams: [1, 2, 3].map((id) => ({ id })) },
    Object.create(member),
  ]
  for (const engine of ['compiled', 'interpreted'] as const) {
    let given: unknown
    const endpoints = { get: endpoint('GET /', { who: declared }) }
    const asked = intake({ endpoints, engine, identify: () => given as never, journal: { write: () => undefined } })
    const outcomes: unknown[] = []
    for (given of [...right, ...wrong])
      outcomes.push(await judge(asked, 'GET / HTTP/1.1', { services: {} }).then((one) => 'status' in one && one.status))
    expect([engine, outcomes]).toEqual([engine, [...right.map(() => false), ...wrong.map(() => 500)]])
  }
})

test('is found out by header fields, as they were sent', async () => {
  const seen: unknown[] = []
  const ask = (name: string) => {
    const asked = intake({
      endpoints: { get: endpoint('GET /', {}) },
      identify: ({ headers }) => seen.push([headers.get(name), headers.has(name), [...headers].length]),
    })
    const headers = { 'X-Key': ['a', 'ŝ'], cookie: ['c=1', 'd=2'] }
    return judge(asked, { method: 'GET', target: '/', headers }, { services: {} })
  }
  for (const [name, got] of [
    ['x-key', 'a, ŝ'],
    ['X-KEY', 'a, ŝ'],
    ['Cookie', 'c=1; d=2'],
    ['constructor', null],
  ] as const) {
    expect((await ask(name)).outcome).toBe('accepted')
    expect(seen.pop()).toEqual([got, got !== null, 4])
  }
})

test('is shown in no verdict, trace or outline, and its reader does not run if there is no caller', async () => {
  const message = { method: 'PUT', target: '/things/1?team=dog', headers: {}, body: '' }
  const verdict = await judge(app, message, { trace: true })
  expect(verdict).toMatchObject({ outcome: 'pending', unasked: ['identify', 'since'] })
  expect(verdict.trace?.steps.filter(({ outcome }) => outcome === 'not run')).toEqual(
    ['may', 'fill who.role', 'check who.pets query.team', 'needed body.name who.role', 'equal body.by who.role'].map(
      (name) => expect.objectContaining({ name, because: 'the caller was not given' }),
    ),
  )
  const known = await judge(app, message, { who: clerk, trace: true })
  expect(known).toMatchObject({ status: 422, errors: [{ address: 'query.team', code: 'no_pet' }] })
  expect(known.trace?.steps).toContainEqual({ stage: 'identify', name: 'may', outcome: 'passed' })
  expect(JSON.stringify(known)).not.toContain('xyzzy')
  expect(await judge(app, message, { who: guest })).toMatchObject({ status: 403, errors: [{ code: 'not_allowed' }] })
  expect(judgeParts(app.endpoints.put, { path: { id: '1' }, query: { team: 'dog' } })).toMatchObject({
    outcome: 'pending',
  })
  expect(JSON.stringify(outline(app))).not.toContain('clerk')
})

test.each<[string, () => unknown, string]>([
  [
    'it is not given',
    () => intake({ endpoints: { a: endpoint('GET /', { who }) } }),
    'intake, a: it declares the caller, and the intake has no identify',
  ],
  [
    'it must be known, and the endpoint is open',
    () => endpoint('GET /', { who, open: true }),
    'GET /, who: the endpoint is open',
  ],
  [
    'it is not declared',
    () => endpoint('GET /', { may: (on) => on.sent('who.role' as never) }),
    'GET /, may: who.role is not declared',
  ],
  [
    'may looks at the body',
    () => endpoint('POST /', { body: record({}), may: (on) => on.sent('body' as never) }),
    'GET /'.replace('GET', 'POST'),
  ],
  [
    'it is blamed',
    () => endpoint('GET /', { who, query: { a: text() }, rules: (on) => [on.equal('query.a', 'who.role')] }),
    'GET /, who.role: the caller never has an error',
  ],
  [
    'it is filled',
    () => endpoint('GET /', { who, rules: (on) => [on.fill('who.role' as never, [], () => 'x' as never)] }),
    'never filled',
  ],
])('makes no sense where %s', (_, declare, told) => {
  expect(declare).toThrow(told)
})
