/** Turns: one request per key at a time, from before the lookups until the handler has settled. */

import { rootOf } from '../declare/endpoint.js'
import type { TurnNode } from '../declare/lookups.js'
import type { Node } from '../kinds/kind.js'
import { nodesAt } from '../kinds/locate.js'
import { sameAs } from '../kinds/same.js'
import { type Deadline, startDeadline, startTimer } from '../read/deadline.js'
import { type Path, parseAddress, valueAt } from '../terms/address.js'
import type { TakenTurn, TurnStore } from '../terms/hooks.js'
import type { Parts } from '../terms/parts.js'
import { statusFor } from '../terms/statuses.js'
import type { RequestTelemetry } from '../terms/telemetry.js'
import { readSpan } from '../terms/units.js'
import { type LateSignal, withSignal } from './signal.js'
import type { AcceptedJudgement } from './stages.js'
import { retryAfter } from './statuses.js'
import { type Rejection, reject, thrown } from './verdict.js'
import { withWho } from './who.js'

interface Line {
  holder: Holder | undefined
  readonly waiting: Set<() => void>
}
interface Holder {
  /** Ends the turn, unless it is renewed before. */
  lease: Deadline | undefined
}

/** Turns within one process. Those who wait are let in as they came. */
export function memoryTurns(): TurnStore & { readonly size: number } {
  const lines = new Map<string, Line>()
  let fence = 0n
  const end = (id: string, line: Line, holder: Holder) => {
    holder.lease?.off()
    if (line.holder !== holder) return
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
    async take(scope, key, options) {
      const { wait, lease, waiters } = options
      const id = `${scope} ${key}`
      const line = lines.get(id) ?? { holder: undefined, waiting: new Set() }
      lines.set(id, line)
      if (line.holder || line.waiting.size > 0) {
        if (wait <= 0) return 'busy'
        if (line.waiting.size >= waiters) return 'full'
        // Whoever holds it ends the line, if no request waits any more.
        if (!(await waitFor(line, wait, options.signal))) return 'busy'
      }
      const holder: Holder = { lease: undefined }
      line.holder = holder
      // A deadline, not a time: if nothing of the process could run, the turn could not be renewed either, and must not
      // end. Deadlines are reached in the order in which they are due, so a renewal that was due comes first.
      const begin = () => {
        holder.lease?.off()
        holder.lease = startFor(lease)(lease, () => end(id, line, holder))
      }
      begin()
      return {
        fence: ++fence,
        async renew() {
          if (line.holder !== holder) return false
          begin()
          return true
        },
        holds: () => line.holder === holder,
        async release() {
          end(id, line, holder)
        },
      }
    },
  }
}

/** A short lease has to be kept to the millisecond; one timer looks after all long ones. */
const startFor = (lease: number) => (lease < 1000 ? startTimer : startDeadline)

const reserved: Holder = { lease: undefined }

/** Waits at the end of a line; whether the turn came. */
function waitFor(line: Line, wait: number, signal: AbortSignal): Promise<boolean> {
  if (signal.aborted) return Promise.resolve(false)
  return new Promise((resolve) => {
    const end = (came: boolean) => {
      line.waiting.delete(come)
      late.off()
      signal.removeEventListener('abort', gone)
      resolve(came)
    }
    const come = () => {
      // No other request may step in between now and when the one who waited goes on.
      line.holder = reserved
      end(true)
    }
    const gone = () => end(false)
    const late = startDeadline(wait, gone)
    line.waiting.add(come)
    signal.addEventListener('abort', gone)
  })
}

/** A turn while a request has it: renewed until it is released, or has been held for the longest time. */
export interface HeldTurn {
  readonly fence: bigint
  holds(): boolean
  release(): Promise<void>
}

interface KeyPart {
  readonly path: Path
  readonly same: ReturnType<typeof sameAs>
}
const keyParts = /* @__PURE__ */ new WeakMap<Node, Map<TurnNode, readonly KeyPart[]>>()
/** What the key of a turn is made of. */
function keysOf(turn: TurnNode, root: Node): readonly KeyPart[] {
  const known = keyParts.get(root) ?? new Map<TurnNode, readonly KeyPart[]>()
  keyParts.set(root, known)
  let parts = known.get(turn)
  if (!parts) {
    parts = turn.by.map((address) => {
      const path = parseAddress(address) as Path
      return { path, same: sameAs(nodesAt(root, path)) }
    })
    known.set(turn, parts)
  }
  return parts
}

/** Takes the turn of a request that was accepted so far. */
export async function takeTurn(
  judged: AcceptedJudgement,
  turn: TurnNode,
  store: TurnStore,
  signal: LateSignal,
): Promise<HeldTurn | Rejection> {
  const { name, endpoint } = judged.opened.destination
  const [wait, lease, longest] = [turn.wait ?? '0s', turn.lease ?? '30s', turn.longest ?? '5m'].map(readSpan) as [
    number,
    number,
    number,
  ]
  const input = withWho(endpoint, judged.verdict.input as Parts, { who: judged.who })
  const keyed = keysOf(turn, rootOf(endpoint, judged.opened.body))
  const key = JSON.stringify(keyed.map(({ path, same }) => same(valueAt(input, path) ?? null)))
  const { trace, telemetry } = judged.opened.run
  const rejected = (status: number, variant?: string, cause?: unknown): Rejection => {
    trace?.steps.push({ stage: 'turn', outcome: 'failed' })
    const faults =
      variant === undefined ? [] : [{ path: keyed[0]?.path ?? ['path'], stage: 'turn' as const, code: 'busy', variant }]
    return reject(name, faults, { status, stage: 'turn', headers: retryAfter, trace, house: judged.opened.app, cause })
  }
  let taken: TakenTurn | 'busy' | 'full'
  const waited = telemetry?.waits(turn.of)
  try {
    taken = await store.take(turn.of, key, withSignal({ wait, lease, waiters: turn.waiters ?? 100 }, signal))
  } catch (cause) {
    waited?.('failed')
    return rejected(statusFor('unavailable', endpoint.statuses), undefined, thrown(cause))
  }
  waited?.(typeof taken === 'string' ? taken : 'taken')
  if (taken === 'busy') return rejected(statusFor('turn', endpoint.statuses, 'busy'), 'held')
  if (taken === 'full') return rejected(statusFor('unavailable', endpoint.statuses), 'full')
  trace?.steps.push({ stage: 'turn', outcome: 'passed' })
  return hold(taken, lease, longest, signal, telemetry && { of: turn.of, telemetry })
}

/**
 * A store has this long to let go of a turn: no answer waits longer. What cannot be released ends with its lease.
 */
const releaseWithin = 1000

/**
 * Holds a turn. By the clock of this process its lease ends a tenth before it ends for others, counted from when it was
 * last asked for: so who cannot reach the store has been told before anybody else is let in.
 */
function hold(
  taken: TakenTurn,
  lease: number,
  longest: number,
  signal: LateSignal,
  measured: { readonly of: string; readonly telemetry: RequestTelemetry } | undefined,
): HeldTurn {
  const since = performance.now()
  const own = lease * 0.9
  const start = startFor(lease)
  let until = (taken.since ?? since) + own
  let ending: Deadline | undefined
  let renewing: Deadline | undefined
  let isLost = false
  const stop = () => {
    renewing?.off()
    ending?.off()
  }
  const lose = (why: string) => {
    isLost = true
    stop()
    measured?.telemetry.turn(measured.of, 'lost')
    signal.abort(new DOMException(why, 'TimeoutError'))
  }
  const renew = () => {
    const asked = performance.now()
    if (asked - since >= longest) return lose('The turn was held for its longest time')
    taken.renew().then(
      (isOurs) => {
        if (isOurs) {
          until = asked + own
          measured?.telemetry.turn(measured.of, 'renewed')
        } else lose('Another request has the turn')
      },
      () => undefined,
    )
  }
  const renewAgain = () => {
    renewing = start(Math.max(10, Math.min(lease / 3, longest)), () => {
      renewAgain()
      renew()
    })
  }
  renewAgain()
  const look = () => {
    const left = until - performance.now()
    if (left <= 0) lose('The turn could not be renewed')
    else ending = start(Math.max(1, left), look)
  }
  look()
  return {
    fence: taken.fence,
    holds() {
      // After a standstill the handler may go on before any timer does.
      if (!isLost && !(taken.holds?.() ?? performance.now() < until)) lose('The turn could not be renewed')
      return !isLost
    },
    async release() {
      if (!isLost) measured?.telemetry.held(measured.of, (performance.now() - since) / 1000)
      isLost = true
      stop()
      let timer: ReturnType<typeof setTimeout> | undefined
      const late = new Promise<void>((resolve) => {
        timer = setTimeout(resolve, releaseWithin)
      })
      await Promise.race([taken.release().catch(() => undefined), late])
      clearTimeout(timer)
    },
  }
}
