/**
 * Rules, on an input whose shape has been read. Each runs when all that it reads was read without error and, for most, is
 * present. First the values that are derived from others, then what must hold.
 */

import { weightOf } from '../grammar/accept.js'
import { compareDecimals } from '../grammar/numbers.js'
import { writeInstant } from '../grammar/times.js'
import type { Node } from '../kinds/kind.js'
import { isSecret, nodesAt } from '../kinds/locate.js'
import { addFault, addReading, type Fault, Place, type Run } from '../kinds/run.js'
import type { AnyCondition } from '../rules/conditions.js'
import type { AnyRule, FillRule, Found, PlacedRule } from '../rules/rules.js'
import { EACH, formatAddress, type Path, parseAddress, tellAddress, valueAt } from '../terms/address.js'
import { canonical } from '../terms/canonical.js'
import { put } from '../terms/own.js'
import type { Step } from '../terms/verdict.js'
import type { Parts } from './engine.js'

/** What rules are judged on; `root` declares the parts. */
export interface Matter {
  readonly root: Node
  readonly sent: Parts
  readonly input: Parts
  /** What the client would rather read. */
  readonly accept: string | undefined
}

/** Runs every rule that can run. */
export function runRules(rules: readonly PlacedRule[], matter: Matter, run: Run): void {
  if (rules.length === 0) return
  const wrong = wrongPlaces(run.faults)
  const [fills, others] = [rules.filter(isFill), rules.filter((one) => !isFill(one))]
  for (const placed of [...fills, ...others]) {
    for (const base of concrete(matter.input, placed.base, [])) {
      if (!placed.guards.every(({ path, value }) => valueAt(matter.input, settle(path, base)) === value)) continue
      runRule(placed.rule, base, matter, run, wrong)
    }
  }
}
const isFill = ({ rule }: PlacedRule) => rule.rule === 'fill'

/** A path whose first elements are those of another. */
const settle = (path: Path, base: Path): Path => path.map((key, index) => (key === EACH ? (base[index] ?? key) : key))

const waits = (rule: AnyRule) => !['needed', 'absent', 'together', 'exactlyOne', 'atLeastOne', 'atMostOne'].includes(rule.rule)

function runRule(rule: AnyRule, base: Path, matter: Matter, run: Run, wrong: WrongPlace): void {
  const at = (address: string) => pathOf(address, base)
  // With faults beyond those that are kept, nobody can say what a rule would read.
  const barred = rule.reads.find((address) => run.beyond > 0 || isWrongAt(wrong, at(address)))
  const lacking = waits(rule) ? rule.reads.find((address) => valueAt(matter.input, at(address)) === undefined) : undefined
  const runs = barred === undefined && lacking === undefined
  const found = runs ? judgeRule(rule, base, matter, run) : []
  for (const fault of found) addFault(run, fault)
  run.trace?.steps.push({
    stage: 'rules',
    name: `${rule.rule} ${rule.reads.join(' ')}`,
    ...(barred !== undefined
      ? notRun(`${barred} is wrong`)
      : lacking !== undefined
        ? notRun(`${lacking} was not sent`)
        : { outcome: found.length > 0 ? 'failed' : 'passed' }),
  })
}

const notRun = (because: string): Pick<Step, 'outcome' | 'because'> => ({ outcome: 'not run', because })

const paths = new Map<string, Path>()

/** The path of a declared address, taken apart once. */
function pathOf(address: string, base: Path = []): Path {
  const path = paths.get(address) ?? (parseAddress(address) as Path)
  paths.set(address, path)
  return base.length === 0 ? path : [...base, ...path]
}

/** The places of faults, as a tree of their steps, so that a rule finds those that concern it however many there are. */
interface WrongPlace {
  isFault: boolean
  readonly below: Map<string | number, WrongPlace>
}

function wrongPlaces(faults: readonly Fault[]): WrongPlace {
  const top: WrongPlace = { isFault: false, below: new Map() }
  for (const { path } of faults) {
    let place = top
    for (const key of path) {
      let next = place.below.get(key)
      if (!next) {
        next = { isFault: false, below: new Map() }
        place.below.set(key, next)
      }
      place = next
    }
    place.isFault = true
  }
  return top
}

/** Whether a fault keeps a rule from reading a path: it lies there, or below, or at what holds the path. */
function isWrongAt(place: WrongPlace, path: Path, from = 0): boolean {
  if (place.isFault) return true
  if (from === path.length) return place.below.size > 0
  const key = path[from] as string | number
  if (key === EACH) {
    for (const [index, next] of place.below) if (typeof index === 'number' && isWrongAt(next, path, from + 1)) return true
    return false
  }
  const next = place.below.get(key)
  return next !== undefined && isWrongAt(next, path, from + 1)
}

function judgeRule(rule: AnyRule, base: Path, matter: Matter, run: Run): readonly Fault[] {
  const { input, sent } = matter
  const values = () => rule.reads.map((address) => valueAt(input, pathOf(address, base))) as never[]
  const blameAll = (code = rule.code, about: Fault['about'] = {}) =>
    rule.blames.flatMap((address) => concrete(input, pathOf(address, base), []).map((path) => fault(rule, path, { code, about })))
  switch (rule.rule) {
    case 'ascending':
    case 'equal':
    case 'different':
      return compare(rule, base, matter)
    case 'together':
    case 'exactlyOne':
    case 'atLeastOne':
    case 'atMostOne': {
      const count = rule.reads.filter((address) => isPresent(sent, pathOf(address, base))).length
      const addresses = rule.reads.map((address) => new Place(pathOf(address, base)))
      if (rule.rule === 'together') return count === 0 || count === rule.reads.length ? [] : blameAll(rule.code, { addresses })
      if (count === 0) return rule.rule === 'atMostOne' ? [] : blameAll('none_present', { addresses })
      return count > 1 && rule.rule !== 'atLeastOne' ? blameAll('more_than_one', { addresses }) : []
    }
    case 'needed':
    case 'absent': {
      const isDue = conditionOn(rule.when, matter, base)
      return concrete(input, pathOf(rule.address, base), []).flatMap((one) => {
        if (isPresent(sent, one) !== (rule.rule === 'absent') || !isDue(one)) return []
        // What is needed in a list's element is not needed of an element that is not there.
        return one.length > 1 && isNone(valueAt(input, one.slice(0, -1))) ? [] : [fault(rule, one, { about: { when: rule.when } })]
      })
    }
    case 'sumWithin':
      return sumFaults(rule, base, matter)
    case 'check':
      return rule.holds(...values()) ? [] : blameAll()
    case 'find':
      return rule.finds(...values()).map((found) => foundFault(rule, base, found))
    case 'fill':
      fill(rule, base, matter, run)
      return []
    default:
      return rule satisfies never
  }
}

/** A fault that an own rule found, where it says; at the first field that the rule reads where it names no place. */
function foundFault(rule: AnyRule, base: Path, { at, code = rule.code, message }: Found): Fault {
  const path = parseAddress(at)
  return fault(rule, path ? [...base, ...path] : pathOf(rule.reads[0] ?? 'body', base), {
    code,
    ...(message === undefined ? {} : { messages: message }),
  })
}

/** Whether anything was sent there. An empty text counts as absent where text is read. */
function isPresent(sent: Parts, path: Path): boolean {
  const found = [valueAt(sent, path)].flat(path.includes(EACH) ? Number.POSITIVE_INFINITY : 0)
  return found.some((value) => value !== undefined && !(value === '' && path[0] !== 'body'))
}

/** Whether a condition holds, where nothing is blamed that could settle which elements it looks at. */
export const holds = (condition: AnyCondition, matter: Matter): boolean => conditionOn(condition, matter, [])([])

/**
 * Whether a condition holds for what is blamed: of lists that both lie in, it looks at the element that is blamed; of others
 * at all elements, and any of them will do. Such an answer holds for all that is blamed, so it is found once.
 */
function conditionOn(condition: AnyCondition, matter: Matter, base: Path): (blamed: Path) => boolean {
  switch (condition.condition) {
    case 'all': {
      const all = condition.of.map((one) => conditionOn(one, matter, base))
      return (blamed) => all.every((one) => one(blamed))
    }
    case 'any': {
      const any = condition.of.map((one) => conditionOn(one, matter, base))
      return (blamed) => any.some((one) => one(blamed))
    }
    case 'not': {
      const one = conditionOn(condition.of, matter, base)
      return (blamed) => !one(blamed)
    }
    case 'accepts': {
      const isTaken = matter.accept === undefined || weightOf(condition.type, matter.accept) > 0
      return () => isTaken
    }
    case 'present':
    case 'in':
    case 'is':
    case 'above':
    case 'below': {
      const path = pathOf(condition.address, base)
      const test = condition.condition === 'present' ? undefined : testOf(condition, isExact(matter.root, path))
      return eachOnce(path, (indices) =>
        concrete(matter.input, path, indices).some((place) => {
          if (!test) return isPresent(matter.sent, place)
          const value = valueAt(matter.input, place)
          return !isNone(value) && test(value)
        }),
      )
    }
    default:
      return condition satisfies never
  }
}

function testOf(
  condition: Extract<AnyCondition, { condition: 'in' | 'is' | 'above' | 'below' }>,
  exact: boolean,
): (value: unknown) => boolean {
  switch (condition.condition) {
    case 'in':
      return (value) => condition.values.some((one) => order(value, one, exact) === 0)
    case 'is':
      return (value) => order(value, condition.value, exact) === 0
    case 'above':
      return (value) => order(value, condition.value, exact) > 0
    case 'below':
      return (value) => order(value, condition.value, exact) < 0
    default:
      return condition satisfies never
  }
}

/** What depends on the indices alone that a path shares with another: worked out once for each of them. */
function eachOnce<T>(path: Path, work: (indices: readonly number[]) => T): (other: Path) => T {
  const known = new Map<string, T>()
  return (other) => {
    const indices = indicesShared(path, other)
    const key = indices.join()
    if (known.has(key)) return known.get(key) as T
    const worked = work(indices)
    known.set(key, worked)
    return worked
  }
}

const fault = (rule: AnyRule, path: Path, rest: Partial<Fault>): Fault => ({
  path,
  stage: 'rules',
  code: rule.code,
  messages: rule.message,
  ...rest,
})

/** Below, at or above zero as `a` comes before, with or after `b`; NaN where they have no order and differ. */
function order(a: unknown, b: unknown, exact: boolean): number {
  if (exact && isPlainDecimal(a) && isPlainDecimal(b)) return compareDecimals(String(a), String(b))
  if (a instanceof Date && b instanceof Date) return a.getTime() - b.getTime()
  if (typeof a === 'object' || typeof b === 'object') return canonical(a) === canonical(b) ? 0 : Number.NaN
  return a === b ? 0 : (a as number) < (b as number) ? -1 : (a as number) > (b as number) ? 1 : Number.NaN
}
const isPlainDecimal = (value: unknown) => typeof value === 'string' || typeof value === 'number' || typeof value === 'bigint'
const isNone = (value: unknown) => value === undefined || value === null
const isExact = (root: Node, path: Path) => nodesAt(root, path).some((node) => node.kind === 'decimal')

/** Compares two addresses, element by element where both lie under the same `[]`. */
function compare(rule: Extract<AnyRule, { rule: 'ascending' | 'equal' | 'different' }>, base: Path, matter: Matter): Fault[] {
  const { root, input } = matter
  const [first, second] = rule.reads.map((address) => pathOf(address, base)) as [Path, Path]
  const faults: Fault[] = []
  let exact: boolean | undefined
  const isRight = (found: number) =>
    rule.rule === 'ascending' ? (rule.orEqual ? found <= 0 : found < 0) : rule.rule === 'equal' ? found === 0 : found !== 0
  const echo = <K extends string>(key: K, path: Path) => (isSecret(root, path) ? {} : { [key]: shown(valueAt(input, path)) })
  const blames = rule.blames.map((address) => pathOf(address, base))
  const isFirst = (path: Path) => formatAddress(path) === formatAddress(first)
  const variant = rule.orEqual ? 'orEqual' : undefined
  for (const right of concrete(input, second, [])) {
    for (const left of concrete(input, first, indicesShared(first, right))) {
      const [a, b] = [valueAt(input, left), valueAt(input, right)]
      if (isNone(a) || isNone(b)) continue
      // Only texts can be decimals.
      if (typeof a === 'string') exact ??= isExact(root, first)
      if (isRight(order(a, b, exact ?? false))) continue
      const worded = b instanceof Date ? { variant: variant ? 'instantOrEqual' : 'instant' } : { variant }
      for (const blamed of blames) {
        const other = isFirst(blamed) ? right : left
        // One of the two holds every index that there is.
        const [onLeft, onRight] = [indicesShared(blamed, left), indicesShared(blamed, right)]
        for (const path of concrete(input, blamed, onLeft.length > onRight.length ? onLeft : onRight)) {
          const about = { other: new Place(other), ...echo('value', other) }
          faults.push(fault(rule, path, { ...worded, about, ...echo('sent', path) }))
        }
      }
    }
  }
  return faults
}

const shown = (value: unknown) => (value instanceof Date ? writeInstant(value) : value)

function sumFaults(rule: Extract<AnyRule, { rule: 'sumWithin' }>, base: Path, { input }: Matter): Fault[] {
  const found = [valueAt(input, pathOf(rule.address, base))].flat(Number.POSITIVE_INFINITY).filter((value) => !isNone(value))
  // Decimals are texts; their sum is taken as a number.
  const sum = found.reduce((all: number, one) => all + numberOf(one), 0)
  const { bounds } = rule
  const [least, most, other] =
    'atMost' in bounds
      ? [Number.NEGATIVE_INFINITY, numberOf(valueAt(input, pathOf(bounds.atMost, base))), new Place(pathOf(bounds.atMost, base))]
      : [bounds[0], bounds[1], undefined]
  if (sum >= least && sum <= most) return []
  const code = sum > most ? rule.code : rule.code === 'above_max' ? 'below_min' : rule.code
  const about = { sum, ...(other === undefined ? {} : { other }) }
  const variant = other === undefined ? 'sum' : 'sumOther'
  return rule.blames.flatMap((address) =>
    concrete(input, pathOf(address, base), []).map((path) => fault(rule, path, { code, variant, limit: sum > most ? most : least, about })),
  )
}

/** Of an object no number is made: it may have a `valueOf` of its own. */
const numberOf = (value: unknown): number => (typeof value === 'object' ? Number.NaN : Number(value))

/** Puts what is made of other values where nothing was sent, element by element where both lie under the same `[]`. */
function fill(rule: FillRule, base: Path, { input }: Matter, run: Run): void {
  const path = pathOf(rule.address, base)
  const reads = rule.reads.map((address) => {
    const read = pathOf(address, base)
    return eachOnce(read, (indices) => {
      const [one, ...others] = concrete(input, read, indices)
      return valueAt(input, one && others.length === 0 ? one : read)
    })
  })
  for (const holder of concrete(input, path.slice(0, -1), [])) {
    const name = path.at(-1) as string
    const object = valueAt(input, holder)
    if (typeof object !== 'object' || object === null || valueAt(object, [name]) !== undefined) continue
    const values = reads.map((read) => read(holder))
    const made = rule.make(...(values as never[]))
    if (made === undefined) continue
    put(object as { [name: string]: unknown }, name, made)
    if (run.trace) addReading(run.trace, { address: tellAddress([...holder, name]), sent: undefined, read: made, how: 'filled' })
  }
}

/** The indices of `right` under those `[]` that both paths have in common. */
function indicesShared(path: Path, right: Path): number[] {
  const indices: number[] = []
  for (let i = 0; i < Math.min(path.length, right.length); i++) {
    if (path[i] === EACH && typeof right[i] === 'number') indices.push(right[i] as number)
    else if (path[i] !== right[i]) break
  }
  return indices
}

/** The paths that an address with `[]` stands for in this input; the first indices may be settled already. */
export function concrete(input: Parts, path: Path, settled: readonly number[]): Path[] {
  const at = path.indexOf(EACH)
  if (at < 0) return [path]
  const elements = valueAt(input, path.slice(0, at))
  const indices = settled.length > 0 ? settled.slice(0, 1) : Array.isArray(elements) ? [...elements.keys()] : []
  return indices.flatMap((index) => concrete(input, [...path.slice(0, at), index, ...path.slice(at + 1)], settled.slice(1)))
}
