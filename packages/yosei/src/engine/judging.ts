/** How rules are judged: brought with the first of them, since a page without rules needs none of it. */
import type { runRules } from './rules.js'

let judging: typeof runRules | undefined

export const judgeRulesBy = (by: typeof runRules): void => {
  judging = by
}
export const rulesJudge = (): typeof runRules => judging as typeof runRules
