/** What a client could do to a service: each of these once ended it, stalled it, or got by. */
import { type ChildProcess, spawn } from 'node:child_process'
import { once } from 'node:events'
import { existsSync, mkdirSync, mkdtempSync, readdirSync, rmSync } from 'node:fs'
import type { IncomingMessage, RequestListener } from 'node:http'
import { connect as connectTo, type Socket } from 'node:net'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { fileURLToPath } from 'node:url'
import { afterEach, describe, expect, jest, test } from '@jest/globals'
import connect from 'connect'
import express from 'express'
import Koa from 'koa'
import {
  answer,
  anything,
  choice,
  constant,
  DeclarationError,
  decimal,
  either,
  endpoint,
  type Field,
  file,
  give,
  intake,
  integer,
  type JournalEvent,
  judge,
  judgeParts,
  later,
  list,
  memoryTurns,
  readAs,
  record,
  refuse,
  serve,
  type TurnStore,
  table,
  text,
} from 'yosei'
import { koaGate, koaHandled } from 'yosei/koa'
import { contextOf, gate, handled, inputOf, listen, listenerOf } from 'yosei/node'
import { drip, growthOf, mostGrowth, readers, repetitive } from './growth.ts'
import { open, started, uploadsFromNow } from './service.ts'

/** Looks until it is so, for as long as a busy machine may take. */
async function until(look: () => boolean | Promise<boolean>): Promise<boolean> {
  for (let i = 0; i < 1000; i++) {
    if (await look()) return true
    await sleep(25)
  }
  return false
}
/** What comes back over a connection of its own, until it is closed or `enough`. */
function sent(port: number, raw: string | Buffer, enough: (came: string) => boolean = () => false): Promise<string> {
  return new Promise((resolve) => {
    const socket = connectTo(port, '127.0.0.1', () => socket.write(raw))
    let came = ''
    socket.on('data', (chunk) => {
      came += chunk.toString('latin1')
      if (enough(came)) socket.destroy()
    })
    socket.on('error', () => undefined)
    socket.on('close', () => resolve(came))
  })
}

describe('a machine that can keep no file', () => {
  const script = join(dirname(fileURLToPath(import.meta.url)), 'upload-service.js')
  const children: ChildProcess[] = []
  afterEach(() => {
    for (const child of children.splice(0)) child.kill('SIGKILL')
  })
  /** The service in a process with a limit of its own, and its temporary folder. */
  async function limited(limit: string, folder = mkdtempSync(join(tmpdir(), 'attack-'))) {
    const child = spawn('sh', ['-c', `${limit}; exec "${process.execPath}" "${script}"`], {
      env: { ...process.env, TMPDIR: folder },
      stdio: ['pipe', 'pipe', 'inherit'],
    }) as ChildProcess
    children.push(child)
    const [line] = await once(child.stdout as NodeJS.ReadableStream, 'data')
    const port = Number(String(line).trim())
    const upload = async (size: number) => {
      const body = new FormData()
      body.append('plate', new File(['x'.repeat(size)], 'a.png', { type: 'image/png' }))
      const response = await fetch(`http://127.0.0.1:${port}/plates`, { method: 'POST', body })
      return [
        response.status,
        response.headers.get('retry-after'),
        ((await response.json()) as { events?: unknown }).events,
      ]
    }
    return {
      child,
      port,
      folder,
      upload,
      left: () => (existsSync(folder) ? readdirSync(folder).filter((name) => name.startsWith('upload-')) : []),
    }
  }
  test.each([
    ['a disk that is full in the middle of a file', 'ulimit -f 64', undefined],
    ['a temporary folder that there is not', 'true', '/nowhere/at/all'],
  ])('%s is a 503 for that request, journalled, and leaves nothing', async (_, limit, folder) => {
    const { child, upload, left } = await limited(limit, folder)
    for (let i = 0; i < 3; i++) expect((await upload(400_000)).slice(0, 2)).toEqual([503, '5'])
    if (!folder) expect(await upload(10)).toEqual([200, null, Array.from({ length: 3 }, () => 'failed 503')])
    expect([left(), child.exitCode]).toEqual([[], null])
  })
  test('what a killed process has left is removed at the next start, and nothing else is', async () => {
    const { child, port, folder, left } = await limited('true')
    const head =
      'POST /plates HTTP/1.1\r\nHost: x\r\nContent-Type: multipart/form-data; boundary=x\r\nContent-Length: 900000\r\n\r\n'
    const socket = connectTo(port, '127.0.0.1')
    socket.on('error', () => undefined)
    socket.write(
      `${head}--x\r\nContent-Disposition: form-data; name="plate"; filename="a.png"\r\nContent-Type: image/png\r\n\r\n${'x'.repeat(200_000)}`,
    )
    expect(await until(() => left().length === 1)).toBe(true)
    child.kill('SIGKILL')
    await once(child, 'exit')
    const [killed = ''] = left()
    // Of a process that runs, and of one on another machine.
    const others = [
      killed.replace(/^upload-\d+/, `upload-${process.pid}`),
      killed.replace(/-[0-9a-f]{8}-/, '-00000000-'),
    ]
    for (const name of others) mkdirSync(join(folder, name))
    await limited('true', folder)
    expect(await until(() => !left().includes(killed))).toBe(true)
    expect(left().sort()).toEqual(others.sort())
  })
  test('nor do many that are in the middle of a body when no file can be opened any more', async () => {
    const { child, port, upload, folder, left } = await limited('ulimit -n 160')
    const head =
      'POST /plates HTTP/1.1\r\nHost: x\r\nContent-Type: multipart/form-data; boundary=x\r\nContent-Length: 300000\r\n\r\n'
    const part = '--x\r\nContent-Disposition: form-data; name="plate"; filename="a"\r\nContent-Type: image/png\r\n\r\n'
    const sockets = new Set<Socket>()
    const seen: string[] = []
    for (let i = 0; i < 200; i++) {
      const socket = connectTo(port, '127.0.0.1')
      socket.on('error', () => undefined)
      socket.on('data', (chunk) => seen.push(String(chunk).slice(9, 12)))
      socket.on('close', () => sockets.delete(socket))
      sockets.add(socket)
    }
    // The process turns connections away when it can open nothing more; only then do files come.
    expect(await until(() => sockets.size < 200)).toBe(true)
    for (const socket of sockets) socket.write(head + part + 'x'.repeat(70_000))
    expect(await until(() => seen.includes('503'))).toBe(true)
    for (const socket of sockets) socket.destroy()
    expect(new Set(seen)).toEqual(new Set(['503']))
    expect(await until(async () => (await upload(10).catch(() => [0]))[0] === 200)).toBe(true)
    expect(await until(() => left().length === 0)).toBe(true)
    expect(child.exitCode).toBeNull()
    rmSync(folder, { recursive: true })
  })
})

test.each(['compiled', 'interpreted'] as const)('no object is right because it was wrong so often, %s', (engine) => {
  interface Part {
    readonly name: number
    readonly parts: readonly Part[]
  }
  const part: Field<Part> = record({ name: integer(), parts: list(later(() => part)) })
  const parts = list(later(() => part))
  const body = either([table(list(later(() => part)), { length: [2, 9] }), record({ a: parts })])
  const { put } = intake({ engine, endpoints: { put: endpoint('PUT /', { body }) } }).endpoints
  const wrong = { name: 'x', parts: [] }
  for (const count of [1, 600, 1200, 3000]) {
    const verdict = judgeParts(put, { body: { a: Array.from({ length: count }, () => wrong) } } as never)
    const found = verdict.outcome === 'rejected' ? verdict.errors.length + verdict.more : 0
    expect([verdict.outcome, found, verdict.outcome === 'rejected' && verdict.errors[0]?.address]).toEqual([
      'rejected',
      count,
      'body.a[0].name',
    ])
  }
})

describe.each(['compiled', 'interpreted'] as const)('unions that hold themselves, %s', (engine) => {
  let reads = 0
  const counted = readAs(
    text(),
    (value) => {
      reads++
      return value === 'good' ? value : undefined
    },
    { code: 'odd' },
  )
  type Node = string | { of: Node }
  const named: Field<unknown> = either([
    record({ op: constant('not'), of: later(() => named) }),
    record({ op: constant('minus'), of: later(() => named) }),
    record({ op: constant('is'), of: counted }),
  ]) as never
  const unnamed: Field<Node> = either([
    record({ of: later(() => unnamed), a: integer({ optional: true }) }),
    record({ of: later(() => unnamed), b: integer({ optional: true }) }),
    counted,
  ]) as never
  // Without `later`: each level is shared by three branches of the next.
  let shared: Field = counted
  for (let i = 0; i < 60; i++) {
    const below = shared
    shared = either([record({ of: below }), record({ of: below, c: integer() }), below])
  }
  const nested = (depth: number, inner: unknown, more: object) => {
    let value = inner
    for (let i = 0; i < depth; i++) value = { ...more, of: value }
    return value
  }
  const { put } = intake({
    engine,
    endpoints: { put: endpoint('PUT /', { body: record({ named, unnamed, shared }) }) },
  }).endpoints
  const good = { named: { op: 'is', of: 'good' }, unnamed: 'good', shared: 'good' }
  test.each([
    ['told apart', { named: nested(60, good.named, { op: 'not' }) }, []],
    ['told apart, wrong at the bottom', { named: nested(60, { op: 'is', of: 'x' }, { op: 'not' }) }, ['odd']],
    ['of a name that is none', { named: nested(60, good.named, { op: 'xor' }) }, ['not_a_choice']],
    ['tried one by one', { unnamed: nested(60, 'good', {}) }, []],
    ['tried one by one, taken by a later branch', { unnamed: nested(16, 'good', { b: 1 }) }, []],
    ['tried one by one, wrong at the bottom', { unnamed: nested(60, 'x', { b: 1 }) }, ['odd']],
    ['that share their branches', { shared: nested(50, 'good', {}) }, []],
    ['that share their branches, wrong at the bottom', { shared: nested(50, 'x', { c: 1 }) }, ['odd']],
  ])('%s: each declaration tries a value at a place once', (_, change, codes) => {
    reads = 0
    const verdict = judgeParts(put, { body: { ...good, ...change } })
    expect(verdict.outcome === 'rejected' ? verdict.errors.map(({ code }) => code) : []).toEqual(codes)
    // Every branch may read a place once, and the compiled engine may have tried before it handed over.
    expect(reads).toBeLessThan(20)
  })
})

test('no reader of text takes more than its length', async () => {
  const slow: string[] = []
  for (const [name, read] of Object.entries(readers))
    for (const [unit, end] of repetitive) {
      const texts = new Map([10_000, 20_000, 40_000].map((size) => [size, unit.repeat(size / unit.length) + end]))
      const growth = await growthOf((size) => read(texts.get(size) as string))
      if (growth > mostGrowth)
        slow.push(`${name}, ${JSON.stringify(unit + end)}: ${growth.toFixed(1)} times for four times as much`)
    }
  expect(slow).toEqual([])
})

describe('rules take no more than a sort of what they read', () => {
  const row = record({ a: integer(), b: integer() }, { rules: (on) => [on.ascending('a', 'b')] })
  const rows = (count: number, one: (index: number) => unknown) =>
    Array.from({ length: count }, (_, index) => one(index))
  const vat = endpoint('POST /', {
    body: record({
      items: list(record({ vat: text({ optional: true }) })),
      addresses: list(record({ country: text() })),
    }),
    rules: (on) => [on.needed('body.items[].vat', on.is('body.addresses[].country', 'AT'))],
  })
  const fills = endpoint('POST /', {
    body: record({ items: list(record({ a: integer({ optional: true }) })), others: list(record({ b: integer() })) }),
    rules: (on) => [on.fill('body.items[].a', ['body.others[].b'], ((all: number[]) => all.length) as never)],
  })
  const blames = endpoint('POST /', {
    body: record({ seats: list(integer()), cap: integer() }),
    rules: (on) => [on.ascending('body.seats[]' as never, 'body.cap' as never, { blames: ['body.seats[]'] })],
  })
  test.each<[string, (count: number) => unknown]>([
    [
      'a condition on another list',
      (count) =>
        judgeParts(vat, {
          body: { items: rows(count, () => ({})), addresses: rows(count, () => ({ country: 'DE' })) },
        }),
    ],
    [
      'a fill from another list',
      (count) => judgeParts(fills, { body: { items: rows(count, () => ({})), others: rows(count, () => ({ b: 1 })) } }),
    ],
    [
      'a record with rules among faults',
      (count) =>
        judgeParts(endpoint('POST /', { body: list(row) }), {
          body: rows(count, (index) => ({ a: index % 9 ? 1 : 'x', b: 2 })),
        }),
    ],
    [
      'faults of every element',
      (count) => judgeParts(endpoint('POST /', { body: list(row) }), { body: rows(count, () => ({ a: 3, b: 2 })) }),
    ],
    [
      'elements that are blamed by the one beside the list',
      (count) => judgeParts(blames, { body: { seats: rows(count, () => 5), cap: 1 } }),
    ],
    [
      'distinct',
      (count) =>
        judgeParts(endpoint('POST /', { body: list(record({ a: integer() }), { distinct: true }) }), {
          body: rows(count, (index) => ({ a: index % 7 })),
        }),
    ],
    ['the head of a part that drips in', (count) => drip(`--x\r\n${'\r'.repeat(2 * count - 5)}`)],
    ['blanks in the head of a part', (count) => drip(`--x\r\nX: ${' '.repeat(count)}x\r\n\r\n`)],
    [
      'a text that drips in',
      (count) => drip(`--x\r\nContent-Disposition: form-data; name="a"\r\n\r\n${'\r\n-'.repeat(count)}`),
    ],
  ])('%s', async (_, work) => {
    expect(await growthOf(work, [2000, 8000])).toBeLessThan(mostGrowth)
  })
  test('elements of two lists are no pairs, which is said where it is declared', () => {
    const body = record({ a: list(integer()), b: list(integer()) })
    expect(() => endpoint('POST /', { body, rules: (on) => [on.differ('body.a[]', 'body.b[]' as never)] })).toThrow(
      DeclarationError,
    )
    expect(() => endpoint('POST /', { body, rules: (on) => [on.ascending('body.a[]', 'body.b[]' as never)] })).toThrow(
      'lie in two lists',
    )
    const rule = {
      body: record({ a: list(integer()), b: list(integer()), c: integer() }),
      rules: (on: never) => [
        (on as { equal: (...all: unknown[]) => never }).equal('body.a[]', 'body.c', { blames: ['body.b[]'] }),
      ],
    }
    expect(() => endpoint('POST /', rule as never)).toThrow('it blames body.b[], in a list that it does not compare')
  })
})

describe('an answer does not outgrow its request', () => {
  const wide = endpoint('POST /', { body: table(list(text({ length: [2, 3] }), { distinct: true }), { names: /^x/ }) })
  const handle = serve(intake({ endpoints: { wide } }), { wide: () => 1 })
  const post = (body: string, accept = '*/*') =>
    handle(
      new Request('http://kr.example/', {
        method: 'POST',
        body,
        headers: { 'content-type': 'application/json', 'content-length': String(Buffer.byteLength(body)), accept },
      }),
    )
  test.each([
    [
      'one name of 900 kB',
      'application/problem+json',
      { ['n'.repeat(900_000)]: Array.from({ length: 60 }, () => 'a') },
    ],
    [
      'many names of many marks',
      'application/problem+json',
      Object.fromEntries(Array.from({ length: 500 }, (_, index) => [`${index}${'"'.repeat(900)}`, ['a']])),
    ],
    [
      'names of marks, as a page',
      'text/html',
      Object.fromEntries(Array.from({ length: 500 }, (_, index) => [`${index}${'"<&'.repeat(300)}`, ['a']])),
    ],
    [
      'names of many bytes, as text',
      'text/plain',
      Object.fromEntries(Array.from({ length: 500 }, (_, index) => [`${index}${'\u{1f600}'.repeat(200)}`, ['a']])),
    ],
    [
      'a small body',
      'application/problem+json',
      Object.fromEntries(Array.from({ length: 60 }, (_, index) => [`${index}`, 1])),
    ],
  ])('%s, as %s', async (_, accept, body) => {
    const raw = JSON.stringify(body)
    const response = await post(raw, accept)
    const told = await response.text()
    expect([response.status, response.headers.get('content-type')?.split(';')[0]]).toEqual([422, accept])
    expect(Buffer.byteLength(told)).toBeLessThan(Math.min(256_000, 32_000 + 4 * (raw.length + 200)))
    expect(told).toMatch(/ and \d+ more|too_short|must/)
  })
  test('an error names a few of the 20,000 values of a choice', async () => {
    const values = Array.from({ length: 20_000 }, (_, index) => `value-number-${index}`)
    const put = endpoint('POST /', { body: record({ a: choice(values), b: list(choice(values), { optional: true }) }) })
    const handle = serve(intake({ endpoints: { put } }), { put: () => 1 })
    for (const body of ['{}', '{"a":"x"}', `{"a":"x","b":[${Array(60).fill('"x"')}]}`])
      for (const accept of ['application/problem+json', 'text/html', 'text/plain']) {
        const headers = { 'content-type': 'application/json', accept }
        const response = await handle(new Request('http://kr.example/', { method: 'POST', body, headers }))
        expect((await response.text()).length).toBeLessThanOrEqual(32_000)
      }
  })
  test('long names are told as labels that differ, and have no pointer', async () => {
    const [a, b] = [`${'n'.repeat(5000)}a${'n'.repeat(5000)}`, `${'n'.repeat(5000)}b${'n'.repeat(5000)}`]
    const verdict = await judge(intake({ endpoints: { wide } }), {
      method: 'POST',
      target: '/',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ [a]: ['x'], [b]: ['x'] }),
    })
    if (verdict.outcome !== 'rejected') throw new Error('accepted')
    const addresses = verdict.errors.map(({ address }) => address)
    expect([new Set(addresses).size, verdict.errors.map(({ pointer }) => pointer)]).toEqual([
      4,
      [undefined, undefined, undefined, undefined],
    ])
    expect(addresses[0]).toMatch(/^body\["n{32} … 10001 characters, [0-9a-f]{16} … n{12}"\]$/)
    expect(JSON.stringify(verdict).length).toBeLessThan(3000)
  })
  test('own words that quote what was sent are cut', async () => {
    const odd = endpoint('POST /', {
      body: record({ a: text() }),
      rules: (on) => [
        on.find({
          reads: ['body.a'],
          code: 'odd',
          finds: (a) => Array.from({ length: 60 }, () => ({ at: 'body.a', message: `is not ${a}` })),
        }),
      ],
    })
    const told = await (
      await serve(intake({ endpoints: { odd } }), { odd: () => 1 })(
        new Request('http://kr.example/', {
          method: 'POST',
          body: JSON.stringify({ a: 'x'.repeat(100_000) }),
          headers: { 'content-type': 'application/json' },
        }),
      )
    ).text()
    expect(told.length).toBeLessThan(256_000)
  })
})

describe('a verdict, never an exception', () => {
  const long = 12_000_000
  const big = (body: string, field: Field, more = {}) =>
    judge(
      intake({
        endpoints: { put: endpoint('PUT /', { body: record({ a: field }), ...more }) },
        limits: { body: '40MB' },
      }),
      { method: 'PUT', target: '/', headers: { 'content-type': 'application/json' }, body },
    )
  test.each<
    [string, () => Promise<{ outcome: string; status?: number; errors?: readonly { code: string }[] }>, string]
  >([
    ['a pattern', () => big(`{"a":"${'ab'.repeat(long / 2)}"}`, text({ pattern: /^(?:a|b)*$/ })), '422 too_long'],
    ['a JSON Pointer', () => big(`{"a":"${'/a'.repeat(long / 2)}"}`, text({ format: 'json-pointer' })), 'accepted'],
    ['a link', () => big(`{"a":"http://x/${'a'.repeat(long)}"}`, text({ format: 'iri' })), 'accepted'],
    ['a URI template', () => big(`{"a":"${'{a}'.repeat(long / 4)}"}`, text({ format: 'uri-template' })), 'accepted'],
    ['broken JSON', () => big(`{"a":"${'\\n'.repeat(long / 2)}`, text()), '400 bad_syntax'],
    ['lines of broken JSON', () => big(`{"a":${'\n'.repeat(long)}`, text()), '400 bad_syntax'],
    [
      'names in JSON',
      () => big(`{"a":"${'\\n'.repeat(long / 2)}","a":1}`, text(), { uniqueNames: true }),
      '400 sent_twice',
    ],
    [
      'names in deep JSON',
      () => big(`${'{"a":'.repeat(100_000)}{"b":1,"b":2}${'}'.repeat(100_000)}`, anything(), { uniqueNames: true }),
      '400 sent_twice',
    ],
    ['a decimal of many zeros', () => big(`{"a":"0.${'0'.repeat(long)}1"}`, decimal({ min: '1' })), '422 below_min'],
  ])('%s of many millions of bytes', async (_, judged, wanted) => {
    const { outcome, status, errors } = await judged()
    expect(outcome === 'accepted' ? outcome : `${status} ${errors?.[0]?.code}`).toBe(wanted)
  })
  test('objects with a toString of their own, and Dates that are none, under every comparison', () => {
    const odd = { toString: 1, valueOf: { toString: null } }
    const rules = (on: never) => {
      const any = on as { [rule: string]: (...all: unknown[]) => never }
      return [
        any.equal?.('body.a', 'body.b'),
        any.differ?.('body.a', 'body.c'),
        any.ascending?.('body.a', 'body.b'),
        any.sumWithin?.('body.a', [1, 2]),
        any.sumWithin?.('body.c', { atMost: 'body.a' }),
      ]
    }
    const never = readAs(text(), () => new Date(Number.NaN), { code: 'x' })
    for (const [field, a, b] of [
      [anything(), odd, { toString: 2 }],
      [never, 'a', 'b'],
      [decimal(), '1', '2'],
    ] as const) {
      const verdict = judgeParts(
        endpoint('POST /', { body: record({ a: field, b: field, c: anything() }), rules: rules as never }),
        { body: { a, b, c: odd } },
        { trace: true },
      )
      expect(verdict.outcome === 'rejected' && verdict.status).toBe(422)
      expect(JSON.stringify(verdict)).toContain('unequal')
    }
  })
  test('a function of the declaration that throws is a 500 with its event, and no state of it is left for others', async () => {
    const events: JournalEvent[] = []
    let breaks = true
    const fails = (what: string) => () => {
      if (breaks) throw new Error(`inside ${what}`)
      return 'made'
    }
    const app = intake({
      journal: { write: (event) => void events.push(event) },
      endpoints: {
        deep: endpoint('POST /deep', {
          body: record({ doc: record({ t: record({ q: text({ default: fails('default') }) }) }) }),
        }),
        rule: endpoint('POST /rule', {
          body: record({ a: integer() }),
          rules: (on) => [on.check({ reads: ['body.a'], code: 'x', holds: () => fails('rule')() === 'made' })],
        }),
        query: endpoint('GET /query', { query: { q: integer() } }),
      },
    })
    const post = (target: string, body: string) =>
      judge(app, { method: 'POST', target, headers: { 'content-type': 'application/json' }, body })
    expect(await post('/deep', '{"doc":{"t":{}}}')).toMatchObject({
      status: 500,
      stage: 'shape',
      endpoint: 'deep',
      errors: [],
    })
    expect(await judge(app, 'GET /query?q=x HTTP/1.1')).toMatchObject({
      status: 400,
      errors: [{ address: 'query.q', code: 'wrong_type' }],
    })
    expect(await post('/rule', '{"a":1}')).toMatchObject({ status: 500, stage: 'rules', errors: [] })
    expect(
      events.map(({ endpoint, outcome, stage, cause, input }) => [
        endpoint,
        outcome,
        stage,
        String(cause),
        input?.split('\n').at(-1),
      ]),
    ).toEqual([
      ['deep', 'failed', 'shape', 'Error: inside default', '{"doc":{"t":{}}}'],
      ['rule', 'failed', 'rules', 'Error: inside rule', '{"a":1}'],
    ])
    expect(judgeParts(app.endpoints.rule, { body: { a: 1 } })).toMatchObject({ status: 500 })
    breaks = false
    expect(await post('/deep', '{"doc":{"t":{}}}')).toMatchObject({
      outcome: 'accepted',
      input: { body: { doc: { t: { q: 'made' } } } },
    })
  })
})

describe('what ends with a request behind a gate', () => {
  const lookup = {
    hold: Promise.resolve(),
    asked: () => undefined as unknown,
    async ask() {
      lookup.asked()
      await lookup.hold
      return true
    },
  }
  const slot = endpoint('POST /slots/{slot}', {
    path: { slot: text() },
    turn: { of: 'slot', by: ['path.slot'] },
    lookups: (on) => ({ slow: on.lookup({ reads: ['path.slot'], within: '20s', ask: (_: object) => lookup.ask() }) }),
  })
  const turns = () => memoryTurns()
  const frameworks: [string, (store: TurnStore, handle: () => Promise<void>) => RequestListener][] = [
    [
      'connect',
      (store, handle) =>
        connect()
          .use(gate(intake({ endpoints: { slot }, turns: store }), { services: {} }))
          .use((_, response) => void handle().then(() => response.end('done'))),
    ],
    [
      'express',
      (store, handle) =>
        express().post(
          '/slots/:slot',
          gate(intake({ endpoints: { slot }, turns: store }).endpoints.slot, { services: {} }),
          (_, response) => void handle().then(() => response.end('done')),
        ),
    ],
    [
      'koa',
      (store, handle) => {
        const koa = new Koa()
        koa.silent = true
        koa.use(koaGate(intake({ endpoints: { slot }, turns: store }), { services: {} }))
        koa.use(async (context) => {
          await handle()
          context.body = 'done'
        })
        return koa.callback()
      },
    ],
  ]
  test.each(frameworks)(
    '%s: a client that goes during a lookup leaves no turn, and its handler is not called',
    async (_, make) => {
      const store = turns()
      let release = () => undefined as void
      lookup.hold = new Promise((resolve) => {
        release = resolve
      })
      let calls = 0
      const url = await started(make(store, async () => void calls++))
      const gone = new AbortController()
      const asked = new Promise((resolve) => {
        lookup.asked = () => resolve(undefined)
      })
      const first = fetch(`${url}/slots/a`, { method: 'POST', signal: gone.signal }).catch(() => 'gone')
      await asked
      expect(store.size).toBe(1)
      gone.abort()
      await first
      await sleep(50)
      release()
      expect(await until(() => store.size === 0)).toBe(true)
      expect((await fetch(`${url}/slots/a`, { method: 'POST' })).status).toBe(200)
      expect([await until(() => store.size === 0), calls]).toEqual([true, 1])
    },
  )
  test('a handler that is wrapped, or awaited by koa, holds its turn until it has settled; a plain one until it has answered, or says so', async () => {
    const store = turns()
    lookup.hold = Promise.resolve()
    const app = intake({ endpoints: { slot }, turns: store, identify: () => 'ada' })
    const pause = () => sleep(150)
    const koa = new Koa().use(koaGate(app, { services: {} })).use(async (context) => {
      context.res.end('early')
      await pause()
    })
    const handlers: [string, RequestListener, size: number][] = [
      ['koa', koa.callback(), 1],
      [
        'wrapped',
        connect()
          .use(gate(app, { services: {} }))
          .use(
            handled(slot, async (_, __, { response }) => {
              response.end('early')
              await pause()
            }),
          ),
        1,
      ],
      [
        'koa, wrapped',
        new Koa()
          .use(koaGate(app, { services: {} }))
          .use(
            koaHandled(slot, async (_, __, context) => {
              context.res.end('early')
              await pause()
            }),
          )
          .callback(),
        1,
      ],
      [
        'plain',
        connect()
          .use(gate(app, { services: {} }))
          .use((_, response) => {
            response.end('early')
            pause()
          }),
        0,
      ],
      [
        'released',
        connect()
          .use(gate(app, { services: {} }))
          .use(async (request, response) => {
            await contextOf(slot, request).release()
            response.write('early')
            await pause()
            response.end()
          }),
        0,
      ],
    ]
    for (const [name, listener, size] of handlers) {
      const url = await started(listener)
      const response = await fetch(`${url}/slots/a`, { method: 'POST' })
      await response.body?.getReader().read()
      await sleep(30)
      expect([name, store.size]).toEqual([name, size])
      expect(await until(() => store.size === 0)).toBe(true)
    }
  })
  test('what a wrapped handler gives is the answer, in the house’s shape, and so is what it throws', async () => {
    const events: JournalEvent[] = []
    const app = intake({
      endpoints: { slot },
      turns: turns(),
      identify: () => 'ada',
      journal: { write: (event) => void events.push(event) },
    })
    const url = await started(
      connect()
        .use(gate(app, { services: { name: 'services' } }))
        .use(
          handled(slot, async ({ path }, { who, turn, id, found, services }) => {
            if (path.slot === 'throws') throw new Error('inside')
            if (path.slot === 'refuses')
              return refuse({ status: 409, code: 'held', message: 'is held', at: 'path.slot' })
            return { who, fence: typeof turn?.fence, id: id.length, found, services }
          }),
        ),
    )
    const post = async (name: string) => {
      const response = await fetch(`${url}/slots/${name}`, { method: 'POST' })
      return [response.status, await response.json()] as [number, { fields?: object; detail?: string }]
    }
    expect(await post('gives')).toEqual([
      200,
      { who: 'ada', fence: 'bigint', id: 36, found: { slow: true }, services: { name: 'services' } },
    ])
    expect((await post('refuses'))[1].fields).toEqual({ 'path.slot': [{ code: 'held', detail: 'is held' }] })
    expect((await post('throws')).map((one) => (typeof one === 'number' ? one : one.detail))).toEqual([
      500,
      'Internal error; it was logged.',
    ])
    expect(events.map(({ outcome, status, endpoint }) => `${outcome} ${status} ${endpoint}`)).toEqual([
      'rejected 409 slot',
      'failed 500 slot',
    ])
    // A plain handler says the same by itself, in each framework.
    const says = (request: IncomingMessage) => {
      const { send, who } = contextOf(slot, request)
      return request.url?.endsWith('refuses')
        ? send(refuse({ status: 409, code: 'held', message: 'is held', at: 'path.slot' }))
        : send(give({ who }, { headers: { etag: '"a"' } }))
    }
    const listeners = [
      connect()
        .use(gate(app, { services: {} }))
        .use(says),
      express()
        .use(gate(app, { services: {} }))
        .use(says),
      new Koa()
        .use(koaGate(app, { services: {} }))
        .use(({ req }) => says(req))
        .callback(),
    ]
    for (const listener of listeners) {
      events.length = 0
      const url = await started(listener as RequestListener)
      const answers = await Promise.all(
        ['gives', 'refuses'].map((name) => fetch(`${url}/slots/${name}`, { method: 'POST' })),
      )
      expect(answers.map(({ status, headers }) => [status, headers.get('etag')])).toEqual([
        [200, '"a"'],
        [409, null],
      ])
      expect(await Promise.all(answers.map((one) => one.json()))).toMatchObject([
        { who: 'ada' },
        { fields: { 'path.slot': [{ code: 'held' }] } },
      ])
      expect(events).toMatchObject([{ outcome: 'rejected', endpoint: 'slot' }])
    }
  })
  test('files of clients that go are removed, whenever they go', async () => {
    // Half of them go once their plate is kept and the lookup runs, the others at any moment before.
    const leaving = Array.from({ length: 30 }, () => new AbortController())
    const kept: number[] = []
    let during = 0
    const uploads = uploadsFromNow()
    const plate = endpoint('POST /plates', {
      query: { number: integer() },
      body: { 'multipart/form-data': record({ plate: file({ bytes: '1MB' }) }) },
      lookups: (on) => ({
        slow: on.lookup({
          reads: ['query.number'],
          ask: async (_: unknown, [number]) => {
            kept.push(number)
            during = Math.max(during, uploads().length)
            if (number % 2 === 0) leaving[number]?.abort()
            return sleep(100, true)
          },
        }),
      }),
    })
    const url = await started(
      connect()
        .use(gate(intake({ endpoints: { plate } }), { services: {} }))
        .use((request, response) => response.end(String(inputOf(plate, request).body.plate.bytes))),
    )
    const post = (number: number) => {
      const body = new FormData()
      body.append('plate', new File(['x'.repeat(300_000)], 'a'))
      return fetch(`${url}/plates?number=${number}`, {
        method: 'POST',
        body,
        signal: leaving[number]?.signal ?? null,
      }).catch(() => undefined)
    }
    await Promise.all(
      Array.from({ length: 30 }, async (_, number) => {
        const coming = post(number)
        if (number % 2 === 1) await sleep(number * 7).then(() => leaving[number]?.abort())
        await coming
      }),
    )
    expect(kept.filter((number) => number % 2 === 0)).toHaveLength(15)
    expect(during).toBeGreaterThan(0)
    expect(await until(() => uploads().length === 0)).toBe(true)
    expect(await (await post(30))?.text()).toBe('300000')
  })
  test('a gate of one endpoint is the gate of its intake', async () => {
    const events: JournalEvent[] = []
    const store = turns()
    const app = intake({
      base: '/api',
      endpoints: { slot, note: endpoint('GET /notes/{n}', { path: { n: integer() } }) },
      turns: store,
      journal: { write: (event) => void events.push(event) },
      identify: ({ headers }) =>
        headers.get('authorization') ?? refuse({ status: 401, code: 'no_key', message: 'must name a key' }),
      languages: { en: { wrong_type: 'is odd', 'wrong_type.integer': 'is odd' } },
      envelope: ({ status }, { detail }) => ({ body: { house: status, detail } }),
    })
    const server = express()
    server.get('/api/notes/:n', gate(app.endpoints.note), (_, response) => void response.end('in'))
    server.post(
      '/slots/:slot',
      gate(app.endpoints.slot, { services: {} }),
      (_, response) => void response.end(String(store.size)),
    )
    const url = await started(server)
    expect([await (await fetch(`${url}/api/notes/1`)).json(), events[0]?.status]).toEqual([
      { house: 401, detail: 'header.authorization must name a key' },
      401,
    ])
    const headers = { authorization: 'k' }
    expect(await (await fetch(`${url}/api/notes/x`, { headers })).json()).toEqual({
      house: 400,
      detail: 'path.n is odd; "x" was sent',
    })
    expect(await (await fetch(`${url}/slots/a`, { method: 'POST', headers })).text()).toBe('1')
  })
})

describe('listen', () => {
  const app = intake({
    limits: { headers: '16kB' },
    endpoints: {
      get: endpoint('GET /', {
        header: { ['__proto__']: integer({ optional: true }), 'x-last': integer({ optional: true }) },
      }),
      post: endpoint('POST /', { body: record({ a: integer() }) }),
    },
  })
  const handlers = { get: ({ header }: { header: object }) => Object.entries(header), post: () => 1 }
  const head = 'GET / HTTP/1.1\r\nHost: x\r\nConnection: close\r\n'
  const many = (count: number) => Array.from({ length: count }, () => 'a: b\r\n').join('')
  test.each([
    ['many header fields that fit', `${head}${many(1500)}x-last: 7\r\n\r\n`, '200', '[["x-last",7]]'],
    ['many header fields beyond the limit', `${head}${many(3500)}\r\n`, '431', '"header"'],
    ['two hosts', `${head}Host: y\r\n\r\n`, '400', '"header.host"'],
    [
      'a transfer coding that is not the framing',
      'POST / HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nTransfer-Encoding: gzip, chunked\r\n\r\n0\r\n\r\n',
      '501',
      '"header.transfer-encoding"',
    ],
    ['a field named like a prototype', `${head}__proto__: 5\r\n\r\n`, '200', '[["__proto__",5]]'],
    ['a field named like a prototype, wrong', `${head}__proto__: x\r\n\r\n`, '400', '"header.__proto__"'],
    [
      'a content coding again and again',
      `POST / HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Encoding: ${'gzip,'.repeat(900)}gzip\r\nContent-Length: 3\r\n\r\nabc`,
      '415',
      '"header.content-encoding"',
    ],
    [
      'one content coding twice',
      'POST / HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Encoding: br, br\r\nContent-Length: 3\r\n\r\nabc',
      '415',
      '"too_many"',
    ],
    [
      'three content codings',
      'POST / HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Encoding: br\r\nContent-Encoding: gzip, deflate\r\nContent-Length: 3\r\n\r\nabc',
      '415',
      '"too_many"',
    ],
  ])('%s', async (_, raw, status, told) => {
    const { port, close } = await listen(serve(app, handlers))
    const came = await sent(port, raw)
    expect([came.slice(9, 12), came.includes(told) || came]).toEqual([status, true])
    await close()
  })
  test('a client that asks whether it may send is told once, whoever listens', async () => {
    const handle = serve(app, handlers)
    const own = await listen(handle)
    open.push(own)
    const others = [
      listenerOf(handle),
      connect()
        .use(gate(app))
        .use((_, response) => response.end('1')),
    ]
    const ports = [own.port, ...(await Promise.all(others.map(started))).map((url) => Number(new URL(url).port))]
    for (const port of ports) {
      const came = await sent(
        port,
        'POST / HTTP/1.1\r\nHost: x\r\nConnection: close\r\nContent-Type: application/json\r\nContent-Length: 7\r\nExpect: 100-continue\r\n\r\n{"a":1}',
      )
      expect(came.match(/HTTP\/1\.1 \d+/g)).toEqual(['HTTP/1.1 100', 'HTTP/1.1 200'])
    }
  })
})

describe('turns', () => {
  const slot = (more = {}) =>
    endpoint('POST /{slot}', {
      path: { slot: text() },
      turn: { of: 'slot', by: ['path.slot'], lease: '200ms', wait: '5s', ...more },
    })
  const post = () => new Request('http://kr.example/a', { method: 'POST' })
  test('in one process, a handler that lets nothing else run keeps its turn', async () => {
    let inside = 0
    let most = 0
    const handle = serve(intake({ endpoints: { slot: slot() }, turns: memoryTurns() }), {
      slot: async (_, { signal }) => {
        most = Math.max(most, ++inside)
        await sleep(10)
        const end = performance.now() + 500
        while (performance.now() < end) Math.sqrt(2)
        await sleep(10)
        inside--
        return signal.aborted
      },
    })
    const answers = await Promise.all(Array.from({ length: 3 }, async () => (await handle(post())).json()))
    expect([most, answers]).toEqual([1, [false, false, false]])
  })
  test('a holder that cannot reach the store is told before anybody else can have the turn', async () => {
    const order: string[] = []
    let until = 0
    const store: TurnStore = {
      async take() {
        const now = performance.now()
        if (until > now) await sleep(until - now)
        until = performance.now() + 200
        order.push('in')
        return { fence: 1n, renew: () => new Promise(() => undefined), release: () => new Promise(() => undefined) }
      },
    }
    const handle = serve(intake({ endpoints: { slot: slot() }, turns: store }), {
      slot: async (_, { signal }) => {
        if (order.filter((one) => one === 'in').length > 1) return 2
        await new Promise((resolve) => signal.addEventListener('abort', resolve))
        order.push(`told ${(signal.reason as Error).message}`)
        return 1
      },
    })
    const statuses = (await Promise.all([handle(post()), handle(post())])).map(({ status }) => status)
    // A store that never lets go of a turn holds back no answer of a handler that is done.
    expect([order, statuses]).toEqual([
      ['in', 'told The turn could not be renewed', 'in'],
      [200, 200],
    ])
  })
  test('nor does a store that hangs on release turn an answer into a failure', async () => {
    const store: TurnStore = {
      take: async () => ({ fence: 1n, renew: async () => true, release: () => new Promise(() => undefined) }),
    }
    const app = intake({
      endpoints: { slot: slot() },
      turns: store,
      limits: { handle: '300ms' },
      journal: { write: () => undefined },
    })
    expect((await serve(app, { slot: async () => 1 })(post())).status).toBe(200)
  })
})

test('if no one says where failures go, they are written to standard error, with their cause', () => {
  const told = jest.spyOn(console, 'error').mockImplementation(() => undefined)
  const broken = new Error('inside')
  const rule = endpoint('GET /', {
    query: { a: integer() },
    rules: (on) => [
      on.check({
        reads: ['query.a'],
        code: 'x',
        holds: () => {
          throw broken
        },
      }),
    ],
  })
  expect(judgeParts(rule, { query: { a: '1' } })).toMatchObject({ outcome: 'rejected', status: 500 })
  expect(told.mock.calls[0]?.at(-1)).toBe(broken)
  told.mockRestore()
  expect(answer(judgeParts(rule, { query: { a: 'x' } }) as never).status).toBe(400)
})
