/** A condition does not hold. */

import { aCondition } from '../terms/option-types.js'
import { isMixed } from './all.js'
import type { AnyCondition, Condition, ConditionOf } from './condition.js'

declare module './condition.js' {
  interface Conditions {
    not: { readonly condition: 'not'; readonly of: AnyCondition }
  }
}
export interface NotMaker {
  not(condition: Condition): Condition
}

export const not: ConditionOf<{ readonly condition: 'not'; readonly of: AnyCondition }> = {
  make: (of: AnyCondition) => ({ condition: 'not', of }),
  takes: [aCondition],
  addresses: ({ of }, addressesIn) => addressesIn(of),
  mistake: ({ of }, _, mistakeIn) => mistakeIn(of),
  code({ of }, terms) {
    const test = terms.when(of)
    return test === undefined ? undefined : `!${test}`
  },
  holding({ of }, _, holding) {
    const held = holding(of)
    return (blamed) => !held(blamed)
  },
  told: (given, _, told) => ({ ...given, of: told(given.of) }),
  words: ({ of }, say, clause) => say('when.not', { value: isMixed(of, 'not') ? `(${clause(of)})` : clause(of) }),
  negated: () => undefined,
}
