/** Every condition: all of them come with the first rule. */
import { above, below } from './above.js'
import { accepts } from './accepts.js'
import { all, any } from './all.js'
import { bringRules } from './brought.js'
import type { ConditionName, ConditionOf, Conditions } from './condition.js'
import { suits } from './fits.js'
import { is, within } from './is.js'
import { not } from './not.js'
import { other } from './other.js'
import type { RuleName, RuleOf, Rules } from './rule.js'
import { sent } from './sent.js'
import { during } from './while.js'

const everyCondition: { readonly [C in ConditionName]: ConditionOf<Conditions[C]> } = {
  sent,
  suits,
  is,
  in: within,
  above,
  below,
  accepts,
  all,
  any,
  not,
}

interface Maker {
  make(...given: never[]): unknown
}

/**
 * Brings rules, and all conditions.
 *
 * @param call Makes the call of a maker: in a service it checks its arguments.
 */
export function bringWithConditions(
  rules: { readonly [R in RuleName]?: RuleOf<Rules[R]> },
  call: (name: string, maker: Maker, owner: string) => unknown = (_, { make }) => make,
): void {
  const calls = (owner: string, makers: object) =>
    Object.entries(makers as { readonly [name: string]: Maker }).map(([name, maker]) => [
      name,
      call(name, maker, owner),
    ])
  const all = [...calls('rule', { ...rules, while: during }), ...calls('condition', { ...everyCondition, other })]
  bringRules(rules, everyCondition, Object.fromEntries(all))
}
