/** The sum over a list, or the value itself, lies within. Blames the list. */
import { Place } from '../kinds/run.js'
import { type Address, EACH, formatAddress, parseAddress, valueAt } from '../terms/address.js'
import type { Bounds } from '../terms/declared.js'
import { concrete, faultOf, isNone, pathOf } from './matter.js'
import { type Blame, type Rule, type RuleOf, sound, worded } from './rule.js'

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
    { code = 'above_max', blames = [listOf(address)], message }: Blame = {},
  ) {
    const reads = [address, ...('atMost' in bounds ? [bounds.atMost] : [])]
    return { rule: 'sumWithin', code, address, bounds, reads, blames, ...worded(message) }
  },
  waits: true,
  derives: false,
  names: ({ address }) => [address],
  mistake: sound,
  judge(rule, { input, base }) {
    const found = [valueAt(input, pathOf(rule.address, base))]
      .flat(Number.POSITIVE_INFINITY)
      .filter((value) => !isNone(value))
    // Decimals are texts; their sum is taken as a number.
    const sum = found.reduce((all: number, one) => all + numberOf(one), 0)
    const { bounds } = rule
    const [least, most, other] =
      'atMost' in bounds
        ? [
            Number.NEGATIVE_INFINITY,
            numberOf(valueAt(input, pathOf(bounds.atMost, base))),
            new Place(pathOf(bounds.atMost, base)),
          ]
        : [bounds[0], bounds[1], undefined]
    if (sum >= least && sum <= most) return []
    const code = sum > most ? rule.code : rule.code === 'above_max' ? 'below_min' : rule.code
    const about = { sum, ...(other === undefined ? {} : { other }) }
    const rest = { code, variant: other === undefined ? 'sum' : 'sumOther', limit: sum > most ? most : least, about }
    return rule.blames.flatMap((address) =>
      concrete(input, pathOf(address, base)).map((path) => faultOf(rule, path, rest)),
    )
  },
  sentence({ bounds, blames }) {
    if ('atMost' in bounds) return { code: 'rule', variant: 'sumOther', about: { other: bounds.atMost }, at: blames }
    return { code: 'rule', variant: 'sum', about: { least: bounds[0], most: bounds[1] }, at: blames }
  },
}

/** The list that holds the values of an address, or the address itself. */
function listOf(address: string): string {
  const path = parseAddress(address) ?? []
  const each = path.indexOf(EACH)
  return each < 0 ? address : formatAddress(path.slice(0, each))
}

/** Of an object no number is made: it may have a `valueOf` of its own. */
const numberOf = (value: unknown): number => (typeof value === 'object' ? Number.NaN : Number(value))
