/** Values that a declaration takes, in the form in which a client sends them. One maker for each kind. */

import { startRun } from '../engine/interpret.js'
import { compareDecimals, isMultiple } from '../grammar/numbers.js'
import { readDeclaredDay, readMoment, writeDuration, writeTimeOfDay } from '../grammar/times.js'
import { childrenOf } from '../kinds/brought.js'
import type { Kind, Kinds, Node } from '../kinds/kind.js'
import { comparedIn, type ListNode } from '../kinds/list.js'
import type { Limits } from '../kinds/number.js'
import { readNode } from '../kinds/reading.js'
import { resolve } from '../kinds/resolve.js'
import type { Source } from '../kinds/run.js'
import { sameAs } from '../kinds/same.js'
import { sentShape, sizeOf } from '../kinds/shape.js'
import type { TableNode } from '../kinds/table.js'
import type { TextNode } from '../kinds/text.js'
import { weekdayOf } from '../kinds/weekdays.js'
import { unknownType } from '../read/form.js'
import { valueAt } from '../terms/address.js'
import { isPlain } from '../terms/option-types.js'
import { isEmpty, put } from '../terms/own.js'
import { readSize, readSpan } from '../terms/units.js'
import { largestFile, makeFile } from './files.js'
import { day, dayText, intoCalendar, momentText } from './moments.js'
import { between, greatest, least, oneOf, type Pick, randomly, Unmakeable } from './pick.js'
import { textOf } from './texts.js'

/** What a value is made for. */
export interface Making {
  readonly pick: Pick
  /** Picks where values have to differ. */
  readonly random: Pick
  readonly source: Source
  /** The clock of the judgement, in milliseconds. */
  readonly now: number
  /** How many declarations that hold themselves it stands in. */
  readonly depth: number
  /** Whether what cannot be made is left out. */
  readonly isLenient?: boolean
  /** Values that were accepted where a declaration stands. */
  readonly known: (node: Node) => readonly unknown[]
}

export const makingOf = (now: Date, seed: number): Making => ({
  pick: least,
  random: randomly(seed),
  source: 'json',
  now: now.getTime(),
  depth: 0,
  known: () => [],
})

type Maker<N> = (node: N, making: Making) => unknown

/** Lists of more are not made. */
export const mostElements = 10_000
/** Below so many declarations that hold themselves, the least is made; below so many, nothing. */
const shallow = 2
const deepest = 12

const makers: { readonly [K in Kind]: Maker<Kinds[K]> } = {
  text: (node, { pick, source }) => textOf(node, pick, shortest(node, source)),
  integer: (node, { pick }) => numberOf(node, true, pick),
  number: (node, { pick }) => numberOf(node, Boolean(node.whole), pick),
  bigInteger: (node, { pick }) => String(bigIntegerOf(node, pick)),
  decimal: ({ min, max, digits, scale }, { pick }) => {
    const places = Math.min(scale ?? 2, digits ?? 2)
    const whole = (digits ?? 6) - places
    const most = `${whole > 0 ? '9'.repeat(whole) : '0'}${places > 0 ? `.${'9'.repeat(places)}` : ''}`
    const low = min ?? (max !== undefined && compareDecimals(max, '0') < 0 ? `-${most}` : '0')
    const high = max ?? most
    const share = pick()
    if (share === 0) return low
    if (share === 1) return high
    const [from, to] = [Number(low), Number(high)]
    const found = (from + share * (to - from)).toFixed(Math.min(places, 15))
    return compareDecimals(found, low) < 0 || compareDecimals(found, high) > 0 ? low : found
  },
  flag: (_, { pick }) => pick() > 0.5,
  instant: ({ from, until, zone }, { pick, now }) => {
    const earliest = from === undefined ? undefined : readMoment(from, now, zone)
    const latest = until === undefined ? undefined : readMoment(until, now, zone)
    const low = earliest ?? intoCalendar(Math.min(now, (latest ?? now) - day))
    return momentText(between(pick, low, latest ?? intoCalendar(low + 400 * day)))
  },
  day: ({ from, until, zone, weekdays }, { pick, now }) => {
    const [earliest, latest] = [from, until].map((limit) => limit && readDeclaredDay(limit, now, zone))
    const low = earliest ?? dayText(latest === undefined ? now : intoCalendar(Date.parse(latest) - 30 * day))
    const high = latest ?? dayText(intoCalendar(Date.parse(low) + 400 * day))
    const found = between(pick, Date.parse(low) / day, Date.parse(high) / day) * day
    // The nearest on such a day, within the limits.
    const near = [0, 1, -1, 2, -2, 3, -3, 4, -4, 5, -5, 6, -6].map((by) => found + by * day)
    const fits = (time: number) =>
      time >= Date.parse(low) && time <= Date.parse(high) && (!weekdays || weekdays.includes(weekdayOf(time)))
    const time = near.find(fits)
    if (time === undefined) throw new Unmakeable('no such day of the week is within its limits')
    return dayText(time)
  },
  timeOfDay: ({ from = '00:00', until = '23:59:59' }, { pick }) => {
    const seconds = (time: string) =>
      writeTimeOfDay(time)
        .split(':')
        .reduce((sum, part) => sum * 60 + Number(part), 0)
    const found = between(pick, seconds(from), seconds(until))
    return [found / 3600, (found / 60) % 60, found % 60]
      .map((part) => String(Math.floor(part)).padStart(2, '0'))
      .join(':')
  },
  duration: ({ min = '0s', max }, { pick }) => {
    const low = readSpan(min)
    return writeDuration(between(pick, low / 1000, (max === undefined ? low + 3_600_000 : readSpan(max)) / 1000) * 1000)
  },
  choice: ({ values }, { pick, source }) => {
    // An empty text counts as not sent if there is nothing but text.
    const sendable = source === 'text' ? values.filter((value) => value !== '') : values
    if (sendable.length === 0) throw new Unmakeable('nothing of it can be sent')
    return oneOf(pick, sendable)
  },
  constant: ({ value }, { source }) => {
    if (value === '' && source === 'text') throw new Unmakeable('nothing of it can be sent')
    return value
  },
  list: (node, making) => {
    const isLow = making.depth > shallow || readOnlyOf(node.item)
    return elementsOf(node, countOf(node.length ?? [0, 3], 3, isLow, making), making)
  },
  tuple: ({ items }, making) => items.map((item) => make(item, making)),
  record: ({ fields }, making) => {
    const made: { [name: string]: unknown } = {}
    for (const [name, field] of Object.entries(fields)) if (isSent(field, making)) putMade(made, name, field, making)
    return made
  },
  table: (node, making) => {
    const isLow = making.depth > shallow || readOnlyOf(node.value)
    return entriesOf(node, countOf(node.length ?? [0, 2], 4, isLow, making), making)
  },
  tagged: ({ tag, branches }, making) => {
    const [value, made] = firstMade(Object.entries(branches), making)
    return { [tag]: value, ...(made as object) }
  },
  either: ({ branches }, making) => firstMade(Object.entries(branches), making)[1],
  later: (node, making) => {
    if (making.depth >= deepest) throw new Unmakeable('it holds itself without end')
    const depth = making.depth + 1
    return make(resolve(node), { ...making, depth, ...(depth > shallow ? { pick: () => 0 } : {}) })
  },
  readAs: (node, making) => {
    const known = [...(node.examples ?? []), ...making.known(node), ...(node.base.examples ?? [])]
    return known.length > 0 ? oneOf(making.pick, known) : make(node.base, making)
  },
  anything: () => 'anything',
  schema: ({ judge, base, examples = [] }, making) => {
    for (const one of examples) if (judge.holds(one)) return one
    // As asked for, with all that may be left out, and otherwise.
    const picks = [making.pick, () => 0.99, ...Array.from({ length: 30 }, () => making.random)]
    for (const pick of base ? picks : []) {
      const one = make(base as Node, { ...making, pick })
      if (judge.holds(one)) return one
    }
    const sample = judge.isRest ? undefined : judge.sample()
    if (sample === undefined) throw new Unmakeable('no value of its schema was found')
    return sample
  },
  file: ({ bytes, types = [unknownType] }, { pick }) => {
    const most = readSize(bytes ?? 10)
    return makeFile(types[0] as string, between(pick, 1, most > largestFile ? 10 : most))
  },
}

/** An empty text counts as not sent if there is nothing but text. */
export const shortest = ({ keepEmpty }: TextNode, source: Source): number => (source === 'text' && !keepEmpty ? 1 : 0)

/**
 * A value that a node takes, as it is sent.
 *
 * @throws Unmakeable if none is found.
 */
export function make(node: Node, making: Making): unknown {
  if (readOnlyOf(node) === true) throw new Unmakeable('it is set by the server')
  if (leastValues(node) > largestNeeded) throw new Unmakeable('its smallest value is too large')
  try {
    const source = sourceAt(node, making.source)
    return (makers[node.kind] as Maker<Node>)(node, source === making.source ? making : { ...making, source })
  } catch (error) {
    if (!(error instanceof Unmakeable)) throw error
    const known = [...(node.examples ?? []), ...making.known(node)]
    if (known.length === 0) throw error
    return oneOf(making.pick, known)
  }
}

/** Where the values of a node come from, if those about it come from a source. */
export const sourceAt = ({ coerce }: Node, around: Source): Source =>
  coerce === undefined || around === 'text' ? around : coerce ? 'coerced' : 'json'

/** What is made for a name or a part that is sent. An object without names is nothing if there is nothing but text. */
export function makeSent(node: Node, making: Making): unknown {
  const made = make(node, making)
  const isNothing = making.source === 'text' && isPlain(made) && isEmpty(made)
  return isNothing ? make(node, { ...making, pick: greatest }) : made
}

function putMade(made: { [name: string]: unknown }, name: string, field: Node, making: Making): void {
  try {
    put(made, name, makeSent(field, making))
  } catch (error) {
    if (!(making.isLenient && error instanceof Unmakeable)) throw error
  }
}

function isSent(field: Node, { pick, depth }: Making): boolean {
  if (readOnlyOf(field)) return false
  // What would be too much is left out where it may be.
  return isNeeded(field) || (depth <= shallow && pick() > 0.5 && sizeOf(field, childrenOf) <= mostValues)
}
/** Values of more declarations are not made if they may be left out; or at all. */
const mostValues = 10_000
const largestNeeded = 1_000_000

const needs = new WeakMap<Node, number>()
/** How many values one has at least. */
function leastValues(node: Node): number {
  const known = needs.get(node)
  if (known !== undefined) return known
  const isUnion = node.kind === 'either' || node.kind === 'tagged'
  const inner = node.kind === 'later' ? [] : childrenOf(node).filter(([, child]) => isUnion || isNeeded(child))
  const all = inner.map(([, child]) => leastValues(child))
  const count = node.kind === 'list' || node.kind === 'table' ? (node.length?.[0] ?? 0) : 1
  const least = 1 + (isUnion ? Math.min(...all) : count * all.reduce((sum, one) => sum + one, 0))
  needs.set(node, least)
  return least
}

/** Whether the server sets it: what stands for another declaration is as that one is. */
export const readOnlyOf = (node: Node): Node['readOnly'] =>
  node.kind === 'readAs' ? readOnlyOf(node.base) : node.kind === 'later' ? undefined : node.readOnly

/** Whether a value must be sent: what stands for another declaration is absent as that one is. */
export const isNeeded = (node: Node): boolean =>
  node.kind === 'readAs'
    ? isNeeded(node.base)
    : node.need === 'required' && (node.kind !== 'later' || isNeeded(resolve(node)))

/** The branch that is picked; where it comes to no end, the first that does. */
function firstMade(
  branches: readonly (readonly [name: string, branch: Node])[],
  making: Making,
): readonly [name: string, made: unknown] {
  const first = Math.min(branches.length - 1, Math.floor(making.pick() * branches.length))
  let why: unknown
  for (const [name, branch] of [...branches.slice(first), ...branches.slice(0, first)])
    try {
      return [name, make(branch, making)]
    } catch (error) {
      if (!(error instanceof Unmakeable)) throw error
      why ??= error
    }
  throw why
}

/** How many elements or entries are made: about as many as are enough. None cannot be sent as text. */
function countOf([low, high]: readonly [number, number], enough: number, isLow: unknown, making: Making): number {
  const least = making.source === 'text' ? Math.min(high, Math.max(low, 1)) : low
  return isLow ? least : between(making.pick, least, Math.min(high, Math.max(least, enough)))
}

/** So many elements of a list, different if they must be. */
export function elementsOf(list: ListNode, count: number, making: Making): unknown[] {
  const { item, distinct } = list
  const elements: unknown[] = []
  const seen = new Set<string>()
  const shape = sentShape(item)
  const keyOf = distinct ? keyIn(list, making) : () => undefined
  for (let index = 0; index < count; index++) {
    let made = make(item, making)
    let key = keyOf(made)
    for (let tries = 0; key !== undefined && seen.has(key) && tries < 60; tries++) {
      if (typeof distinct === 'string' && shape.kind === 'record') {
        const own = make(shape.fields[distinct] as Node, { ...making, pick: making.random })
        made = { ...(made as object), [distinct]: own }
      } else made = make(item, { ...making, pick: making.random })
      key = keyOf(made)
    }
    if (key !== undefined && seen.has(key)) throw new Unmakeable(`it does not allow ${count} different elements`)
    if (key !== undefined) seen.add(key)
    elements.push(made)
  }
  return elements
}

/** What makes an element the same as another, once it is read: what is left out may have a default. */
function keyIn(list: ListNode, { now, source }: Making): (made: unknown) => string | undefined {
  const same = sameAs(comparedIn(list))
  return (made) => {
    const read = readNode(list.item, made, source, startRun(now))
    const value = typeof list.distinct === 'string' ? valueAt(read, [list.distinct]) : read
    return value === undefined ? undefined : same(value)
  }
}

/** So many entries of a table. */
export function entriesOf({ names, value }: TableNode, count: number, making: Making): object {
  const made: { [name: string]: unknown } = {}
  const named: TextNode = { kind: 'text', need: 'required', ...(names ? { pattern: names } : {}) }
  for (let index = 0, tries = 0; index < count; ) {
    const name = textOf(named, index === 0 ? () => 0 : making.random, 1)
    if (Object.hasOwn(made, name)) {
      if (++tries > 100 + count) throw new Unmakeable(`it does not allow ${count} different names`)
      continue
    }
    put(made, name, make(value, making))
    index++
  }
  return made
}

/** The least and greatest that limits let be, if a value of their kind has the next smaller by `unit`. */
function numberOf(node: Limits<number>, isWhole: boolean, pick: Pick): number {
  const { min, above, max, below, step } = node
  const unit = step ?? (isWhole ? 1 : 0)
  const least = min ?? (above === undefined ? undefined : above + (unit || 0.001 * Math.max(1, Math.abs(above))))
  const most = max ?? (below === undefined ? undefined : below - (unit || 0.001 * Math.max(1, Math.abs(below))))
  const low = least ?? (most === undefined ? 0 : most - 100)
  const high = most ?? low + 100
  if (unit > 0) {
    // What is no multiple is no limit of multiples.
    const first = Math.ceil(plain(low / unit))
    const last = Math.floor(plain(high / unit))
    if (first > last) throw new Unmakeable(`no multiple of ${unit} lies within its limits`)
    const found = plain(between(pick, first, last) * unit)
    if (step !== undefined && !isMultiple(found, step)) throw new Unmakeable(`no multiple of ${step} is found`)
    return found
  }
  const share = pick()
  return share === 0 ? low : share === 1 ? high : plain(low + share * (high - low))
}
/** Without what binary fractions add. */
const plain = (value: number) => Number(value.toPrecision(12))

function bigIntegerOf({ min, above, max, below, step = 1n }: Limits<bigint>, pick: Pick): bigint {
  const least = min ?? (above === undefined ? undefined : above + 1n)
  const most = max ?? (below === undefined ? undefined : below - 1n)
  const low = least ?? (most === undefined ? 0n : most - 100n)
  const high = most ?? low + 100n * step
  const first = low >= 0n ? (low + step - 1n) / step : low / step
  const last = high >= 0n ? high / step : (high - step + 1n) / step
  if (first > last) throw new Unmakeable(`no multiple of ${step} lies within its limits`)
  return (first + BigInt(Math.round(pick() * Number(last - first)))) * step
}
