/** All conditions hold, or any of them. */

import { aCondition } from '../terms/option-types.js'
import type { AnyCondition, Condition, ConditionInService, ConditionOf } from './condition.js'

declare module './condition.js' {
  interface Conditions {
    all: Several<'all'>
    any: Several<'any'>
  }
}
export interface AllMaker {
  /** All conditions hold. */
  all(...conditions: readonly Condition[]): Condition
  /** At least one condition holds. */
  any(...conditions: readonly Condition[]): Condition
}
export interface Several<C extends 'all' | 'any'> {
  readonly condition: C
  readonly of: readonly AnyCondition[]
}

/** Whether a condition joins others in another way, so that it needs brackets. */
const isMixed = (one: AnyCondition, outer: string) =>
  (one.condition === 'all' || one.condition === 'any') && one.condition !== outer && one.of.length > 1

const several = /* @__NO_SIDE_EFFECTS__ */ <C extends 'all' | 'any'>(
  condition: C,
  how: 'every' | 'some',
): ConditionOf<Several<C>> => ({
  make: (...of: AnyCondition[]) => ({ condition, of }),
  addresses: ({ of }, addressesIn) => of.flatMap(addressesIn),
  holding({ of }, _, holding) {
    const held = of.map(holding)
    return (blamed) => held[how]((one) => one(blamed))
  },
  told: (given, _, told) => ({ ...given, of: given.of.map(told) }),
  words: ({ of }, say, clause) =>
    of.map((one) => (isMixed(one, condition) ? `(${clause(one)})` : clause(one))).join(say(`when.${condition}`, {})),
  negated: () => undefined,
})

const severalInService = /* @__NO_SIDE_EFFECTS__ */ <C extends 'all' | 'any'>(
  how: 'every' | 'some',
): ConditionInService<Several<C>> => ({
  takes: [aCondition],
  hasRest: true,
  mistake: ({ of }, _, mistakeIn) => of.map(mistakeIn).find((one) => one !== undefined),
  code({ of }, terms) {
    const tests = of.map((one) => terms.when(one))
    return tests.includes(undefined) ? undefined : `(${tests.join(how === 'every' ? ' && ' : ' || ')})`
  },
})

export const all = several('all', 'every')
export const any = several('any', 'some')
export const allInService = severalInService<'all'>('every')
export const anyInService = severalInService<'any'>('some')
