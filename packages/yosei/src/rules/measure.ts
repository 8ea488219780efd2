/** What values are compared as: two of different measures do not compare. */

import { compareDecimals, isDecimal } from '../grammar/numbers.js'
import { readInstant, readTime, writeDuration, writeInstant } from '../grammar/times.js'
import { measuresOf } from '../kinds/brought.js'
import type { Measure, Node } from '../kinds/kind.js'
import { isSecret, nodesAt, shapesAt } from '../kinds/locate.js'
import { Moment } from '../kinds/phrase.js'
import { sameAs } from '../kinds/same.js'
import type { Path } from '../terms/address.js'
import type { Mistake } from '../terms/mistake.js'
import { declaredAt } from './input.js'

/** What the values at a path are compared as: several where a union lies there. */
export const measuresAt = (root: Node, path: Path): readonly Measure[] => [
  ...new Set(shapesAt(root, path).flatMap(measuresOf)),
]

const haveOrder: readonly Measure[] = ['number', 'duration', 'instant', 'date', 'time', 'time of day', 'text', 'own']
export const areTimes: readonly Measure[] = ['instant', 'date', 'time', 'time of day']

/** One of these addresses holds values of which none comes before another. */
export function withoutOrder(
  reads: readonly string[],
  measuresOf: (address: string) => readonly Measure[],
): Mistake | undefined {
  const odd = reads.find((address) => {
    const measures = measuresOf(address)
    return measures.length > 0 && !measures.some((one) => haveOrder.includes(one))
  })
  if (odd === undefined) return undefined
  return [
    `${odd} holds values that have no order`,
    `Name ${reads.length === 1 ? 'a field' : 'fields'} of numbers, times or texts`,
  ]
}

/** Values of different kinds have nothing to be compared by. */
export function unlike(
  by: string,
  reads: readonly string[],
  measuresOf: (address: string) => readonly Measure[],
  hasOrder: boolean,
): Mistake | undefined {
  const [first, second] = reads.map(measuresOf) as [readonly Measure[], readonly Measure[]]
  const isFree = (measures: readonly Measure[]) => measures.length === 0 || measures.includes('own')
  const wrong = hasOrder ? withoutOrder(reads, measuresOf) : undefined
  if (wrong) return wrong
  if (isFree(first) || isFree(second) || first.some((measure) => second.includes(measure))) return undefined
  return [
    `${reads[0]} is a ${first.join(' or ')} and ${reads[1]} a ${second.join(' or ')}, which do not compare`,
    `Give ${by} two fields of one kind`,
  ]
}

const known = new WeakMap<Node, Map<string, readonly Measure[]>>()

/** The measures of a declared path, found once; `name` names the path. */
function measuresKnown(root: Node, name: string, path: Path): readonly Measure[] {
  const names = known.get(root) ?? new Map<string, readonly Measure[]>()
  known.set(root, names)
  const found = names.get(name) ?? measuresAt(root, path)
  names.set(name, found)
  return found
}

/** What is declared at an address of a rule, found once. */
export interface About {
  readonly measures: readonly Measure[]
  readonly isSecret: boolean
}
const abouts = new WeakMap<Node, Map<string, About>>()
export function aboutAt(root: Node, base: Path, address: string, path: Path): About {
  const names = abouts.get(root) ?? new Map<string, About>()
  abouts.set(root, names)
  const name = base.length === 0 ? address : `${base.join()} ${address}`
  const found = names.get(name) ?? {
    measures: measuresAt(root, declaredAt(address, { base })),
    isSecret: isSecret(root, path),
  }
  names.set(name, found)
  return found
}

/** A value as a client writes it. */
export const toldAt = (root: Node, path: Path, value: unknown): unknown =>
  value instanceof Date ? writeInstant(value) : told(value, () => measuresAt(root, path))
/** The same for the words of an error, if it is known what is declared there. */
export const told = (value: unknown, measures: () => readonly Measure[]): unknown =>
  value instanceof Date
    ? new Moment(value)
    : typeof value !== 'object' && measures().includes('duration')
      ? writeDuration(Number(value))
      : value

export type { Measure }

/** Below, at or above zero as `a` comes before, with or after `b`; NaN if they have no order and differ. */
export type Order = (a: unknown, b: unknown) => number

/** How values at a path compare with others: texts by what they stand for. */
export function orderAt(root: Node, path: Path, name?: string): Order {
  let found: readonly Measure[] | undefined
  return (a, b) => {
    if (isList(a) || isList(b)) {
      const same = sameAs(nodesAt(root, path))
      return same(a) === same(b) ? 0 : Number.NaN
    }
    if (typeof a !== 'string' && typeof b !== 'string') return plainOrder(a, b)
    found ??= measuresKnown(root, name ?? path.join(), path)
    return found.includes('number') && isNumeric(a) && isNumeric(b)
      ? compareDecimals(String(a), String(b))
      : found.includes('instant')
        ? plainOrder(timeOf(a, readInstant), timeOf(b, readInstant))
        : found.includes('time')
          ? plainOrder(timeOf(a, readTime), timeOf(b, readTime))
          : plainOrder(a, b)
  }
}

const isNumeric = (value: unknown) => (typeof value === 'string' ? isDecimal(value) : typeof value !== 'object')
const timeOf = (value: unknown, read: (text: string) => unknown) =>
  value instanceof Date ? value.getTime() : typeof value === 'string' ? read(value) : value

function plainOrder(a: unknown, b: unknown): number {
  if (a === b) return 0
  if (a instanceof Date && b instanceof Date) return a.getTime() - b.getTime()
  if (typeof a !== typeof b && !(isAnyNumber(a) && isAnyNumber(b))) return Number.NaN
  const [left, right] = [a as number, b as number]
  return left < right ? -1 : left > right ? 1 : left >= right ? 0 : Number.NaN
}
/** What has an order by none of its parts. */
const isList = (value: unknown) =>
  (typeof value === 'object' && value !== null && !(value instanceof Date)) || typeof value === 'function'
const isAnyNumber = (value: unknown) => typeof value === 'number' || typeof value === 'bigint'
