import { type ChildProcess, fork, spawn, spawnSync } from 'node:child_process'
import { once } from 'node:events'
import { createServer } from 'node:http'
import { type AddressInfo, createServer as createSocketServer } from 'node:net'
import { dirname, join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { fileURLToPath } from 'node:url'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { createClient } from 'redis'
import { endpoint, intake, memoryTurns, serve, text } from 'yosei'
import { gate, inputOf, listen } from 'yosei/node'
import { redisTurns } from 'yosei/redis'
import { makeService } from './turns-service.js'

const script = join(dirname(fileURLToPath(import.meta.url)), 'turns-service.js')
const post = (base: string, path: string, signal?: AbortSignal) =>
  fetch(base + path, { method: 'POST', ...(signal ? { signal } : {}) })
/** Looks until it is so, for as long as a busy machine may take. */
async function until(look: () => Promise<boolean>): Promise<boolean> {
  for (let i = 0; i < 200; i++) {
    if (await look()) return true
    await sleep(25)
  }
  return false
}
/** How often each status came. */
async function tally(responses: Promise<Response>[]): Promise<{ [status: string]: number }> {
  const counts: { [status: string]: number } = {}
  for (const { status } of await Promise.all(responses)) counts[status] = (counts[status] ?? 0) + 1
  return counts
}

/** A number in memory that is read and written like one far away. */
function distant(start: number) {
  let left = start
  return {
    get left() {
      return left
    },
    read: async () => {
      const read = left
      await sleep(2)
      return read
    },
    write: async (value: number) => {
      await sleep(1)
      left = value
    },
  }
}

describe('in one process', () => {
  test('of 200 that want one of two places at once, two get it, and the store has what is left', async () => {
    const [room, turns] = [distant(2), memoryTurns()]
    const { url, close } = await listen(makeService({ turns, room }))
    expect(await tally(Array.from({ length: 200 }, () => post(url, '/20s/30s/slots/a')))).toEqual({ 201: 2, 409: 198 })
    expect([room.left, turns.size]).toEqual([0, 0])
    await close()
  })
  test('without the turn the same would go wrong: the test can fail', async () => {
    const room = distant(2)
    const turns = { take: async () => ({ fence: 1n, renew: async () => true, release: async () => undefined }) }
    const { url, close } = await listen(makeService({ turns, room }))
    const { 201: accepted = 0 } = await tally(Array.from({ length: 50 }, () => post(url, '/20s/30s/slots/a')))
    expect(accepted).toBeGreaterThan(2)
    await close()
  })
  test('a client that goes does not end the turn of its handler', async () => {
    const [room, turns] = [distant(9), memoryTurns()]
    const { url, close } = await listen(makeService({ turns, room }))
    const gone = new AbortController()
    const first = post(url, '/0s/700ms/slots/slow', gone.signal).catch(() => 'gone')
    await sleep(150)
    gone.abort()
    expect(await first).toBe('gone')
    const second = await post(url, '/0s/700ms/slots/slow')
    expect([second.status, second.headers.get('retry-after'), (await second.json()).fields]).toEqual([
      409,
      '5',
      { 'path.slot': [{ code: 'busy', detail: 'is being worked on by another request' }] },
    ])
    expect(await until(async () => turns.size === 0)).toBe(true)
    expect([(await post(url, '/0s/700ms/slots/slow')).status, room.left, turns.size]).toEqual([201, 7, 0])
    await close()
  })
  test('10,000 requests whose handlers succeed, refuse and throw at random leave no key held', async () => {
    const [room, turns] = [distant(1e9), memoryTurns()]
    const handle = makeService({ turns, room: { read: async () => room.left, write: room.write }, pause: 0 })
    const counts: { [status: number]: number } = {}
    for (let batch = 0; batch < 20; batch++)
      await Promise.all(
        Array.from({ length: 500 }, async (_, number) => {
          const slot = `${['throw', 'refuse', 'book'][number % 3]}-${number % 60}`
          const { status } = await handle(
            new Request(`http://kr.example/${number % 2 ? '20s/30s' : '0s/700ms'}/slots/${slot}`, { method: 'POST' }),
          )
          counts[status] = (counts[status] ?? 0) + 1
        }),
      )
    expect(turns.size).toBe(0)
    expect(Object.keys(counts)).toEqual(['201', '409', '423', '500'])
  })
  test('a store that fails is the outside world failing, never an acceptance', async () => {
    const turns = { take: () => Promise.reject(new Error('the connection is closed')) }
    const response = await makeService({ turns, room: distant(5) })(
      new Request('http://kr.example/0s/700ms/slots/a', { method: 'POST' }),
    )
    expect([response.status, response.headers.get('retry-after')]).toEqual([503, '5'])
  })
  test('behind a gate the turn ends with the answer', async () => {
    const turns = memoryTurns()
    const slot = endpoint('POST /slots/{slot}', {
      path: { slot: text() },
      turn: { of: 'slot', by: ['path.slot'], wait: '5s' },
    })
    const pass = gate(intake({ endpoints: { slot }, turns }))
    let inside = 0
    let most = 0
    const server = createServer((request, response) =>
      pass(request, response, async () => {
        most = Math.max(most, ++inside)
        await sleep(5)
        inside--
        response.end(inputOf(slot, request).path.slot)
      }),
    ).listen(0)
    await once(server, 'listening')
    const base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
    expect(await tally(Array.from({ length: 20 }, () => post(base, '/slots/a')))).toEqual({ 200: 20 })
    await sleep(20)
    expect([most, turns.size]).toEqual([1, 0])
    server.close()
  })
})

const hasRedis = spawnSync('redis-server', ['--version']).status === 0
const overRedis = hasRedis ? describe : describe.skip
if (!hasRedis)
  test('redis-server is not installed: the turns over Redis were not tested', () => {
    console.warn('NOT TESTED: turns over Redis, since redis-server is not installed (apt-get install redis-server)')
    // Whoever tests for others tests everything.
    expect(process.env.CI).toBeUndefined()
  })

overRedis('over Redis, in four processes', () => {
  let redis: ChildProcess
  let client: ReturnType<typeof createClient>
  let services: { child: ChildProcess; url: string }[]
  let redisPort: number
  const begin = async () => {
    const child = fork(script, [String(redisPort)])
    const [port] = await once(child, 'message')
    return { child, url: `http://127.0.0.1:${port}` }
  }
  beforeAll(async () => {
    const probe = createSocketServer().listen(0, '127.0.0.1')
    await once(probe, 'listening')
    redisPort = (probe.address() as AddressInfo).port
    await new Promise((resolve) => probe.close(resolve))
    redis = spawn(
      'redis-server',
      ['--port', String(redisPort), '--save', '', '--appendonly', 'no', '--bind', '127.0.0.1'],
      { stdio: 'ignore' },
    )
    client = createClient({ url: `redis://127.0.0.1:${redisPort}`, socket: { reconnectStrategy: 50 } })
    client.on('error', () => undefined)
    await client.connect()
    services = await Promise.all([begin(), begin(), begin(), begin()])
  })
  afterAll(async () => {
    for (const { child } of services) child.kill('SIGKILL')
    client.destroy()
    redis.kill()
    await once(redis, 'exit')
  })
  const url = (number: number) => services[number % 4]?.url as string
  const held = async () => (await client.keys('turns:*')).filter((key) => !key.endsWith(':fence'))

  test('of 200 that want one of two places at once, two get it, and the store has what is left', async () => {
    await client.set('room', '2')
    const responses = Array.from({ length: 200 }, (_, number) => post(url(number), '/20s/30s/slots/a'))
    expect(await tally(responses)).toEqual({ 201: 2, 409: 198 })
    expect([await client.get('room'), await held()]).toEqual(['0', []])
  })
  test('the fence grows from turn to turn, whichever process has it', async () => {
    await client.set('room', '1000')
    const fences: number[] = []
    for (let number = 0; number < 8; number++)
      fences.push(Number(((await (await post(url(number), '/20s/30s/slots/b')).json()) as { fence: string }).fence))
    expect(fences).toEqual([...fences].sort((a, b) => a - b))
    expect(new Set(fences).size).toBe(8)
  })
  test('who gave up waiting leaves its place to another', async () => {
    const store = redisTurns(client as never)
    const { signal } = new AbortController()
    const take = (wait: number) => store.take('place', 'one', { wait, lease: 5000, waiters: 1, signal })
    const held = await take(0)
    expect(await take(60)).toBe('busy')
    // Only one may wait at a time: while it does, the others are too many.
    const first = take(30_000)
    while ((await client.keys('turns:*:waiting')).length === 0) await sleep(5)
    expect(await take(30_000)).toBe('full')
    await (held as { release(): Promise<void> }).release()
    expect(typeof (await first)).toBe('object')
  })
  test('the fence grows also where Redis has lost what it knew, and the keys of a turn lie together in a cluster', async () => {
    await client.set('room', '1000')
    const fence = async () =>
      BigInt(((await (await post(url(0), '/20s/30s/slots/c')).json()) as { fence: string }).fence)
    const before = await fence()
    expect(
      new Set((await client.keys('turns:*')).map((key) => key.match(/^turns:(\{[0-9a-f]{64}\})/)?.[1])),
    ).not.toContain(undefined)
    await client.flushAll()
    await client.set('room', '1000')
    expect(await fence()).toBeGreaterThan(before)
    // The clock of Redis may stand still: then it counts.
    const [key] = (await client.keys('turns:*:fence')) as [string]
    await client.set(key, '9000000000000000')
    expect(await fence()).toBe(9000000000000001n)
  })
  test('if Redis does not answer, no request waits for ever, and the first is answered before the second can be let in', async () => {
    await client.set('room', '1000')
    const store = redisTurns(client as never, { within: '300ms' })
    const options = { wait: 1000, lease: 600, waiters: 9, signal: new AbortController().signal }
    const slot = endpoint('POST /{slot}', {
      path: { slot: text() },
      turn: { of: 'slot', by: ['path.slot'], lease: '600ms', wait: '1s' },
    })
    let told = 0
    let begun = () => undefined as void
    const inside = new Promise<void>((resolve) => {
      begun = resolve
    })
    const handle = serve(intake({ endpoints: { slot }, turns: store, journal: { write: () => undefined } }), {
      slot: async (_, { signal }) => {
        begun()
        await new Promise((resolve) => signal.addEventListener('abort', resolve))
        told = performance.now()
      },
    })
    const first = handle(new Request('http://kr.example/z', { method: 'POST' }))
    await inside
    redis.kill('SIGSTOP')
    const taking = await store.take('slot', '["other"]', options).catch((error: Error) => error.message)
    expect(taking).toBe('Redis had no answer within 300 ms')
    expect((await first).status).toBe(204)
    redis.kill('SIGCONT')
    const second = await store.take('slot', '["z"]', { ...options, wait: 5000 })
    expect([typeof second, told > 0 && told < performance.now()]).toEqual(['object', true])
    if (typeof second === 'object') await second.release()
    expect(await until(async () => (await held()).length === 0)).toBe(true)
  })
  test('one that stood still for longer than its lease knows it before it goes on', async () => {
    const frozen = await begin()
    await client.set('room', '9')
    const begun = once(frozen.child, 'message')
    const first = post(frozen.url, '/0s/700ms/slots/frozen').catch(() => undefined)
    await begun
    frozen.child.kill('SIGSTOP')
    while ((await held()).length > 0) await sleep(10)
    // What the handler waits for is there when the process goes on, beside the timers that are due.
    await client.rPush('wake', 'now')
    await sleep(50)
    frozen.child.kill('SIGCONT')
    expect(await client.blPop('told', 20)).toEqual({ key: 'told', element: 'false true' })
    await first
    frozen.child.kill('SIGKILL')
    await client.rPush('wake', 'now')
    const steady = await begin()
    await post(steady.url, '/0s/700ms/slots/frozen')
    expect(await client.blPop('told', 20)).toEqual({ key: 'told', element: 'true false' })
    steady.child.kill('SIGKILL')
  })
  test('one that is killed in its handler frees the key after its lease, and not before', async () => {
    const doomed = await begin()
    const begun = once(doomed.child, 'message')
    post(doomed.url, '/0s/700ms/slots/long').catch(() => undefined)
    await begun
    // The lease is renewed while the handler runs: it is still held long after it would have ended.
    await sleep(1000)
    expect((await post(url(0), '/0s/700ms/slots/long')).status).toBe(409)
    doomed.child.kill('SIGKILL')
    const killed = Date.now()
    const lease = await client.pTTL((await held()).find((key) => !key.endsWith(':waiting')) as string)
    expect((await post(url(1), '/0s/700ms/slots/long')).status).toBe(409)
    await client.set('room', '0')
    while ((await held()).length > 0) await sleep(10)
    expect(Date.now() - killed).toBeGreaterThanOrEqual(lease - 50)
    expect(lease).toBeLessThanOrEqual(700)
  })
})
