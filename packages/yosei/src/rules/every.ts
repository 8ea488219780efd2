/**
 * Every rule and every condition. No page imports the table of rules: it brings those that it uses. The conditions come
 * with the first of them.
 */

import { above, below } from './above.js'
import { accepts } from './accepts.js'
import { all, any } from './all.js'
import { apart } from './apart.js'
import { ascending } from './ascending.js'
import { atLeastOne } from './at-least-one.js'
import { atMostOne } from './at-most-one.js'
import { bringRules } from './brought.js'
import { check } from './check.js'
import type { ConditionName, ConditionOf, Conditions } from './condition.js'
import { differ } from './differ.js'
import { distinct } from './distinct.js'
import { equal } from './equal.js'
import { exactlyOne } from './exactly-one.js'
import { fill } from './fill.js'
import { find } from './find.js'
import { fits, suits } from './fits.js'
import { gap } from './gap.js'
import { inOrder } from './in-order.js'
import { is, within } from './is.js'
import { absent, needed } from './needed.js'
import { not } from './not.js'
import { other } from './other.js'
import type { RuleName, RuleOf, Rules } from './rule.js'
import { sent } from './sent.js'
import { sumWithin } from './sum-within.js'
import { together } from './together.js'
import { during } from './while.js'

export const everyRule: { readonly [R in RuleName]: RuleOf<Rules[R]> } = {
  apart,
  ascending,
  distinct,
  gap,
  inOrder,
  equal,
  differ,
  together,
  exactlyOne,
  atLeastOne,
  atMostOne,
  needed,
  absent,
  sumWithin,
  check,
  find,
  fits,
  fill,
}

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

/** Brings rules, and all conditions. */
export const bringWithConditions = (
  rules: Partial<typeof everyRule>,
  makersOf: Parameters<typeof bringRules>[3],
): void => bringRules(rules, everyCondition, { while: during, other }, makersOf)
