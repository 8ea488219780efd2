/** The value is one, or one of several. */
import type { Address } from '../terms/address.js'
import { anAddress, anything, listOf } from '../terms/option-types.js'
import type { Condition, ConditionInService, ConditionOf, One } from './condition.js'
import { type Instead, isOther, mistakeOfOthers, named, othersIn } from './other.js'
import { valuesCode, valuesHold } from './values.js'

declare module './condition.js' {
  interface Conditions {
    is: Is
    in: In
  }
}
export interface IsMaker<T> {
  /** The value is this one. */
  is<A extends Address<T>>(address: A, value: One<T, A> | Instead<One<T, A>>): Condition
  /** The value is one of these. */
  in<A extends Address<T>>(address: A, values: readonly (One<T, A> | Instead<One<T, A>>)[]): Condition
}
export interface Is {
  readonly condition: 'is'
  readonly address: string
  readonly value: unknown
}
export interface In {
  readonly condition: 'in'
  readonly address: string
  readonly values: readonly unknown[]
}

const isSame = (order: number) => order === 0

export const is: ConditionOf<Is> = {
  make: (address: string, value: unknown) => ({ condition: 'is', address, value }),
  addresses: ({ address, value }) => [address, ...othersIn([value])],
  holding: ({ address, value }, matter) => valuesHold(address, [value], matter, isSame),
  told: (condition, value) => ({ ...condition, value: value(condition.address, condition.value) }),
  words: ({ address, value }, say) => say(isOther(value) ? 'when.same' : 'when.is', { address, value: named(value) }),
  negated: ({ address, value }, say) =>
    say(isOther(value) ? 'when.not.same' : 'when.not.is', { address, value: named(value) }),
}

export const isInService: ConditionInService<Is> = {
  takes: [anAddress, anything],
  mistake: (given, measuresOf) => mistakeOfOthers(given, [given.value], false, measuresOf),
  code: ({ address, value }, terms) => valuesCode(address, [value], '===', terms),
}

export const within: ConditionOf<In> = {
  make: (address: string, values: readonly unknown[]) => ({ condition: 'in', address, values }),
  addresses: ({ address, values }) => [address, ...othersIn(values)],
  holding: ({ address, values }, matter) => valuesHold(address, values, matter, isSame),
  told: (condition, value) => ({ ...condition, values: condition.values.map((one) => value(condition.address, one)) }),
  words: ({ address, values }, say) => say('when.in', { address, value: values.map(named) }),
  negated: () => undefined,
}

export const withinInService: ConditionInService<In> = {
  takes: [anAddress, listOf(anything)],
  mistake: (given, measuresOf) => mistakeOfOthers(given, given.values, false, measuresOf),
  code: ({ address, values }, terms) => valuesCode(address, values, '===', terms),
}
