/** Turns over Redis: for many processes, on one machine or on several. */

import { randomUUID } from 'node:crypto'
import { setTimeout as sleep } from 'node:timers/promises'
import type { TurnStore } from '../declare/hooks.js'

/** What is needed of a client of the package `redis`. */
export interface RedisClient {
  eval(script: string, options: { keys: string[]; arguments: string[] }): Promise<unknown>
}

// Each script is one atomic step. KEYS: the turn, the fence of all turns, those who wait for this one.
const takeScript = `
if redis.call('SET', KEYS[1], ARGV[1], 'NX', 'PX', ARGV[2]) then
  redis.call('ZREM', KEYS[3], ARGV[1])
  return redis.call('INCR', KEYS[2])
end
return 0`
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

/**
 * A store whose turns hold across processes. A holder that dies keeps its turn until its lease runs out. The fence counts
 * all turns of one prefix, so it grows with every turn of a key.
 *
 * @param prefix Before the names of all its keys.
 * @example
 * const client = await createClient({ url }).connect()
 * const app = intake({ endpoints, turns: redisTurns(client) })
 */
export function redisTurns(client: RedisClient, prefix = 'turns'): TurnStore {
  return {
    async take(scope, key, { wait, lease, waiters, signal }) {
      const token = randomUUID()
      const id = `${prefix}:${scope}:${key}`
      const keys = [id, `${prefix}:fence`, `${id}:waiting`]
      const run = (script: string, ...more: (string | number)[]) =>
        client.eval(script, { keys, arguments: [token, ...more.map(String)] }).then(Number)
      const until = Date.now() + wait
      let isWaiting = false
      try {
        for (let pause = 5; ; pause = Math.min(100, pause * 2)) {
          const fence = await run(takeScript, lease)
          if (fence > 0) {
            return {
              fence: BigInt(fence),
              renew: async () => (await run(renewScript, lease)) === 1,
              release: async () => void (await run(releaseScript)),
            }
          }
          const left = until - Date.now()
          if (left <= 0 || signal.aborted) return 'busy'
          if (!isWaiting) {
            isWaiting = (await run(waitScript, Date.now(), until, waiters, wait + 1000)) === 1
            if (!isWaiting) return 'full'
          }
          // Not all at once: who waits comes back a little apart from the others.
          await sleep(Math.min(left, pause * (0.5 + Math.random())), undefined, { signal }).catch(() => undefined)
        }
      } finally {
        if (isWaiting) await run(leaveScript).catch(() => undefined)
      }
    },
  }
}
