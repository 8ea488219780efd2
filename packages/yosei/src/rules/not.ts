/** A condition does not hold. */

import { Said } from '../kinds/phrase.js'
import { aCondition } from '../terms/option-types.js'
import type { AnyCondition, Condition, ConditionInService, ConditionOf } from './condition.js'

declare module './condition.js' {
  interface Conditions {
    not: { readonly condition: 'not'; readonly of: AnyCondition }
  }
}
export interface NotMaker {
  /** The condition does not hold. */
  not(condition: Condition): Condition
}

export const not: ConditionOf<{ readonly condition: 'not'; readonly of: AnyCondition }> = {
  make: (of: AnyCondition) => ({ condition: 'not', of }),
  addresses: ({ of }, addressesIn) => addressesIn(of),
  holding({ of }, _, holding) {
    const held = holding(of)
    return (blamed) => !held(blamed)
  },
  told: (given, _, told) => ({ ...given, of: told(given.of) }),
  words: ({ of }, say, clause) => say('when.not', { value: new Said(clause(of)) }),
  negated: () => undefined,
}

export const notInService: ConditionInService<{ readonly condition: 'not'; readonly of: AnyCondition }> = {
  takes: [aCondition],
  mistake: ({ of }, _, mistakeIn) => mistakeIn(of),
  code({ of }, terms) {
    const test = terms.when(of)
    return test === undefined ? undefined : `!${test}`
  },
}
