/** The sum over a list, or the value itself, lies within. Blames the list. */

import { compareDecimals, isDecimal, sumOf } from '../grammar/numbers.js'
import { Place } from '../kinds/run.js'
import { type Address, EACH, formatAddress, parseAddress, valueAt } from '../terms/address.js'
import type { Bounds } from '../terms/declared.js'
import { concrete, faultOf, isNone, listsShared, pathOf } from './matter.js'
import { type Measure, toldAt } from './measure.js'
import { type Blame, type Rule, type RuleOf, worded } from './rule.js'

declare module './rule.js' {
  interface Rules {
    sumWithin: SumWithin
  }
}
export interface SumWithinMaker<T> {
  /** The sum over a list, or the value itself, lies within. Blames the list. */
  sumWithin(address: Address<T>, bounds: Bounds | { atMost: Address<T> }, options?: Blame): Rule
}
export interface SumWithin extends Rule {
  readonly rule: 'sumWithin'
  readonly address: string
  readonly bounds: Bounds | { readonly atMost: string }
}

export const sumWithin: RuleOf<SumWithin> = {
  make(
    address: string,
    bounds: SumWithin['bounds'],
    { code = 'above_max', blames = [listOf(address, bounds)], message }: Blame = {},
  ) {
    const reads = [address, ...('atMost' in bounds ? [bounds.atMost] : [])]
    return { rule: 'sumWithin', code, address, bounds, reads, blames, ...worded(message) }
  },
  each: ({ address, bounds }) => ('atMost' in bounds ? [address, bounds.atMost] : []),
  waits: true,
  derives: false,
  compares: false,
  names: ({ address }) => [address],
  mistake({ reads }, measuresOf) {
    const other = reads.find((address) => {
      const measures = measuresOf(address)
      return measures.length > 0 && !measures.some((measure) => summed.includes(measure))
    })
    return other === undefined ? undefined : [`${other} holds no numbers`, 'Name fields of numbers']
  },
  judge(rule, { root, input, scope }) {
    const valuesAt = (address: string) =>
      [valueAt(input, pathOf(address, scope))].flat(Number.POSITIVE_INFINITY).filter((value) => !isNone(value))
    const sum = sumOf(valuesAt(rule.address).map(decimalOf))
    const { bounds } = rule
    const [least, most] =
      'atMost' in bounds ? [undefined, valuesAt(bounds.atMost).map(decimalOf)[0] ?? '0'] : bounds.map(decimalOf)
    const isOver = isBeyond(most, sum, 1)
    if (!isOver && !isBeyond(least, sum, -1)) return []
    const code = isOver ? rule.code : rule.code === 'above_max' ? 'below_min' : rule.code
    const other = 'atMost' in bounds ? { other: new Place(pathOf(bounds.atMost, scope)) } : undefined
    const told = (decimal: string | undefined) => toldAt(root, pathOf(rule.address, scope), decimal)
    const about = { sum: told(sum), ...other }
    const rest = { code, variant: other ? 'sumOther' : 'sum', limit: told(isOver ? most : least), about }
    return rule.blames.flatMap((address) =>
      concrete(input, pathOf(address, scope)).map((path) => faultOf(rule, path, rest)),
    )
  },
  sentence({ bounds, blames }) {
    if ('atMost' in bounds) return { code: 'rule', variant: 'sumOther', about: { other: bounds.atMost }, at: blames }
    return { code: 'rule', variant: 'sum', about: { least: bounds[0], most: bounds[1] }, at: blames }
  },
}

const summed: readonly Measure[] = ['number', 'duration', 'own']

/** The list that holds the values of an address and not the bound, or the address itself. */
function listOf(address: string, bounds: SumWithin['bounds']): string {
  const path = parseAddress(address) ?? []
  const shared = 'atMost' in bounds ? listsShared([path, parseAddress(bounds.atMost) ?? []]).length : 0
  const each = path.indexOf(EACH, shared)
  return each < 0 ? address : formatAddress(path.slice(0, each))
}

/** The decimal text of a number; of a float the shortest that stands for it. Of anything else no number is made. */
function decimalOf(value: unknown): string {
  const text = typeof value === 'object' ? '' : String(value)
  return isDecimal(text) || Math.abs(value as number) === Number.POSITIVE_INFINITY ? text : notSummed()
}
function notSummed(): never {
  throw new TypeError('sumWithin read a value that is no number')
}

/** Whether a sum lies beyond a bound on that side of it. */
const isBeyond = (bound: string | undefined, sum: string, side: 1 | -1): boolean =>
  bound !== undefined && !bound.includes('Infinity') && compareDecimals(sum, bound) * side > 0
