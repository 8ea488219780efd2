/** Turns over Redis: for many processes, on one machine or on several. */

import { createHash, randomUUID } from 'node:crypto'
import { setTimeout as sleep } from 'node:timers/promises'
import type { Span } from '../terms/declared.js'
import type { TurnStore } from '../terms/hooks.js'
import { mistake } from '../terms/mistake.js'
import { readSpan } from '../terms/units.js'

/** What is needed of a client of the package `redis`. */
export interface RedisClient {
  /** Runs a script (EVAL). */
  eval(script: string, options: { keys: string[]; arguments: string[] }): Promise<unknown>
}

/** Options of `redisTurns`. */
export interface RedisTurnsOptions {
  /** Before the names of all its keys; `turns` by default. */
  prefix?: string
  /** Time for each answer of Redis; 2s by default. Beyond, a request is answered with 503. */
  within?: Span
}

// Each script is one atomic step. KEYS: the turn, its fence, those who wait for it.
// A fence is the time in microseconds, or one more than the last: it grows even where Redis has lost what it knew.
const takeScript = `
if redis.call('SET', KEYS[1], ARGV[1], 'NX', 'PX', ARGV[2]) then
  redis.call('ZREM', KEYS[3], ARGV[1])
  local now = redis.call('TIME')
  local fence = now[1] * 1000000 + now[2]
  local last = tonumber(redis.call('GET', KEYS[2]) or '0')
  if fence <= last then fence = last + 1 end
  redis.call('SET', KEYS[2], string.format('%.0f', fence), 'PX', ARGV[3])
  return string.format('%.0f', fence)
end
return '0'`
const waitScript = `
redis.call('ZREMRANGEBYSCORE', KEYS[3], '-inf', ARGV[2])
if redis.call('ZCARD', KEYS[3]) >= tonumber(ARGV[4]) then return 0 end
redis.call('ZADD', KEYS[3], ARGV[3], ARGV[1])
redis.call('PEXPIRE', KEYS[3], ARGV[5])
return 1`
const leaveScript = `return redis.call('ZREM', KEYS[3], ARGV[1])`
const renewScript = `
if redis.call('GET', KEYS[1]) == ARGV[1] then return redis.call('PEXPIRE', KEYS[1], ARGV[2]) end
return 0`
const releaseScript = `
if redis.call('GET', KEYS[1]) == ARGV[1] then return redis.call('DEL', KEYS[1]) end
return 0`

/** How long a fence is remembered: for as far as the clock of Redis may be set back. */
const fenceKept = 600_000

/**
 * A store whose turns hold across processes. A holder that dies keeps its turn until its lease runs out. The keys of
 * one turn carry a hash tag, so that a cluster keeps them together; values are in them as a digest alone.
 *
 * @throws DeclarationError if `within` is no span of time.
 * @example
 * const client = await createClient({ url }).connect()
 * const app = intake({ endpoints, turns: redisTurns(client) })
 */
export function redisTurns(
  client: RedisClient,
  { prefix = 'turns', within = '2s' }: RedisTurnsOptions = {},
): TurnStore {
  const patience = readSpan(within)
  if (!(patience > 0)) mistake('redisTurns', `within is "${within}"`, 'Write it as 500ms or 2s')
  return {
    async take(scope, key, options) {
      const { wait, lease, waiters } = options
      const token = randomUUID()
      const id = `${prefix}:{${createHash('sha256').update(`${scope}\n${key}`).digest('hex')}}`
      const keys = [id, `${id}:fence`, `${id}:waiting`]
      const send = (script: string, ...more: (string | number)[]) =>
        client.eval(script, { keys, arguments: [token, ...more.map(String)] })
      const run = async (script: string, ...more: (string | number)[]) =>
        Number(await inTime(send(script, ...more), patience))
      const release = async () => void (await run(releaseScript))
      const until = performance.now() + wait
      let isWaiting = false
      try {
        for (let pause = 5; ; pause = Math.min(100, pause * 2)) {
          const since = performance.now()
          const fence = await run(takeScript, lease, fenceKept)
          if (fence > 0)
            return { fence: BigInt(fence), since, renew: async () => (await run(renewScript, lease)) === 1, release }
          const left = until - performance.now()
          if (left <= 0 || options.signal.aborted) return 'busy'
          if (!isWaiting) {
            isWaiting = (await run(waitScript, Date.now(), Date.now() + left, waiters, Math.ceil(left) + 1000)) === 1
            if (!isWaiting) return 'full'
          }
          // Not all at once: who waits comes back a little apart from the others.
          await sleep(Math.min(left, pause * (0.5 + Math.random())), undefined, { signal: options.signal }).catch(
            () => undefined,
          )
        }
      } catch (error) {
        // What was asked may still be done when Redis is back: no process holds it then.
        send(releaseScript).catch(() => undefined)
        throw error
      } finally {
        if (isWaiting) send(leaveScript).catch(() => undefined)
      }
    },
  }
}

/** A client that has lost its connection may keep commands until it has another: do not wait for that. */
async function inTime<T>(answer: Promise<T>, milliseconds: number): Promise<T> {
  let timer: ReturnType<typeof setTimeout> | undefined
  const late = new Promise<never>((_, refuse) => {
    timer = setTimeout(() => refuse(new Error(`Redis had no answer within ${milliseconds} ms`)), milliseconds)
  })
  try {
    return await Promise.race([answer, late])
  } finally {
    clearTimeout(timer)
  }
}
