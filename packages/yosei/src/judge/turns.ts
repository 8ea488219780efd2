/** Turns: one request per key at a time, from before the lookups until the handler has settled. */

import { canonical } from '../compile/canonical.js'
import { type Path, parseAddress, valueAt } from '../declare/address.js'
import type { TakenTurn, TurnStore } from '../declare/hooks.js'
import type { TurnNode } from '../declare/lookups.js'
import { readSpan } from '../declare/units.js'
import type { LateSignal } from './signal.js'
import type { AcceptedJudgement } from './stages.js'
import { retryAfter, statusFor } from './statuses.js'
import { type Rejection, reject } from './verdict.js'

interface Line {
  holder: { readonly fence: bigint; until: number } | undefined
  readonly waiting: Set<() => void>
}

/** Turns within one process. Those who wait are let in as they came. */
export function memoryTurns(): TurnStore & { readonly size: number } {
  const lines = new Map<string, Line>()
  let fence = 0n
  const freed = (id: string, line: Line) => {
    line.holder = undefined
    const [next] = line.waiting
    if (next) next()
    else if (lines.get(id) === line) lines.delete(id)
  }
  return {
    /** Keys that are held, or waited for. */
    get size() {
      return lines.size
    },
    async take(scope, key, { wait, lease, waiters, signal }) {
      const id = `${scope} ${key}`
      const line = lines.get(id) ?? { holder: undefined, waiting: new Set() }
      lines.set(id, line)
      const isFree = () => !line.holder || line.holder.until <= Date.now()
      if (!isFree() || line.waiting.size > 0) {
        if (wait <= 0) return 'busy'
        if (line.waiting.size >= waiters) return 'full'
        if (!(await waitFor(line, isFree, wait, signal))) {
          if (line.waiting.size === 0 && !line.holder) lines.delete(id)
          return 'busy'
        }
        lines.set(id, line)
      }
      fence++
      const holder = { fence, until: Date.now() + lease }
      line.holder = holder
      return {
        fence,
        async renew() {
          if (line.holder !== holder) return false
          holder.until = Date.now() + lease
          return true
        },
        async release() {
          if (line.holder === holder) freed(id, line)
        },
      }
    },
  }
}

const reserved = { fence: 0n, until: Number.POSITIVE_INFINITY }

/** Waits at the end of a line; whether the turn came. A lease that runs out frees it as well. */
function waitFor(line: Line, isFree: () => boolean, wait: number, signal: AbortSignal): Promise<boolean> {
  if (signal.aborted) return Promise.resolve(false)
  return new Promise((resolve) => {
    const end = (came: boolean) => {
      line.waiting.delete(come)
      clearTimeout(timer)
      clearInterval(looking)
      signal.removeEventListener('abort', gone)
      resolve(came)
    }
    const come = () => {
      // Nobody may step in between now and when the one who waited goes on.
      line.holder = reserved
      end(true)
    }
    const gone = () => end(false)
    const timer = setTimeout(gone, wait)
    const looking = setInterval(() => {
      const [first] = line.waiting
      if (first === come && isFree()) come()
    }, 50)
    line.waiting.add(come)
    signal.addEventListener('abort', gone)
  })
}

/** A turn while a request has it: renewed until it is released, or has been held for the longest time. */
export interface HeldTurn {
  readonly fence: bigint
  release(): Promise<void>
}
export interface NotTaken {
  readonly rejection: Rejection
  readonly cause?: unknown
}

/** Takes the turn of a request that was accepted so far. */
export async function takeTurn(
  judged: AcceptedJudgement,
  turn: TurnNode,
  store: TurnStore,
  signal: LateSignal,
): Promise<HeldTurn | NotTaken> {
  const { name, endpoint } = judged.opened.destination
  const [wait, lease, longest] = [turn.wait ?? '0s', turn.lease ?? '30s', turn.longest ?? '5m'].map(readSpan) as [number, number, number]
  const paths = turn.by.map((address) => parseAddress(address) as Path)
  const key = canonical(paths.map((path) => valueAt(judged.verdict.input, path) ?? null))
  const { trace } = judged.opened
  const rejected = (status: number, variant?: string): Rejection => {
    trace?.steps.push({ stage: 'turn', outcome: 'failed' })
    const faults = variant === undefined ? [] : [{ path: paths[0] ?? ['path'], stage: 'turn' as const, code: 'busy', variant }]
    return reject(name, faults, { status, stage: 'turn', headers: retryAfter, trace, words: judged.opened.app.languages })
  }
  let taken: TakenTurn | 'busy' | 'full'
  try {
    taken = await store.take(turn.of, key, { wait, lease, waiters: turn.waiters ?? 100, signal: signal.signal })
  } catch (cause) {
    return { rejection: rejected(statusFor('unavailable', endpoint.statuses)), cause }
  }
  if (taken === 'busy') return { rejection: rejected(statusFor('turn', endpoint.statuses), 'held') }
  if (taken === 'full') return { rejection: rejected(statusFor('unavailable', endpoint.statuses), 'full') }
  trace?.steps.push({ stage: 'turn', outcome: 'passed' })
  return hold(taken, lease, longest, signal)
}

function hold(taken: TakenTurn, lease: number, longest: number, signal: LateSignal): HeldTurn {
  const since = Date.now()
  const lose = (why: string) => {
    clearInterval(renewing)
    signal.abort(new DOMException(why, 'TimeoutError'))
  }
  const renewing = setInterval(
    () => {
      if (Date.now() - since >= longest) return lose('The turn was held for its longest time')
      taken.renew().then(
        (isOurs) => isOurs || lose('The turn went to somebody else'),
        () => undefined,
      )
    },
    Math.max(10, Math.min(lease / 3, longest)),
  )
  return {
    fence: taken.fence,
    async release() {
      clearInterval(renewing)
      // What cannot be released ends with its lease.
      await taken.release().catch(() => undefined)
    },
  }
}
