import { once } from 'node:events'
import { createServer, get } from 'node:http'
import type { AddressInfo } from 'node:net'
import { setTimeout as sleep } from 'node:timers/promises'
import { describe, expect, jest, test } from '@jest/globals'
import connect from 'connect'
import express from 'express'
import Koa from 'koa'
import {
  endpoint,
  give,
  group,
  instant,
  intake,
  integer,
  type JournalEvent,
  judge,
  judgeParts,
  type Lookup,
  type LookupMaker,
  list,
  memoryTurns,
  record,
  refuse,
  serve,
  tagged,
  text,
} from 'yosei'
import { limitedJournal, loggerJournal, ndjsonJournal } from 'yosei/journal'
import { koaGate } from 'yosei/koa'
import { foundOf, gate, handled, inputOf, listenerOf, verdictAt } from 'yosei/node'
import { started } from './service.ts'

interface Services {
  calls: string[]
  find(id: string): Promise<{ id: string } | undefined>
  fail(): Promise<never>
  hang(signal: AbortSignal): Promise<never>
}
const makeServices = (): Services => {
  const calls: string[] = []
  return {
    calls,
    find: async (id) => {
      calls.push(id)
      return id.startsWith('no') ? undefined : { id }
    },
    fail: async () => {
      throw new Error('connection string with a password')
    },
    hang: (signal) => new Promise((_, reject) => signal.addEventListener('abort', () => reject(signal.reason))),
  }
}
interface Input {
  path: { id: string }
  query: { a?: string; b?: string; n?: number }
  header: {}
  cookie: {}
  body: undefined
}
const asked = (lookups: (on: LookupMaker<Input>) => { [name: string]: Lookup<unknown, unknown> }, more = {}) =>
  endpoint('GET /x/{id}', {
    path: { id: text() },
    query: { a: text({ optional: true }), b: text({ optional: true }), n: integer({ optional: true }) },
    lookups: lookups as never,
    ...more,
  })
const ask = (services: Services, [id]: readonly [string | undefined]) => services.find(id as string)

describe('lookups are asked, and what they do not find is told', () => {
  test.each<
    [string, (on: LookupMaker<Input>) => { [name: string]: Lookup<unknown, unknown> }, string, unknown, string[]?]
  >([
    ['found', (on) => ({ x: on.lookup({ reads: ['path.id'], ask }) }), '/x/one', { found: { x: { id: 'one' } } }],
    [
      'not found, in usual words',
      (on) => ({ x: on.lookup({ reads: ['path.id'], ask }) }),
      '/x/no',
      [422, 'path.id not_found: was not found'],
    ],
    [
      'not found, in own words and at another place',
      (on) => ({
        x: on.lookup({
          reads: ['path.id'],
          ask,
          refusal: { status: 404, code: 'gone', message: 'is gone', at: 'query.a' },
        }),
      }),
      '/x/no',
      [404, 'query.a gone: is gone'],
    ],
    [
      'must not exist, and does not',
      (on) => ({ x: on.lookup({ reads: ['path.id'], ask, absent: true }) }),
      '/x/no',
      { found: {} },
    ],
    [
      'must not exist, but does',
      (on) => ({ x: on.lookup({ reads: ['path.id'], ask, absent: true }) }),
      '/x/one',
      [409, 'path.id already_there: is there already'],
    ],
    [
      'false and null are not found',
      (on) => ({
        x: on.lookup({ reads: ['path.id'], ask: () => false }),
        y: on.lookup({ reads: ['path.id'], ask: () => null }),
      }),
      '/x/one',
      [422, 'path.id not_found: was not found', 'path.id not_found: was not found'],
    ],
    [
      'zero and an empty text are found',
      (on) => ({
        x: on.lookup({ reads: ['path.id'], ask: () => 0 }),
        y: on.lookup({ reads: ['path.id'], ask: () => '' }),
      }),
      '/x/one',
      { found: { x: 0, y: '' } },
    ],
    [
      'two errors, told together; the order of the declaration decides the status',
      (on) => ({
        x: on.lookup({ reads: ['query.a'], ask, refusal: { status: 410, code: 'p', message: 'p' } }),
        y: on.lookup({ reads: ['path.id'], ask, refusal: { status: 404, code: 'q', message: 'q' } }),
      }),
      '/x/no?a=no1',
      [410, 'path.id q: q', 'query.a p: p'],
    ],
    [
      'not asked without the value that it reads',
      (on) => ({ x: on.lookup({ reads: ['query.a'], ask }) }),
      '/x/one',
      { found: {} },
      [],
    ],
    [
      'asked when a condition holds',
      (on) => ({ x: on.lookup({ reads: ['path.id'], ask, when: on.above('query.n', 3) }) }),
      '/x/one?n=4',
      { found: { x: { id: 'one' } } },
    ],
    [
      'not asked when it does not',
      (on) => ({ x: on.lookup({ reads: ['path.id'], ask, when: on.above('query.n', 3) }) }),
      '/x/no?n=3',
      { found: {} },
      [],
    ],
    [
      'follows another, and is given what that found',
      (on) => {
        const x = on.lookup({ reads: ['path.id'], ask })
        const y = on.lookup({
          reads: ['query.a'],
          follows: { before: x },
          ask: (_: Services, [a], { found }) => `${a} after ${found.before.id}`,
        })
        return { y, x }
      },
      '/x/one?a=two',
      { found: { x: { id: 'one' }, y: 'two after one' } },
    ],
    [
      'is not asked where the one before was not found',
      (on) => {
        const x = on.lookup({ reads: ['path.id'], ask })
        return { y: on.lookup({ reads: ['query.a'], follows: { x }, ask }), x }
      },
      '/x/no?a=two',
      [422, 'path.id not_found: was not found'],
      ['no'],
    ],
    [
      'equal questions are asked once',
      (on) => ({
        x: on.lookup({ reads: ['query.a'], ask }),
        y: on.lookup({ reads: ['query.b'], ask }),
        z: on.lookup({ reads: ['path.id'], ask }),
      }),
      '/x/one?a=two&b=two',
      { found: { x: { id: 'two' }, y: { id: 'two' }, z: { id: 'one' } } },
      ['two', 'one'],
    ],
    [
      'what is found fills a field that was not sent',
      (on) => ({ x: on.lookup({ reads: ['path.id'], ask: () => 'filled', fill: 'query.a' }) }),
      '/x/one',
      { found: { x: 'filled' }, query: { a: 'filled' } },
    ],
    [
      'and leaves one that was',
      (on) => ({ x: on.lookup({ reads: ['path.id'], ask: () => 'filled', fill: 'query.a' }) }),
      '/x/one?a=sent',
      { found: { x: 'filled' }, query: { a: 'sent' } },
    ],
    [
      'the outside world failed',
      (on) => ({ x: on.lookup({ reads: ['path.id'], ask: (services: Services) => services.fail() }) }),
      '/x/one',
      [503],
    ],
    [
      'it throws at once',
      (on) => ({
        x: on.lookup({
          reads: ['path.id'],
          ask: () => {
            throw new Error('at once')
          },
        }),
      }),
      '/x/one',
      [503],
    ],
    [
      'it had no answer in time, and its signal fired',
      (on) => ({
        x: on.lookup({
          reads: ['path.id'],
          within: '30ms',
          ask: (services: Services, _, { signal }) => services.hang(signal),
        }),
      }),
      '/x/one',
      [503],
    ],
    [
      'a failure behind a refusal: the first decides, and what was found wrong is told',
      (on) => ({
        x: on.lookup({ reads: ['path.id'], ask, refusal: { status: 404, code: 'gone', message: 'is gone' } }),
        y: on.lookup({ reads: ['path.id'], ask: (services: Services) => services.fail() }),
      }),
      '/x/no',
      [404, 'path.id gone: is gone'],
    ],
  ])('%s', async (...[, lookups, target, wanted, calls]) => {
    const services = makeServices()
    const events: JournalEvent[] = []
    const app = intake({ endpoints: { x: asked(lookups) }, journal: { write: (event) => void events.push(event) } })
    const handle = serve(
      app,
      {
        x: ({ query }: Input, { found }: { found: unknown }) => ({
          found,
          ...(query.a === undefined ? {} : { query }),
        }),
      } as never,
      { services },
    )
    const response = await handle(new Request(`http://kr.example${target}`))
    const told = await response.text()
    const { found, query, fields = {} } = JSON.parse(told)
    if (Array.isArray(wanted)) {
      const errors = Object.entries(fields as { [address: string]: { code: string; detail: string }[] }).flatMap(
        ([address, all]) => all.map(({ code, detail }) => `${address} ${code}: ${detail}`),
      )
      expect([response.status, ...errors]).toEqual(wanted)
    } else expect({ found, ...(query && (wanted as { query?: object }).query ? { query } : {}) }).toEqual(wanted)
    if (calls) expect(services.calls).toEqual(calls)
    if (response.status === 503) {
      expect(response.headers.get('retry-after')).toBe('5')
      expect(events.map(({ outcome }) => outcome)).toEqual(['failed'])
      expect(told).not.toContain('password')
    }
  })
  test('a trace tells what each was asked, what it found and how long it took, and nothing that is a secret', async () => {
    const one = endpoint('POST /{id}', {
      path: { id: text() },
      body: record({ code: text({ secret: true }), of: record({ pin: text({ secret: true }) }) }),
      lookups: (on) => {
        const first = on.lookup({ reads: ['path.id'], ask: (_: object, [id]) => sleep(20, { id }) })
        const refused = on.lookup({ reads: ['path.id'], ask: () => undefined })
        const coded = on.lookup({ reads: ['path.id', 'body.code'], ask: (_, [, code]) => ({ code }) })
        const held = on.lookup({ reads: ['body.of'], ask: (_, [of]) => of })
        const late = on.lookup({ reads: ['path.id'], follows: { refused }, ask: () => 1 })
        return { first, refused, coded, held, late }
      },
    })
    const request = 'POST /a HTTP/1.1\nContent-Type: application/json\n\n{"code":"hush","of":{"pin":"hush"}}'
    const { trace } = await judge(intake({ endpoints: { one } }), request, { services: {}, trace: true })
    const steps = trace?.steps.filter(({ stage }) => stage === 'lookups') ?? []
    expect(steps.map(({ took, ...step }) => step)).toEqual([
      { stage: 'lookups', name: 'first', outcome: 'passed', asked: ['a'], found: { id: 'a' } },
      { stage: 'lookups', name: 'refused', outcome: 'failed', asked: ['a'] },
      { stage: 'lookups', name: 'coded', outcome: 'passed', asked: ['a', '(secret)'] },
      { stage: 'lookups', name: 'held', outcome: 'passed', asked: ['(secret)'] },
      { stage: 'lookups', name: 'late', outcome: 'not run' },
    ])
    expect(steps[0]?.took).toBeGreaterThan(10)
    expect(JSON.stringify(trace)).not.toContain('hush')
  })
  test('without services they are not asked, and the verdict is pending', async () => {
    const x = asked((on) => ({ x: on.lookup({ reads: ['path.id'], ask }), y: on.lookup({ reads: ['query.a'], ask }) }))
    const app = intake({ endpoints: { x } })
    expect(await judge(app, 'GET /x/no HTTP/1.1')).toEqual({
      outcome: 'pending',
      endpoint: 'x',
      input: expect.anything(),
      unasked: ['x', 'y'],
    })
    expect(judgeParts(x, { path: { id: 'no' } })).toMatchObject({ outcome: 'pending', unasked: ['x', 'y'] })
    const judged = await judge(app, 'GET /x/no HTTP/1.1', { services: makeServices(), trace: true })
    expect(judged).toMatchObject({ outcome: 'rejected', status: 422, stage: 'lookups' })
    expect(judged.trace?.steps.filter(({ stage }) => stage === 'lookups')).toMatchObject([
      { stage: 'lookups', name: 'x', outcome: 'failed' },
      { stage: 'lookups', name: 'y', outcome: 'not run' },
    ])
  })
  test.each([
    [
      'follows what is not there',
      (on: LookupMaker<Input>) => {
        const y = on.lookup({ reads: ['path.id'], ask })
        return { x: on.lookup({ reads: ['path.id'], ask, follows: { y } }) }
      },
      'it follows y, which is no lookup of this endpoint',
    ],
    [
      'reads what is not declared',
      (on: LookupMaker<Input>) => ({ x: on.lookup({ reads: ['path.idd' as 'path.id'], ask }) }),
      'path.idd is not declared',
    ],
  ])('one that %s is refused at declaration', (_, lookups, message) => {
    expect(() => asked(lookups as never)).toThrow(message)
  })
})

const secretOf = (part: string) => `hush-${part}`
/** Everything about it is secret but `open`. */
const vault = endpoint('POST /vault/{pin}', {
  path: { pin: text({ secret: true, length: [1, 20] }) },
  query: { token: text({ secret: true, length: [1, 20] }), open: integer() },
  header: { authorization: text(), 'x-key': text({ secret: true }), 'x-open': text({ optional: true }) },
  cookie: { session: text() },
  body: record({
    word: text({ secret: true }),
    deep: list(record({ code: text({ secret: true }), name: text() })),
    box: tagged('kind', { paper: record({ words: text() }) }, { secret: true } as never),
    when: instant({ optional: true }),
    shown: text({ length: [1, 9], optional: true }),
  }),
})
const vaultRequest = (
  change: (body: { [name: string]: unknown }) => void = () => undefined,
  query = `token=${secretOf('query')}&open=1`,
) => {
  const body: { [name: string]: unknown } = {
    word: secretOf('body'),
    deep: [{ code: secretOf('deep'), name: 'n-1' }],
    box: { kind: 'paper', words: secretOf('box') },
  }
  change(body)
  return new Request(`http://kr.example/vault/${secretOf('path')}?${query}`, {
    method: 'POST',
    headers: {
      'content-type': 'application/json',
      authorization: `Bearer ${secretOf('header')}`,
      'x-key': secretOf('key'),
      cookie: `session=${secretOf('cookie')}; other=${secretOf('other')}`,
      'x-unknown': secretOf('unknown'),
    },
    body: JSON.stringify(body),
  })
}

describe('the journal', () => {
  test('has every rejection and failure, and no secret of any part', async () => {
    const lines: string[] = []
    const journal = ndjsonJournal({ write: (line) => lines.push(line) })
    const app = intake({ endpoints: { vault }, journal })
    let broken = true
    const handle = serve(app, {
      vault: ({ body }) => {
        if (broken) throw new Error('the vault is jammed', { cause: new TypeError('inner') })
        return refuse({ status: 409, code: 'held', message: 'is held', at: `body.word${String(body).slice(99)}` })
      },
    })
    const answers = [await (await handle(vaultRequest())).text()]
    broken = false
    answers.push(await (await handle(vaultRequest())).text())
    answers.push(
      await (
        await handle(
          vaultRequest(
            (body) =>
              Object.assign(body, {
                word: 5,
                deep: [{ code: [secretOf('wrong')], name: 7 }],
                shown: 'far too long',
                extra: secretOf('extra'),
                box: secretOf('whole'),
              }),
            `token=&open=${'x'.repeat(60)}&more=${secretOf('more')}`,
          ),
        )
      ).text(),
    )
    answers.push(await (await handle(new Request('http://kr.example/nothing'))).text())
    const events = lines.map((line) => JSON.parse(line))
    expect(
      events.map(({ endpoint = '', outcome, status, stage }) => `${endpoint} ${outcome} ${status} ${stage}`),
    ).toEqual([
      'vault failed 500 handle',
      'vault rejected 409 handle',
      'vault rejected 400 shape',
      ' rejected 404 match',
    ])
    for (const [index, event] of events.entries()) {
      expect(JSON.parse(answers[index] as string).instance).toBe(`urn:uuid:${event.id}`)
      expect(Object.keys(event).filter((key) => ['pid', 'msg', 'hostname'].includes(key))).toEqual([])
      expect([Date.parse(event.time) > 0, event.milliseconds >= 0]).toEqual([true, true])
    }
    expect(events[2].errors).toContainEqual({ address: 'query.open', code: 'wrong_type', sent: 'x'.repeat(40) })
    expect(events[2].errors).toContainEqual({ address: 'body.shown', code: 'too_long', sent: 'far too long' })
    expect(events[2].absent).toEqual(['header.x-open', 'body.when'])
    expect(events[0].cause).toMatchObject({
      name: 'Error',
      message: 'the vault is jammed',
      stack: expect.stringContaining('outside.test'),
      cause: { name: 'TypeError' },
    })
    expect([...lines, ...answers].join('\n')).not.toContain('hush')
    // What was kept of the failed request is judged as it was, but for the secrets.
    expect(events[0].input).toContain('"word":"(secret)","deep":[{"code":"(secret)","name":"n-1"}],"box":"(secret)"')
    expect(await judge(app, events[0].input)).toMatchObject({ outcome: 'rejected', errors: [{ address: 'body.box' }] })
  })
  test('can be turned off by endpoint and by part, but for failures', async () => {
    const events: JournalEvent[] = []
    const show = (journalled: object | boolean) =>
      endpoint('GET /a', {
        query: { n: integer({ optional: true }) },
        header: { m: integer({ optional: true }) },
        journalled,
      } as never)
    const run = async (journalled: object | boolean, target: string, m?: string) => {
      const app = intake({
        endpoints: { show: show(journalled) },
        journal: { write: (event) => void events.push(event) },
      })
      const handle = serve(app, { show: () => Promise.reject(new Error('x')) })
      events.length = 0
      await handle(new Request(`http://kr.example${target}`, m === undefined ? {} : { headers: { m } }))
      return events.map(({ outcome, errors }) => [outcome, ...errors.map(({ address }) => address)])
    }
    expect(await run(true, '/a?n=x', 'y')).toEqual([['rejected', 'query.n', 'header.m']])
    expect(await run({ query: false }, '/a?n=x', 'y')).toEqual([['rejected', 'header.m']])
    expect(await run({ query: false }, '/a?n=x')).toEqual([])
    expect(await run(false, '/a?n=x', 'y')).toEqual([])
    expect(await run(false, '/a')).toEqual([['failed']])
  })
  test('goes through a logger that there is, failures as errors', () => {
    const told: string[] = []
    const journal = loggerJournal({ info: () => void told.push('info'), error: () => void told.push('error') } as never)
    const event = { time: '', id: '', status: 1, stage: 'handle', errors: [], absent: [], milliseconds: 0 } as const
    for (const outcome of ['rejected', 'observed', 'failed'] as const) journal.write({ ...event, outcome })
    expect(told).toEqual(['info', 'info', 'error'])
  })
})

describe('observation', () => {
  const events: JournalEvent[] = []
  const note = endpoint('POST /notes', {
    query: { n: integer({ optional: true }) },
    body: record({ words: text({ length: [1, 5] }) }),
    mode: { body: 'observe' },
  })
  const list_ = endpoint('GET /notes', {
    query: { n: integer({ optional: true }) },
    lookups: (on) => ({ more: on.lookup({ reads: ['query.n'], ask: (_: unknown, [n]) => (n === 0 ? undefined : n) }) }),
  })
  const app = intake({
    endpoints: { note, ...group({ mode: 'observe' }, { list: list_ }) },
    journal: { write: (event) => void events.push(event) },
  })
  test('lets through what would have been rejected, its verdict attached, and the body where a parser would leave it', async () => {
    const server = createServer(
      express()
        .use(gate(app, { services: {} }))
        .use(express.json())
        .use((request, response) => {
          const which = request.method === 'GET' ? list_ : note
          const verdict = verdictAt(which as typeof note, request)
          if (verdict.outcome === 'rejected') expect(() => inputOf(which, request)).toThrow('only observed')
          response.json({
            verdict: verdict.outcome === 'rejected' ? verdict.status : verdict.input,
            body: request.body ?? null,
            ...(request.method === 'GET' && verdict.outcome === 'accepted' ? { found: foundOf(list_, request) } : {}),
          })
        }),
    ).listen(0)
    await once(server, 'listening')
    const base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
    const post = async (target: string, body: string) => {
      const response = await fetch(base + target, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body,
      })
      return [response.status, (await response.json()) as { verdict: unknown; body: unknown; status: unknown }] as const
    }
    expect(await post('/notes', '{"words":"fine"}')).toEqual([
      200,
      { verdict: { path: {}, query: {}, header: {}, cookie: {}, body: { words: 'fine' } }, body: { words: 'fine' } },
    ])
    expect(await post('/notes', '{"words":"far too many"}')).toEqual([
      200,
      { verdict: 422, body: { words: 'far too many' } },
    ])
    expect((await post('/notes?n=x', '{"words":"far too many"}'))[0]).toBe(400)
    expect(await (await fetch(`${base}/notes?n=x`)).json()).toMatchObject({ verdict: 400 })
    // Lookups are asked, and not waited for.
    expect(await (await fetch(`${base}/notes?n=0`)).json()).toMatchObject({ verdict: { query: { n: 0 } }, found: {} })
    expect(await (await fetch(`${base}/notes?n=2`)).json()).toMatchObject({ verdict: { query: { n: 2 } } })
    expect(events.map(({ outcome, status }) => `${outcome} ${status}`)).toEqual([
      'observed 422',
      'rejected 400',
      'observed 400',
      'observed 422',
    ])
    server.close()
    await sleep(1)
  })
  const watched = endpoint('POST /watched', {
    body: record({ words: text({ length: [1, 5] }) }),
    limits: { body: '40B' },
    turn: { of: 'watched', by: ['body.words'] },
    mode: 'observe',
  })
  const json = { 'content-type': 'application/json' }
  test.each<[string, string, object, object, string[]]>([
    ['what is right', '{"words":"fine"}', json, {}, []],
    ['what is wrong', '{"words":"much too long"}', json, {}, ['observed 422']],
    ['broken JSON', '{"words"', json, {}, ['observed 400']],
    ['one byte', '5', json, {}, ['observed 422']],
    ['another media type', 'a { }', { 'content-type': 'text/css' }, {}, ['observed 415']],
    ['more than the limit', `{"words":"${'x'.repeat(100_000)}"}`, json, {}, ['observed 413']],
    ['nothing', '', json, {}, ['observed 400']],
    ['who is not known', '{"words":"fine"}', json, { identify: () => undefined }, ['observed 401']],
    ['a failure of ours', '{"words":"fine"}', json, { identify: () => Promise.reject(new Error('x')) }, ['failed 503']],
  ])('changes nothing of %s', async (_, body, headers, more, outcomes) => {
    const events: JournalEvent[] = []
    const store = memoryTurns()
    const app = intake({
      endpoints: { watched },
      turns: store,
      journal: { write: (event) => void events.push(event) },
      ...more,
    })
    const own = connect()
      .use(gate(app, { services: {} }))
      .use(async (request, response) => {
        const before = (request as { body?: unknown }).body
        let came = ''
        for await (const chunk of request) came += chunk
        response.end(JSON.stringify([before ?? null, came.length, store.size]))
      })
    const parsing = express()
      .use(express.text({ type: () => true, limit: '1mb' }))
      .use(gate(app, { services: {} }))
      .use((request, response) => void response.json([null, String(request.body ?? '').length, store.size]))
    const koa = new Koa().use(koaGate(app, { services: {} })).use(async (context) => {
      let came = ''
      for await (const chunk of context.req) came += chunk
      context.body = [null, came.length, store.size]
    })
    for (const listener of [own, parsing, koa.callback()]) {
      const url = await started(listener as never)
      for (const sent of [body, new Blob([body]).stream()]) {
        events.length = 0
        const response = await fetch(`${url}/watched`, {
          method: 'POST',
          headers: headers as never,
          body: sent,
          duplex: 'half',
        } as never)
        expect([response.status, await response.json()]).toEqual([200, [null, body.length, 0]])
        expect(events.map(({ outcome, status }) => `${outcome} ${status}`)).toEqual(outcomes)
      }
    }
  })
})

describe('a gate lets nothing by that its framework takes', () => {
  const ride = endpoint('GET /rides/{id}', { path: { id: integer() } })
  const events: JournalEvent[] = []
  const app = intake({ endpoints: { ride }, base: '/api', journal: { write: (event) => void events.push(event) } })
  const routing = ['folded', 'exact'] as const
  const frameworks: [string, (how: (typeof routing)[number]) => unknown][] = [
    [
      'connect',
      (how) =>
        connect()
          .use(gate(app, { routing: how }))
          .use('/api/rides', (_, response) => response.end('in')),
    ],
    [
      'express',
      (how) =>
        express()
          .use(gate(app, { routing: how }))
          .get('/api/rides/:id', (_, response) => void response.end('in')),
    ],
    [
      'koa',
      (how) => {
        const koa = new Koa().use(koaGate(app, { routing: how })).use((context) => {
          if (/^\/+api\/+rides\/+/i.test(decodeURIComponent(context.path))) context.body = 'in'
        })
        return koa.callback()
      },
    ],
  ]
  test.each(frameworks)('%s', async (_, make) => {
    const [folded, exact] = (await Promise.all(routing.map((how) => started(make(how) as never)))) as [string, string]
    const spellings = [
      '/api/rides/x',
      '/api/rides/x/',
      '/API/Rides/x',
      '/api/r%69des/x',
      '/api//rides/x',
      '//api/rides//x//',
      '/api/rides/%78',
      '/api/rides/x?a=1',
    ]
    for (const target of spellings) {
      const port = Number(new URL(folded).port)
      const status = await statusAt(port, target)
      expect([target, status]).toEqual([target, 400])
    }
    expect(await statusAt(Number(new URL(folded).port), '/API/rides/7/')).toBe(200)
    events.length = 0
    const letBy = await statusAt(Number(new URL(exact).port), '/API/rides/x')
    await statusAt(Number(new URL(exact).port), '/API/rides/y')
    await sleep(20)
    expect(events.map(({ outcome, status, route }) => [outcome, status, route])).toEqual(
      letBy === 200 ? [['unjudged', 200, 'GET /API']] : [],
    )
  })
  test('a gate of one endpoint on its route as well', async () => {
    const url = await started(express().get('/api/rides/:id', gate(ride), (_, response) => void response.end('in')))
    const statuses = ['/api/rides/7', '/api/rides/7/', '/API/rides/7', '/api/rides/x/'].map((target) =>
      statusAt(Number(new URL(url).port), target),
    )
    expect(await Promise.all(statuses)).toEqual([200, 200, 200, 400])
  })
  test('a gate that answers says which methods a path takes, however it is spelt', async () => {
    const url = await started(connect().use(gate(app, { unmatched: 'answer' })))
    const response = await fetch(`${url}/API/rides//7/`, { method: 'PUT' })
    expect([response.status, response.headers.get('allow')]).toEqual([405, 'GET, HEAD, OPTIONS'])
  })
  test.each(['api', '/a b', '/{x}', '/a?b', '//a'])('a base %j that matches nothing is refused', (base) => {
    expect(() => intake({ endpoints: { ride }, base })).toThrow('no path begins with')
  })
})

/** The status of a raw target, as no client library would clean it up. */
const statusAt = (port: number, target: string) =>
  new Promise<number>((resolve, reject) => {
    get({ port, path: target, host: '127.0.0.1' }, (response) => {
      response.resume()
      resolve(response.statusCode ?? 0)
    }).on('error', reject)
  })

describe('behind a framework all is as through serve', () => {
  const book = endpoint('POST /rides/{id}', {
    path: { id: integer() },
    query: { draft: integer({ optional: true }) },
    body: record({ seats: integer({ min: 1 }), most: integer({ default: 4 }) }),
    rules: (on) => [on.ascending('body.seats', 'body.most', { orEqual: true, blames: ['body.seats'] })],
    lookups: (on) => ({
      ride: on.lookup({
        reads: ['path.id'],
        ask: ({ rides }: { rides: number[] }, [id]) => rides.includes(id) && { id },
        refusal: { status: 404, code: 'no_ride', message: 'is no ride' },
      }),
    }),
    turn: { of: 'ride', by: ['path.id'] },
    limits: { body: 200 },
    success: 201,
  })
  const list_ = endpoint('GET /rides', { open: true })
  const events: JournalEvent[] = []
  const app = intake({
    endpoints: { book, list: list_ },
    base: '/api',
    identify: ({ headers }) => headers.get('x-key'),
    challenge: { header: 'x-key', scheme: 'Key' },
    journal: { write: (event) => void events.push(event) },
  })
  const services = { rides: [1, 2] }
  type About = { who: unknown; found: object; turn?: { fence: bigint } | undefined }
  const booked = ({ path, body }: { path: { id: number }; body: { seats: number } }, { who, found, turn }: About) => {
    if (body.seats === 3) throw refuse({ status: 409, code: 'full', message: 'is full', at: 'body.seats' })
    if (path.id === 2) throw new Error('inside')
    return give({ who, found, has: typeof turn?.fence }, { headers: { location: `/api/rides/${path.id}` } })
  }
  const nothing = () => []
  const ways: [string, () => Promise<string>][] = [
    ['serve', async () => started(listenerOf(serve(app, { book: booked, list: nothing }, { services })))],
    [
      'connect',
      async () => {
        const own = connect().use(gate(app, { services }))
        own.use('/api/rides', (request, response, next) => {
          const of = (request as { method?: string }).method === 'GET'
          return of ? handled(list_, nothing)(request, response, next) : handled(book, booked)(request, response, next)
        })
        return started(own)
      },
    ],
    [
      'express',
      async () =>
        started(
          express()
            .use(gate(app, { services }))
            .post('/api/rides/:id', handled(book, booked))
            .get('/api/rides', handled(list_, nothing)),
        ),
    ],
    [
      'koa',
      async () => {
        const koa = new Koa().use(koaGate(app, { services })).use(async ({ req, res }) => {
          const one = req.method === 'GET' ? handled(list_, nothing) : handled(book, booked)
          await new Promise<void>((resolve, reject) => {
            res.once('close', resolve)
            one(req, res, reject)
          })
        })
        return started(koa.callback())
      },
    ],
  ]
  const key = { 'x-key': 'ada', 'content-type': 'application/json' }
  const sends: [target: string, body: string | undefined, headers: object][] = [
    ['/api/rides/1', '{"seats":2}', key],
    ['/api/rides/1', '{"seats":2}', { ...key, 'x-key': '' }],
    ['/api/rides/1', '{"seats":2}', { 'content-type': 'application/json' }],
    ['/api/rides/x?draft=y', '{"seats":0,"seat":1}', key],
    ['/api/rides/1', '{"seats":9}', key],
    ['/api/rides/7', '{"seats":1}', key],
    ['/api/rides/1', '{"seats":3}', key],
    ['/api/rides/2', '{"seats":1}', key],
    ['/api/rides/1', '{"seats"', key],
    ['/api/rides/1', 'a', { ...key, 'content-type': 'text/css' }],
    ['/api/rides/1', `{"seats":${'1'.repeat(300)}}`, key],
    ['/api/rides', undefined, {}],
  ]
  test('one table of requests gets the same answers and events', async () => {
    const all: unknown[][] = []
    for (const [, make] of ways) {
      const url = await make()
      const told: unknown[] = []
      for (const [target, body, headers] of sends) {
        events.length = 0
        const response = await fetch(url + target, {
          method: body === undefined ? 'GET' : 'POST',
          headers: headers as never,
          ...(body === undefined ? {} : { body }),
        })
        const { instance: _, ...answer } = (await response.json()) as { instance?: string }
        told.push([
          response.status,
          answer,
          ['location', 'www-authenticate', 'accept', 'content-type'].map((name) => response.headers.get(name)),
          events.map(({ outcome, status, stage, endpoint: name, errors }) => [outcome, status, stage, name, errors]),
        ])
      }
      all.push(told)
    }
    const [through = [], ...behind] = all
    expect(through.map((one) => (one as [number])[0])).toEqual([
      201, 201, 401, 400, 422, 404, 409, 500, 400, 415, 413, 200,
    ])
    for (const one of behind) expect(one).toEqual(through)
  })
})

test('endpoints of a group speak of what the group declares, typed, in rules, lookups and turns', async () => {
  const asked: unknown[] = []
  const nights = group(
    {
      prefix: '/teams/{team}',
      path: { team: text({ length: [2, 9] }) },
      header: { 'x-most': integer() },
      lookups: (on) => ({ team: on.lookup({ reads: ['path.team'], ask: (_: unknown, [team]) => ({ name: team }) }) }),
    },
    (shared) => ({
      book: shared.endpoint('POST /nights/{night}', {
        path: { night: integer() },
        body: record({ hours: integer() }),
        rules: (on) =>
          [
            on.ascending('body.hours', 'header.x-most', { orEqual: true, blames: ['body.hours'] }),
            // @ts-expect-error: neither the group nor the endpoint has it
            on.sent('header.x-least') as never,
          ].slice(0, 1),
        lookups: (on, { team }) => ({
          free: on.lookup({
            reads: ['path.team', 'path.night'],
            follows: { team },
            ask: (_: unknown, [team, night], { found }) => asked.push([team.length, night + 1, found.team]) > 0,
          }),
        }),
        turn: { of: 'night', by: ['path.team', 'path.night'] },
      }),
    }),
  )
  const handle = serve(intake({ endpoints: nights }), {
    book: ({ path, header, body }, { found }) => [
      path.team,
      path.night,
      header['x-most'] - body.hours,
      found.team.name,
      found.free,
    ],
  })
  const book = async (hours: number) => {
    const response = await handle(
      new Request('http://kr.example/teams/kr/nights/3', {
        method: 'POST',
        headers: { 'content-type': 'application/json', 'x-most': '9' },
        body: JSON.stringify({ hours }),
      }),
    )
    return [response.status, await response.json()]
  }
  expect(await book(4)).toEqual([200, ['kr', 3, 5, 'kr', true]])
  expect(asked).toEqual([[2, 4, { name: 'kr' }]])
  expect(await book(14)).toMatchObject([
    422,
    { detail: 'body.hours must not be more than header.x-most (9); 14 was sent' },
  ])
  expect(() => group({}, (shared) => ({ one: shared.endpoint('GET /{a}', {} as never) }))).toThrow(
    'does not declare it',
  )
})

describe('turns in memory', () => {
  const signal = new AbortController().signal
  const options = { wait: 0, lease: 60, waiters: 2, signal }
  test('are had by one at a time, in the order of those who wait, with a growing fence', async () => {
    const store = memoryTurns()
    const first = await store.take('s', 'k', options)
    if (typeof first === 'string') throw new Error(first)
    expect(await store.take('s', 'k', options)).toBe('busy')
    expect(typeof (await store.take('s', 'other', options))).toBe('object')
    const order: string[] = []
    const waiting = ['a', 'b'].map(async (name) => {
      const turn = await store.take('s', 'k', { ...options, wait: 1000 })
      if (typeof turn === 'string') throw new Error(turn)
      order.push(name)
      await sleep(5)
      await turn.release()
      return turn.fence
    })
    expect(await store.take('s', 'k', { ...options, wait: 1000 })).toBe('full')
    await first.release()
    const [a, b] = await Promise.all(waiting)
    expect(order).toEqual(['a', 'b'])
    expect([first.fence < (a as bigint), (a as bigint) < (b as bigint)]).toEqual([true, true])
    expect(await first.renew()).toBe(false)
  })
  test('end with their lease, unless it is renewed, and waiting ends with its time or its signal', async () => {
    const store = memoryTurns()
    const held = await store.take('s', 'k', options)
    if (typeof held === 'string') throw new Error(held)
    await sleep(40)
    expect(await held.renew()).toBe(true)
    expect(await store.take('s', 'k', { ...options, wait: 30 })).toBe('busy')
    const gone = new AbortController()
    const waiting = store.take('s', 'k', { ...options, wait: 1000, signal: gone.signal })
    gone.abort()
    expect(await waiting).toBe('busy')
    const next = await store.take('s', 'k', { ...options, wait: 1000 })
    expect(typeof next).toBe('object')
    expect(await held.renew()).toBe(false)
    await held.release()
    expect(await store.take('s', 'k', options)).toBe('busy')
    if (typeof next === 'object') await next.release()
    expect(store.size).toBe(0)
  })
  test('are lost after the longest time, and the signal says so', async () => {
    const slow = endpoint('POST /slow', { turn: { of: 'slow', by: ['path'] as never, longest: '50ms', lease: '30s' } })
    const store = memoryTurns()
    let reason: unknown
    const handle = serve(intake({ endpoints: { slow }, turns: store }), {
      slow: (_, { signal, turn }) =>
        new Promise((resolve) =>
          signal.addEventListener('abort', () => {
            reason = signal.reason
            resolve(String(turn?.fence))
          }),
        ),
    })
    expect(await (await handle(new Request('http://kr.example/slow', { method: 'POST' }))).json()).toBe('1')
    expect([String(reason), store.size]).toEqual(['TimeoutError: The turn was held for its longest time', 0])
  })
})

test('a limited journal writes so many events a second of each endpoint and code, and counts the rest', async () => {
  const events: JournalEvent[] = []
  const clock = jest.spyOn(performance, 'now').mockReturnValue(1000)
  const journal = limitedJournal({ write: (event) => void events.push(event) }, { aSecond: 2 })
  const put = endpoint('PUT /', { body: record({ n: integer() }) })
  const handle = serve(intake({ endpoints: { put }, journal }), { put: () => 1 })
  const send = (body: object) =>
    handle(
      new Request('http://kr.example/', {
        method: 'PUT',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(body),
      }),
    )
  for (let i = 0; i < 7; i++) await send({ n: 'x' })
  await send({})
  clock.mockReturnValue(2100)
  for (let i = 0; i < 3; i++) await send({ n: 'x' })
  clock.mockRestore()
  expect(events.map(({ errors, more = 0 }) => `${errors[0]?.code} ${more}`)).toEqual([
    'wrong_type 0',
    'wrong_type 0',
    'missing 0',
    'wrong_type 5',
    'wrong_type 0',
  ])
})
