import { once } from 'node:events'
import { createServer, STATUS_CODES } from 'node:http'
import type { AddressInfo } from 'node:net'
import { setTimeout as sleep } from 'node:timers/promises'
import { describe, expect, test } from '@jest/globals'
import {
  answer,
  type BatchFinds,
  decimal,
  type Endpoint,
  endpoint,
  intake,
  integer,
  type JournalEvent,
  judge,
  judgeParts,
  list,
  memoryTurns,
  record,
  refuse,
  serve,
  text,
} from 'yosei'
import { loggerJournal } from 'yosei/journal'
import { contextOf, gate } from 'yosei/node'
import { json, one } from './shared.ts'

const _told = (verdict: { outcome: string; errors?: readonly { address: string; code: string; message: string }[] }) =>
  verdict.errors?.map(({ address, code, message }) => `${address} ${code}: ${message}`)

describe('lookups, refusals and turns', () => {
  const get = new Request('http://kr.example/a')
  test('what follows a lookup that failed is not asked, and a refusal brings its header fields', async () => {
    let asked = 0
    const x = endpoint('GET /{id}', {
      path: { id: text() },
      lookups: (on) => {
        const first = on.lookup({ reads: ['path.id'], ask: () => Promise.reject(new Error('away')) })
        return { first, second: on.lookup({ reads: ['path.id'], follows: { first }, ask: () => ++asked }) }
      },
    })
    expect(
      (await serve(intake({ endpoints: { x }, journal: { write: () => undefined } }), { x: () => 1 })(get)).status,
    ).toBe(503)
    expect(asked).toBe(0)
    const headers = { 'retry-after': '7' }
    const y = endpoint('GET /{id}', {
      path: { id: text() },
      lookups: (on) => ({
        one: on.lookup({
          reads: ['path.id'],
          ask: () => null,
          refusal: { status: 429, code: 'spent', message: 'is spent', headers },
        }),
      }),
    })
    const refused = await serve(intake({ endpoints: { y } }), { y: () => 1 })(get)
    const handled = await serve(intake({ endpoints: { z: endpoint('GET /{id}', { path: { id: text() } }) } }), {
      z: () => refuse({ status: 429, code: 'spent', message: 'is spent', headers }),
    })(get)
    expect([refused.status, refused.headers.get('retry-after'), handled.headers.get('retry-after')]).toEqual([
      429,
      '7',
      '7',
    ])
  })
  test('scopes of different names are different turns, and a handler that loses one gets the reason', async () => {
    const slot = (of: string) =>
      endpoint(`GET /${of}/{id}`, { path: { id: text() }, turn: { of, by: ['path.id' as never], lease: '400ms' } })
    let reason: unknown
    let renews = true
    const memory = memoryTurns()
    const turns = {
      take: async (...all: Parameters<typeof memory.take>) => {
        const taken = await memory.take(...all)
        return typeof taken === 'string' ? taken : { ...taken, renew: async () => renews && taken.renew() }
      },
    }
    const app = intake({ endpoints: { a: slot('a'), b: slot('b') }, turns })
    const wait = (_: unknown, { signal }: { signal: AbortSignal }) =>
      new Promise<void>((resolve) =>
        signal.addEventListener('abort', () => {
          reason = signal.reason
          resolve()
        }),
      )
    const handle = serve(app, { a: wait, b: () => 'free' } as never)
    const first = handle(new Request('http://kr.example/a/1'))
    await sleep(50)
    expect([
      (await handle(new Request('http://kr.example/a/1'))).status,
      (await handle(new Request('http://kr.example/b/1'))).status,
    ]).toEqual([409, 200])
    renews = false
    await first
    expect(String(reason)).toBe('TimeoutError: Another request has the turn')
  })
})

test('what is thrown that is no error is written down as it is', async () => {
  const events: unknown[] = []
  const logger = { info: () => undefined, error: (event: { cause: unknown }) => void events.push(event.cause) }
  const handle = serve(
    intake({
      endpoints: { a: endpoint('GET /{id}', { path: { id: text() } }) },
      journal: loggerJournal(logger as never),
    }),
    {
      a: ({ path }) => {
        throw path.id === 'text' ? 'the text' : { a: 1 }
      },
    },
  )
  for (const id of ['text', 'object']) await handle(new Request(`http://kr.example/${id}`))
  expect(events).toEqual(['the text', '[object Object]'])
})

test('a lookup gets who is asking, what was found before, and a signal when its answer is not needed any more', async () => {
  const asked: unknown[] = []
  const get = endpoint('GET /{id}', {
    who: record({ role: text() }),
    path: { id: text() },
    lookups: (on) => {
      const first = on.lookup({ reads: ['path.id'], ask: async (_, [id]) => `${id}1` })
      const second = on.lookup({
        reads: ['path.id'],
        follows: { first },
        ask: async (_, __, { who, found, signal }) => {
          asked.push(who, found, signal.aborted)
          return true
        },
      })
      return { first, second }
    },
  })
  const app = intake({ endpoints: { get }, identify: () => undefined as never })
  const verdict = await judge(app, 'GET /a HTTP/1.1\n', { who: { role: 'clerk' }, services: {} })
  expect([verdict.outcome, asked]).toEqual([
    'accepted',
    [{ role: 'clerk' }, expect.objectContaining({ first: 'a1' }), false],
  ])
})

test('a trace says how long a lookup took', async () => {
  const app = intake({
    endpoints: {
      one: one(record({ id: text() }), {
        lookups: (on: never) => ({
          of: (on as { lookup: (given: object) => never }).lookup({ reads: ['body.id'], ask: () => ({}) }),
        }),
      }),
    },
  })
  const verdict = await judge(
    app as never,
    { method: 'POST', target: '/', headers: json, body: '{"id":"x"}' } as never,
    { trace: true, services: {} } as never,
  )
  const [step] = verdict.trace?.steps.filter(({ stage }) => stage === 'lookups') ?? []
  expect(step).toMatchObject({ outcome: 'passed' })
  expect((step as { took: number }).took).toBeGreaterThanOrEqual(0)
  expect((step as { took: number }).took).toBeLessThan(5000)
})

test('an answer has the title of its status', async () => {
  const verdict = { outcome: 'rejected', endpoint: undefined, stage: 'read', headers: {}, errors: [], more: 0 }
  // Node has three that are unassigned or obsolete, and two by the names of an older RFC.
  const renamed: { [status: string]: string } = { 413: 'Content Too Large', 422: 'Unprocessable Content' }
  for (const [status, name] of Object.entries({ ...STATUS_CODES, ...renamed })) {
    if (Number(status) < 400 || ['418', '509', '510'].includes(status)) continue
    const { title } = (await answer({ ...verdict, status: Number(status) } as never).json()) as { title: string }
    expect([status, title]).toEqual([status, name])
  }
})

test('a lookup that says nothing of it is waited for two seconds', async () => {
  const ask = (_: unknown, [id]: readonly unknown[]) =>
    id === 'slow' ? new Promise(() => undefined) : sleep(60).then(() => true)
  const get = endpoint('GET /{id}', {
    path: { id: text() },
    lookups: (on) => ({ of: on.lookup({ reads: ['path.id'], ask }) }),
  })
  const app = intake({ endpoints: { get }, journal: { write: () => 0 } })
  const since = performance.now()
  const [quick, slow] = await Promise.all(
    ['quick', 'slow'].map((id) => judge(app, `GET /${id} HTTP/1.1\n`, { services: {} })),
  )
  expect([quick?.outcome, slow]).toMatchObject(['accepted', { outcome: 'rejected', status: 503 }])
  expect(performance.now() - since).toBeGreaterThan(1900)
})

test('a first error has its place in an answer, however long its words are', async () => {
  const verdict = judgeParts(one(text({ length: [9, 9], messages: { too_short: 'ü'.repeat(4000) } })), { body: 'x' })
  const page = await answer(
    verdict as never,
    new Request('http://kr.example', { headers: { accept: 'text/html' } }),
  ).text()
  expect(page).toContain('ü'.repeat(4000))
})

test('a handler gets an aborted signal if its client left before it began', async () => {
  const gone: boolean[] = []
  const app = intake({ endpoints: { a: endpoint('GET /', {}) }, journal: { write: () => 0 } })
  const handle = serve(app, { a: (_, { signal }) => void gone.push(signal.aborted) })
  await handle(new Request('http://kr.example/', { signal: AbortSignal.abort() }))
  await handle(new Request('http://kr.example/'))
  expect(gone).toEqual([true, false])
})

test('a turn that was given back is not held on to', async () => {
  let renewed = 0
  const turns = { take: async () => ({ fence: 1, renew: async () => void renewed++, release: async () => undefined }) }
  const book = endpoint('POST /{id}', { path: { id: text() }, turn: { of: 'thing', by: ['path.id'], lease: '100ms' } })
  const handle = serve(intake({ endpoints: { book }, turns: turns as never }), { book: () => sleep(120) } as never)
  expect((await handle(new Request('http://kr.example/a', { method: 'POST' }))).status).toBe(204)
  const then = renewed
  expect(then).toBeGreaterThan(0)
  await sleep(250)
  expect(renewed).toBe(then)
})

test('a turn that was lost is not asked for again', async () => {
  let asked = 0
  const renew = async () => {
    asked++
    return false
  }
  const turns = { take: async () => ({ fence: 1, renew, release: async () => undefined }) }
  const book = endpoint('POST /{id}', { path: { id: text() }, turn: { of: 'thing', by: ['path.id'], lease: '90ms' } })
  const handle = serve(intake({ endpoints: { book }, turns: turns as never }), { book: () => sleep(250) } as never)
  await handle(new Request('http://kr.example/a', { method: 'POST' }))
  expect(asked).toBe(1)
})

test('an envelope that is a text goes out as it is where its type is one, and as JSON elsewhere', async () => {
  const answered = async (body: unknown, type?: string) => {
    const app = intake({
      endpoints: { get: endpoint('GET /', {}) },
      envelope: () => ({ body, ...(type === undefined ? {} : { type }) }) as never,
    })
    return (await serve(app, { get: () => 1 })(new Request('http://kr.example/none'))).text()
  }
  expect(
    await Promise.all([answered('as it is', 'text/plain'), answered('in marks'), answered([1], 'text/csv')]),
  ).toEqual(['as it is', '"in marks"', '[1]'])
})

describe('one question for all elements', () => {
  const line = record({
    sku: decimal({ optional: true }),
    depot: text({ optional: true }),
    count: integer({ default: 1 }),
  })
  const body = record({ shop: text(), lines: list(line, { optional: true }) })
  const asked: unknown[] = []
  type Products = { find(skus: string[], ...more: unknown[]): unknown }
  const ordered = (more: object, answer: (skus: string[], ...more: unknown[]) => unknown) => {
    asked.length = 0
    const order = endpoint('POST /orders', {
      body,
      lookups: (on) => ({
        product: on.lookup({
          batch: true,
          reads: ['body.lines[].sku'],
          ask: (services: Products, values: readonly unknown[]) => services.find(...(values as [string[]])),
          ...(more as {}),
        }),
      }),
    })
    const find = (...given: [string[]]) => {
      asked.push(...given)
      return answer(...given)
    }
    const services = { find }
    return (lines: unknown) => served(order, services, { shop: 'north', lines })
  }
  /** What a handler finds, or what a client reads. */
  const served = async (order: Endpoint, services: object, sent: object) => {
    let finds: unknown
    const handle = serve(
      intake({ endpoints: { order }, journal: { write: () => undefined } }),
      {
        order: (_, { found }) => {
          finds = found
        },
      },
      { services: services as never },
    )
    const response = await handle(
      new Request('https://kr.example/orders', {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(sent),
      }),
    )
    if (response.ok) return finds
    const { fields = {} } = (await response.json()) as { fields?: { [address: string]: { code: string }[] } }
    return {
      status: response.status,
      errors: Object.entries(fields).flatMap(([address, errors]) => errors.map(({ code }) => `${address} ${code}`)),
    }
  }
  const known = (skus: string[]) => new Map(skus.flatMap((sku) => (Number(sku) < 5 ? [[sku, { sku }] as const] : [])))
  const lines = (...skus: (string | null | undefined)[]) => skus.map((sku) => (sku === undefined ? {} : { sku }))

  test('distinct values are asked about once, and found by what is the same', async () => {
    const { product } = (await ordered({}, known)(lines('1.0', '2', '1.00', undefined))) as {
      product: BatchFinds<[string], unknown>
    }
    expect(asked).toEqual([['1.0', '2']])
    expect([product.get('1'), product.get('2.000'), product.get('3'), product.size, [...product]]).toEqual([
      { sku: '1.0' },
      { sku: '2' },
      undefined,
      2,
      [{ sku: '1.0' }, { sku: '2' }],
    ])
  })
  test.each<[string, object, (skus: string[]) => unknown, unknown, unknown]>([
    [
      'what is not found is wrong at each element',
      {},
      known,
      lines('1', '9', '8', '9.0'),
      {
        status: 422,
        errors: ['body.lines[1].sku not_found', 'body.lines[2].sku not_found', 'body.lines[3].sku not_found'],
      },
    ],
    [
      'an array in the order of the question',
      {},
      (skus) => skus.map((sku) => (sku === '9' ? null : 1)),
      lines('1', '9'),
      { status: 422, errors: ['body.lines[1].sku not_found'] },
    ],
    [
      'at another place of the element',
      { refusal: { status: 409, code: 'gone', message: 'is gone', at: 'body.lines[]' } },
      known,
      lines('9'),
      { status: 409, errors: ['body.lines[0] gone'] },
    ],
    [
      'what does not count',
      { counts: ({ sku }: { sku: string }) => sku !== '2' },
      known,
      lines('1', '2'),
      { status: 422, errors: ['body.lines[1].sku not_found'] },
    ],
    [
      'found, and it must not be',
      { absent: true },
      known,
      lines('9', '1'),
      { status: 409, errors: ['body.lines[1].sku already_there'] },
    ],
    [
      'a refusal of the whole is at the list',
      {},
      () => refuse({ status: 422, code: 'too_many_kinds', message: 'has too many kinds' }),
      lines('1', '2'),
      { status: 422, errors: ['body.lines too_many_kinds'] },
    ],
    ['fewer answers than questions', {}, () => [1], lines('1', '2'), { status: 503, errors: [] }],
    ['no answers at all', {}, () => undefined, lines('1'), { status: 503, errors: [] }],
  ])('%s', async (_, more, answer, sent, expected) => {
    expect(await ordered(more, answer)(sent)).toEqual(expected)
  })
  test('nothing to ask about is not asked, and a condition selects elements', async () => {
    expect([await ordered({}, known)([]), asked]).toMatchObject([{ product: { size: 0 } }, []])
    expect([await ordered({}, known)(undefined), asked]).toEqual([{}, []])
    const some = endpoint('POST /orders', {
      body,
      lookups: (on) => ({
        stock: on.lookup({
          batch: true,
          reads: ['body.shop', 'body.lines[].sku', 'body.lines[].depot'],
          when: on.above('body.lines[].count', 1),
          ask: (_: unknown, [shop, skus, depots]) => skus.map((sku, at) => `${shop} ${sku} ${depots[at]}`),
        }),
      }),
    })
    const sent = {
      shop: 'north',
      lines: [
        { sku: '1', depot: 'a', count: 2 },
        { sku: '1', depot: 'b' },
        { sku: '1', depot: 'b', count: 3 },
        { sku: '1.0', depot: 'a', count: 4 },
      ],
    }
    const { stock } = (await served(some, {}, sent)) as { stock: BatchFinds<[string, string], string> }
    expect([stock.size, stock.get('1', 'a'), stock.get('1.00', 'b'), stock.get('2', 'b')]).toEqual([
      2,
      'north 1 a',
      'north 1 b',
      undefined,
    ])
  })
  test.each<[string, (on: never) => unknown, string]>([
    [
      'no list',
      (on: { lookup(one: object): never }) => on.lookup({ batch: true, reads: ['body.shop'], ask: () => [] }),
      'batch asks for elements of a list, and it reads none',
    ],
    [
      'a fill',
      (on: { lookup(one: object): never }) =>
        on.lookup({ batch: true, reads: ['body.lines[].sku'], fill: 'body.shop', ask: () => [] }),
      'batch finds many things, and fill puts one in',
    ],
  ])('makes no sense: %s', (_, lookup, mistake) => {
    expect(() => endpoint('POST /', { body, lookups: ((on: never) => ({ one: lookup(on) })) as never })).toThrow(
      mistake,
    )
  })
})

describe('a request has an id in a field of its own', () => {
  const events: JournalEvent[] = []
  const notes = endpoint('GET /notes', { query: { n: integer() } })
  const app = intake({
    endpoints: { notes },
    requestId: 'X-Request-Id',
    journal: { write: (event) => void events.push(event) },
  })
  const handle = serve(app, {
    notes: ({ query }, { requestId, id }) =>
      query.n === 2 ? new Response(requestId, { headers: { vary: 'origin' } }) : { requestId, isOwn: requestId === id },
  })
  const asked = async (query: string, id?: string) =>
    handle(
      new Request(`https://kr.example/notes?${query}`, { headers: id === undefined ? {} : { 'x-request-id': id } }),
    )
  test('that it brought is in the context, the answer and the journal, beside the other', async () => {
    const accepted = await asked('n=1', 'a/b=c.42')
    expect([accepted.headers.get('x-request-id'), await accepted.json()]).toEqual([
      'a/b=c.42',
      { requestId: 'a/b=c.42', isOwn: false },
    ])
    const raw = await asked('n=2', 'r-2')
    expect([raw.headers.get('x-request-id'), raw.headers.get('vary'), await raw.text()]).toEqual([
      'r-2',
      'origin',
      'r-2',
    ])
    const rejected = await asked('n=x', 'r-3')
    const { instance } = (await rejected.json()) as { instance: string }
    expect([rejected.status, rejected.headers.get('x-request-id')]).toEqual([400, 'r-3'])
    expect(events.map(({ requestId, id }) => [requestId, `urn:uuid:${id}`])).toEqual([['r-3', instance]])
  })
  test.each([
    ['none', undefined],
    ['one with a space', 'a b'],
    ['one that is too long', 'x'.repeat(201)],
    ['an empty one', ''],
  ])('%s: it gets one', async (_, sent) => {
    const answered = await asked('n=1', sent)
    const own = answered.headers.get('x-request-id') ?? ''
    expect([own.length, await answered.json()]).toEqual([36, { requestId: own, isOwn: true }])
  })
  test('a gate answers with it, and lets a handler know it', async () => {
    const server = createServer((request, response) =>
      gate(app)(request, response, () => response.end(contextOf(notes, request).requestId)),
    )
    server.listen(0, '127.0.0.1')
    await once(server, 'listening')
    const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/notes`
    const both = await Promise.all(
      ['n=1', 'n=x'].map((query) => fetch(`${url}?${query}`, { headers: { 'x-request-id': 'g-1' } })),
    )
    expect([both.map(({ status, headers }) => [status, headers.get('x-request-id')]), await both[0]?.text()]).toEqual([
      [
        [200, 'g-1'],
        [400, 'g-1'],
      ],
      'g-1',
    ])
    server.close()
    server.closeAllConnections()
  })
  test('a field that no header has is a mistake', () => {
    expect(() => intake({ endpoints: {}, requestId: 'x request' })).toThrow(
      "intake: requestId takes the name of a header field, and not 'x request'. Write requestId: 'x-request-id'.",
    )
  })
})
