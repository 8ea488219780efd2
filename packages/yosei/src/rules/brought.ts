/**
 * The rules and conditions that declarations may have: those that a page brings, so that it has those alone that it uses;
 * all of them in a service.
 */
import { conditionWords } from '../catalogue/english.js'
import { bringWords } from '../catalogue/spoken.js'
import { mistake } from '../terms/mistake.js'
import type { AnyCondition, ConditionInService, ConditionName, ConditionOf, Conditions } from './condition.js'
import type { AnyRule, RuleInService, RuleName, RuleOf, Rules } from './rule.js'

type RuleTable = { readonly [R in RuleName]: RuleOf<Rules[R]> }
type ConditionTable = { readonly [C in ConditionName]: ConditionOf<Conditions[C]> }
type RulesInService = { readonly [R in RuleName]: RuleInService<Rules[R]> }
type ConditionsInService = { readonly [C in ConditionName]: ConditionInService<Conditions[C]> }

const rules = {} as RuleTable
const conditions = {} as ConditionTable
const rulesInService = {} as RulesInService
const conditionsInService = {} as ConditionsInService
const makers: { [name: string]: unknown } = {}

/** @param more The calls by which rules and conditions are made. */
export function bringRules(moreRules: Partial<RuleTable>, moreConditions: ConditionTable, more: object): void {
  Object.assign(rules, moreRules)
  Object.assign(conditions, moreConditions)
  Object.assign(makers, more)
  bringWords(Object.assign({}, conditionWords, ...Object.values(moreRules).map(({ words }) => words)))
}
export function bringInService(moreRules: RulesInService, moreConditions: ConditionsInService): void {
  Object.assign(rulesInService, moreRules)
  Object.assign(conditionsInService, moreConditions)
}

export const ruleOf = ({ rule }: AnyRule) => rules[rule] as RuleOf<AnyRule>
export const conditionOf = ({ condition }: AnyCondition) => conditions[condition] as ConditionOf<AnyCondition>
export const ruleInService = ({ rule }: AnyRule) => rulesInService[rule] as RuleInService<AnyRule>
export const conditionInService = ({ condition }: AnyCondition) =>
  conditionsInService[condition] as ConditionInService<AnyCondition>

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
