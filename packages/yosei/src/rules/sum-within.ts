/** The sum over a list, or the value itself, lies within. Blames the list. */

import { compareDecimals, isDecimal, sumOf } from '../grammar/numbers.js'
import { isSecret } from '../kinds/locate.js'
import { Place } from '../kinds/run.js'
import { type Address, EACH, formatAddress, type Path, parseAddress, valueAt } from '../terms/address.js'
import type { Bounds } from '../terms/declared.js'
import { anAddress, bounds, either, isPlain, type Taken } from '../terms/taken.js'
import { concrete, faultOf, isNone, listsShared, pathOf } from './matter.js'
import { type Measure, toldAt } from './measure.js'
import { type Blame, blameOptions, type LooseBlame, type Rule, type RuleOf, worded } from './rule.js'

declare module './rule.js' {
  interface Rules {
    sumWithin: SumWithin
  }
}
export interface SumWithinMaker<T> {
  /** The sum over a list, or the value itself, lies within. Blames the list. */
  sumWithin(address: Address<T>, bounds: Bounds | { atMost: Address<T> }, options?: Blame<T>): Rule
}
export interface SumWithin extends Rule {
  readonly rule: 'sumWithin'
  readonly address: string
  readonly bounds: Bounds | { readonly atMost: string }
}

/** The address of a limit, and nothing else. */
const aLimit: Taken = {
  what: 'the address of a limit',
  example: "{ atMost: 'body.most' }",
  takes: (value) => isPlain(value) && Object.keys(value).join() === 'atMost' && anAddress.takes(value.atMost),
}

export const sumWithin: RuleOf<SumWithin> = {
  make(address: string, bounds: SumWithin['bounds'], options: LooseBlame = {}) {
    const { code = 'above_max', blames = [listOf(address, bounds)] } = options
    const reads = [address, ...('atMost' in bounds ? [bounds.atMost] : [])]
    return { rule: 'sumWithin', code, address, bounds, reads, blames, ...worded(options) }
  },
  takes: [anAddress, either(bounds, aLimit), blameOptions],
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
    const { bounds } = rule
    const placesAt = (address: string) =>
      concrete(input, pathOf(address, scope)).filter((path) => !isNone(valueAt(input, path)))
    const places = placesAt(rule.address)
    const limits = 'atMost' in bounds ? placesAt(bounds.atMost) : []
    const odd = [...places, ...limits].filter((path) => decimalOf(valueAt(input, path)) === undefined)
    if (odd.length > 0) return odd.map((path) => faultOf(rule, path, { code: 'wrong_type', variant: 'number' }))
    const decimalAt = (path: Path) => decimalOf(valueAt(input, path)) as string
    const sum = sumOf(places.map(decimalAt))
    const [least, most] =
      'atMost' in bounds ? [undefined, limits[0] ? decimalAt(limits[0]) : '0'] : bounds.map(decimalOf)
    const isOver = isBeyond(most, sum, 1)
    if (!isOver && !isBeyond(least, sum, -1)) return []
    const code = isOver ? rule.code : rule.code === 'above_max' ? 'below_min' : rule.code
    const other = 'atMost' in bounds ? { other: new Place(pathOf(bounds.atMost, scope)) } : undefined
    const told = (decimal: string | undefined) => toldAt(root, pathOf(rule.address, scope), decimal)
    const isHidden = rule.reads.some((address) => isSecret(root, pathOf(address, scope)))
    const variant = `${other ? 'sumOther' : 'sum'}${isHidden ? 'Secret' : ''}`
    const about = { ...(isHidden ? {} : { sum: told(sum) }), ...other }
    const limit = isHidden && other ? undefined : told(isOver ? most : least)
    const rest = { code, variant, limit, about }
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

/** The decimal text of a number; of a float the shortest that stands for it. `undefined` of anything else, and of what is infinite. */
function decimalOf(value: unknown): string | undefined {
  const text = typeof value === 'object' || typeof value === 'symbol' ? '' : String(value)
  return isDecimal(text) ? text : undefined
}

/** Whether a sum lies beyond a bound on that side of it. */
const isBeyond = (bound: string | undefined, sum: string, side: 1 | -1): boolean =>
  bound !== undefined && compareDecimals(sum, bound) * side > 0
