/** What kinds of days and instants have in common: limits that the clock moves, and a zone. */
import { byClock, isRelative } from '../grammar/times.js'
import { isZone } from '../grammar/zones.js'
import type { Node, Refuse } from './kind.js'

/** A limit by the clock. */
export type Limit<L> = (now: number) => L
interface Limited<D> {
  readonly from?: D
  readonly until?: D
}

/** The limits of a node, made once for each; they are worked out again when the clock has moved. */
/* @__NO_SIDE_EFFECTS__ */
export function limitsByClock<N extends Limited<D>, D, L>(work: (declared: D, now: number, node: N) => L) {
  const known = new WeakMap<N, { readonly from: Limit<L> | undefined; readonly until: Limit<L> | undefined }>()
  return (node: N) => {
    const found = known.get(node)
    if (found) return found
    const limit = (declared: D | undefined) =>
      declared === undefined ? undefined : byClock((now) => work(declared, now, node))
    const made = { from: limit(node.from), until: limit(node.until) }
    known.set(node, made)
    return made
  }
}

/** Whether the clock of a judgement moves a limit of a field. */
export const isByClock = ({ kind, from, until }: Node & Limited<unknown>): boolean =>
  (kind === 'day' || kind === 'instant') && (isRelative(from) || isRelative(until))

export function checkZone(zone: string | undefined, refuse: Refuse): void {
  if (zone !== undefined && !isZone(zone))
    refuse(`"${zone}" is no time zone`, 'Give an IANA name such as Europe/Vienna', 'zone')
}
