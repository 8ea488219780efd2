/** How rules are found and judged: brought with the first of them, since a page without rules needs none of it. */
import type { placedOn } from '../declare/place.js'
import type { runRules } from './rules.js'

interface RuleEngine {
  readonly placedOn: typeof placedOn
  readonly runRules: typeof runRules
}
let engine: RuleEngine | undefined

export const bringRuleEngine = (brought: RuleEngine): void => {
  engine = brought
}
export const ruleEngine = (): RuleEngine | undefined => engine
