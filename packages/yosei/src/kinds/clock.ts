/** What kinds of days and instants have in common: limits that the clock moves, and a zone. */
import { byClock, isRelative } from '../grammar/times.js'
import { isZone } from '../grammar/zones.js'
import type { Node, Refuse } from './kind.js'
import { type Bound, bounds } from './scalar.js'

export const timeWords = {
  unreal_date: 'must be a date and time that exist',
  too_early: 'must not be before {limit}',
  too_late: 'must not be after {limit}',
}

/** The limits of a node; what the clock moves is worked out again when it has moved. */
export function boundsByClock<D, L>(
  { from, until }: { readonly from?: D; readonly until?: D },
  work: (declared: D, now: number) => L,
): readonly Bound<L>[] {
  const limit = (declared: D | undefined) =>
    declared === undefined
      ? undefined
      : isRelative(declared)
        ? byClock((now) => work(declared, now))
        : work(declared, 0)
  return bounds<L>(['>=', limit(from), 'too_early'], ['<=', limit(until), 'too_late'])
}

interface Limited<D> {
  readonly from?: D
  readonly until?: D
}
/** Whether the clock of a judgement moves a limit of a field. */
export const isByClock = ({ kind, from, until }: Node & Limited<unknown>): boolean =>
  (kind === 'day' || kind === 'instant') && (isRelative(from) || isRelative(until))

export function checkZone(zone: string | undefined, refuse: Refuse): void {
  if (zone !== undefined && !isZone(zone))
    refuse(`"${zone}" is no time zone`, 'Give an IANA name such as Europe/Vienna', 'zone')
}
