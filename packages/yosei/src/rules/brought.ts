/**
 * The rules and conditions that declarations may have: those that a page brings, so that it has those alone that it uses;
 * all of them in a service.
 */
import { mistake } from '../terms/mistake.js'
import type { Maker } from '../terms/option-types.js'
import type { AnyCondition, ConditionName, ConditionOf, Conditions } from './condition.js'
import type { AnyRule, RuleName, RuleOf, Rules } from './rule.js'

type RuleTable = { readonly [R in RuleName]: RuleOf<Rules[R]> }
type ConditionTable = { readonly [C in ConditionName]: ConditionOf<Conditions[C]> }

const rules = {} as RuleTable
const conditions = {} as ConditionTable
const makers: { [name: string]: unknown } = {}

/**
 * @param others What is called like a rule or a condition, and is none.
 * @param makersOf Makes the calls: in a service they check their arguments.
 */
export function bringRules(
  more: Partial<RuleTable>,
  moreConditions: ConditionTable,
  others: { readonly [name: string]: Maker },
  makersOf: (owner: string, makers: { readonly [name: string]: Maker }) => object,
): void {
  Object.assign(rules, more)
  Object.assign(conditions, moreConditions)
  const { other, ...alike } = others
  Object.assign(makers, makersOf('rule', { ...(more as { [name: string]: Maker }), ...alike }))
  Object.assign(
    makers,
    makersOf('condition', { ...(moreConditions as unknown as { [name: string]: Maker }), ...(other ? { other } : {}) }),
  )
}

export const ruleOf = ({ rule }: AnyRule) => rules[rule] as RuleOf<AnyRule>
export const conditionOf = ({ condition }: AnyCondition) => conditions[condition] as ConditionOf<AnyCondition>

/** What a declaration is given to make rules and conditions with. */
export const onWith = /* @__NO_SIDE_EFFECTS__ */ (more: { readonly [name: string]: unknown } = {}): object =>
  new Proxy(more, {
    get(_, name) {
      if (typeof name !== 'string' || Object.hasOwn(more, name)) return more[name as string]
      if (Object.hasOwn(makers, name)) return makers[name]
      return name === 'then' || name === 'toJSON'
        ? undefined
        : mistake(`on.${name}`, 'no rule and no condition of that name is here', whereToFind(name))
    },
  })

const whereToFind = (name: string) =>
  `Look for another spelling; in a page, bring it: import { ${name}, use } from 'yosei/page', and call use({ ${name} })`

/** The same for every endpoint: its types stand where rules and conditions are gathered. */
export const on = /* @__PURE__ */ onWith()
