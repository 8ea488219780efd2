/** Rules that hold only while a condition does: each carries it from then on. */

import { mistake } from '../terms/mistake.js'
import type { AnyCondition, Condition } from './condition.js'
import type { AnyRule, Rule } from './rule.js'

export interface WhileMaker {
  /**
   * Rules that hold only while the condition does. In a list, it is looked at for the element that a rule is judged at.
   *
   * @example
   * on.while(on.is('header.x-client', 'kiosk'), [on.fits('body.quantity', integer({ max: 10 }))])
   */
  while(condition: Condition, rules: readonly Rule[]): Rule
}

/** What `while` makes, until the rules in it stand beside the others. */
interface During {
  readonly rule: 'while'
  readonly when: AnyCondition
  readonly rules: readonly (AnyRule | During)[]
}

export const during = { make: (when: AnyCondition, rules: During['rules']): During => ({ rule: 'while', when, rules }) }

/** The rules themselves, each with the conditions that it is inside of. */
export function unfolded(rules: unknown, outer: readonly AnyCondition[] = []): readonly AnyRule[] {
  // What is no list of rules is reported where the endpoint is held to making sense.
  if (!Array.isArray(rules)) return rules as readonly AnyRule[]
  return (rules as During['rules']).flatMap((one): readonly AnyRule[] => {
    if (one?.rule !== 'while') return outer.length === 0 ? [one as AnyRule] : [{ ...(one as AnyRule), during: outer }]
    const fill = one.rules.find(({ rule }) => rule === 'fill')
    if (fill)
      mistake('rule while', 'a fill in it would be no rule', 'Let fill stand alone, and its function give undefined')
    return unfolded(one.rules, [...outer, one.when])
  })
}
