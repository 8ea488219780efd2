/** Whatever fails, wherever, and whatever is thrown: the answer is a 500 or a 503, and one event says why. */
import { describe, expect, jest, test } from '@jest/globals'
import fc from 'fast-check'
import {
  anything,
  choice,
  type Endpoint,
  either,
  endpoint,
  type Field,
  instant,
  intake,
  integer,
  type JournalEvent,
  later,
  list,
  readAs,
  record,
  refuse,
  serve,
  table,
  tagged,
  text,
  tuple,
} from 'yosei'

const tree: Field<unknown> = record({
  kids: list(
    later(() => tree),
    { optional: true },
  ),
})
/** A body of each kind at its top, with a value that it takes. */
const bodies: readonly (readonly [Field, unknown])[] = [
  [record({ a: integer(), s: text({ secret: true }) }), { a: 1, s: 'hidden' }],
  [either([record({ a: integer() }), record({ b: text() })]), { b: 'x' }],
  [either([integer(), text()]), 5],
  [either([list(integer()), tree]), [1]],
  [tagged('kind', { a: record({ n: integer() }), b: record({}) }), { kind: 'a', n: 1 }],
  [table(either([integer(), tree])), { a: { kids: [] } }],
  [list(anything()), [1, { a: null }, 'x']],
  [tuple([integer(), anything()]), [1, { deep: [[]] }]],
  [anything(), { any: 'thing' }],
  [anything(), 7],
  [tree, { kids: [{ kids: [] }] }],
  [readAs(text(), (value) => ({ value }), { code: 'odd' }), 'x'],
  [instant({ nullable: true }), null],
  [choice([1, 'x']), 'x'],
]
const boom = (thrown: unknown) => () => {
  throw thrown
}
const hostile = new Proxy(new Error('a proxy'), { get: boom(new Error('no')), ownKeys: boom(new Error('no')) })
const thrown: readonly unknown[] = [
  new Error('plain'),
  undefined,
  null,
  0,
  '',
  'a text',
  Symbol('s'),
  10n,
  Object.create(null),
  { toString: boom(new Error('no')) },
  {
    get message() {
      return boom(new Error('no'))()
    },
  },
  Object.freeze(new TypeError('frozen')),
  Object.assign(new Error('circular'), {
    get cause() {
      return this
    },
  }),
  hostile,
]
const places = [
  'handler',
  'later',
  'answer',
  'check',
  'holds',
  'lookup',
  'identify',
  'attest',
  'reader',
  'envelope',
  'journal',
  'journal later',
  'refusal',
] as const
type Place = (typeof places)[number]

/** The services of a failing place; the others work. */
function failing(place: Place, what: unknown, [body]: readonly [Field, unknown], events: JournalEvent[]) {
  const fail = (at: Place) => (place === at ? boom(what) : undefined)
  const field = place === 'reader' ? readAs(body, boom(what), { code: 'odd' }) : body
  const put: Endpoint = endpoint('POST /{id}', {
    path: { id: text() },
    query: { q: list(text(), { optional: true }) },
    header: { 'x-key': text({ secret: true, optional: true }) },
    body: field as never,
    attest: fail('attest') ?? (() => true),
    rules: (on: never) => {
      const { check } = on as { check(rule: object): never }
      const holds = fail('check') ?? (() => true)
      return [
        check({ reads: ['path.id'], code: 'own', holds }),
        check({ reads: ['body', 'path.id'], code: 'own', holds: fail('holds') ?? (() => true) }),
      ]
    },
    lookups: (on: never) => ({
      found: (on as { lookup(one: object): never }).lookup({
        reads: ['path.id'],
        ask: fail('lookup') ?? (() => true),
        refusal: { status: 404, code: 'none', message: 'is not there' },
      }),
    }),
  } as never)
  const write = (event: JournalEvent) => {
    events.push(event)
    if (place === 'journal') boom(what)()
    if (place === 'journal later') return Promise.reject(what)
    return undefined
  }
  const app = intake({
    endpoints: { put },
    identify: (fail('identify') ?? (() => ({ name: 'a' }))) as never,
    journal: { write: write as never },
    // To make code for each of thousands takes longer than to judge them.
    engine: place === 'check' ? 'compiled' : 'interpreted',
    ...(place === 'envelope' ? { envelope: boom(what) as never } : {}),
  })
  const handlers: { [name in Place]?: () => unknown } = {
    handler: boom(what),
    later: () => Promise.reject(what),
    answer: () => ({ toJSON: boom(what) }),
    journal: boom(new Error('behind the journal')),
    'journal later': boom(new Error('behind the journal')),
    envelope: () => refuse({ status: 409, code: 'taken', message: 'is taken' }),
    refusal: () => refuse({ status: 409, code: 'taken', message: boom(what) as never }),
  }
  return serve(app, { put: (handlers[place] ?? (() => 'ok')) as never }, { services: {} } as never)
}

describe('every failure leaves one event', () => {
  const seed = Number(process.env.YOSEI_SEED ?? 27)
  test('4,000 of them', async () => {
    const said = jest.spyOn(console, 'error').mockImplementation(() => undefined)
    const cases = fc.sample(
      fc.tuple(fc.constantFrom(...places), fc.constantFrom(...thrown), fc.constantFrom(...bodies)),
      { seed, numRuns: 4000 },
    )
    const odd: string[] = []
    let failures = 0
    for (const [place, what, body] of cases) {
      const events: JournalEvent[] = []
      let handle: ReturnType<typeof serve>
      try {
        handle = failing(place, what, body, events)
      } catch (error) {
        odd.push(`${place} at its declaration: ${error instanceof Error ? error.message : typeof error}`)
        continue
      }
      const request = new Request('http://kr.example/7?q=a', {
        method: 'POST',
        headers: { 'content-type': 'application/json', 'x-key': 'hidden' },
        body: JSON.stringify(body[1]),
      })
      const name = `${place}, ${places.indexOf(place)}/${thrown.indexOf(what)}/${bodies.indexOf(body)}`
      try {
        const response = await handle(request)
        const { instance } = (await response.json().catch(() => ({}))) as { instance?: string }
        const failed = events.filter(({ outcome }) => outcome === 'failed')
        if (response.status >= 500) failures++
        if (
          response.status >= 500 &&
          (failed.length !== 1 || (instance !== undefined && failed[0]?.id !== instance.slice(9)))
        )
          odd.push(`${name}: ${response.status} with ${failed.length} events`)
        if (JSON.stringify(failed.map(({ cause: _, ...event }) => event)).includes('hidden'))
          odd.push(`${name}: a secret`)
      } catch (error) {
        odd.push(`${name}: thrown ${error instanceof Error ? error.stack : typeof error}`)
      }
    }
    said.mockRestore()
    expect([...new Set(odd)].slice(0, 20)).toEqual([])
    expect(failures).toBeGreaterThan(2500)
  })

  test('what the journal cannot take is told on standard error', async () => {
    const said = jest.spyOn(console, 'error').mockImplementation(() => undefined)
    for (const place of ['journal', 'journal later'] as const)
      await failing(
        place,
        new Error('full'),
        bodies[0] as never,
        [],
      )(
        new Request('http://kr.example/7', {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body: '{"a":1,"s":"hidden"}',
        }),
      )
    await new Promise((resolve) => setTimeout(resolve, 5))
    expect(said.mock.calls.map(([first]) => String(first).slice(0, 8))).toEqual(['500 put ', '500 put '])
    said.mockRestore()
  })
})
