/** The value is more, or less, than a limit. */
import type { Address } from '../terms/address.js'
import { anAddress, anything } from '../terms/option-types.js'
import type { Comparable, Condition, ConditionInService, ConditionOf, One } from './condition.js'
import { type Instead, mistakeOfOthers, named, othersIn } from './other.js'
import { valuesCode, valuesHold } from './values.js'

declare module './condition.js' {
  interface Conditions {
    above: Beyond<'above'>
    below: Beyond<'below'>
  }
}
type Limit<V> = (V & Comparable) | Instead<V & Comparable>
export interface AboveMaker<T> {
  /** The value is more than a limit. */
  above<A extends Address<T>>(address: A, limit: Limit<One<T, A>>): Condition
  /** The value is less than a limit. */
  below<A extends Address<T>>(address: A, limit: Limit<One<T, A>>): Condition
}
export interface Beyond<C extends 'above' | 'below'> {
  readonly condition: C
  readonly address: string
  readonly value: unknown
}

const beyond = /* @__NO_SIDE_EFFECTS__ */ <C extends 'above' | 'below'>(
  condition: C,
  isBeyond: (found: number) => boolean,
): ConditionOf<Beyond<C>> => ({
  make: (address: string, value: unknown) => ({ condition, address, value }),
  addresses: ({ address, value }) => [address, ...othersIn([value])],
  holding: ({ address, value }, matter) => valuesHold(address, [value], matter, isBeyond),
  told: (given, told) => ({ ...given, value: told(given.address, given.value) }),
  words: ({ address, value }, say) => say(`when.${condition}`, { address, value: named(value) }),
  negated: () => undefined,
})

const beyondInService = /* @__NO_SIDE_EFFECTS__ */ <C extends 'above' | 'below'>(
  operator: '>' | '<',
): ConditionInService<Beyond<C>> => ({
  takes: [anAddress, anything],
  mistake: (given, measuresOf) => mistakeOfOthers(given, [given.value], true, measuresOf),
  code: ({ address, value }, terms) => valuesCode(address, [value], operator, terms),
})

export const above = beyond('above', (found) => found > 0)
export const below = beyond('below', (found) => found < 0)
export const aboveInService = beyondInService<'above'>('>')
export const belowInService = beyondInService<'below'>('<')
