/**
 * Every rule, and what a service alone needs of rules and conditions. No page imports these tables: it brings the rules
 * that it uses.
 */

import { aCondition, anAddress, aRule, listOf, type Taking } from '../terms/option-types.js'
import { aboveInService, belowInService } from './above.js'
import { acceptsInService } from './accepts.js'
import { acyclic, acyclicInService } from './acyclic.js'
import { allInService, anyInService } from './all.js'
import { among, amongInService } from './among.js'
import { apart, apartInService } from './apart.js'
import { ascending, ascendingInService } from './ascending.js'
import { atLeastOne, atLeastOneInService } from './at-least-one.js'
import { atMostOne, atMostOneInService } from './at-most-one.js'
import { check, checkInService } from './check.js'
import type { ConditionInService, ConditionName, Conditions } from './condition.js'
import { count, countInService } from './count.js'
import { differ, differInService } from './differ.js'
import { distinct, distinctInService } from './distinct.js'
import { equal, equalInService } from './equal.js'
import { exactlyOne, exactlyOneInService } from './exactly-one.js'
import { fill, fillInService } from './fill.js'
import { find, findInService } from './find.js'
import { fits, fitsInService, suitsInService } from './fits.js'
import { gap, gapInService } from './gap.js'
import { inOrder, inOrderInService } from './in-order.js'
import { isInService, withinInService } from './is.js'
import { absent, absentInService, needed, neededInService } from './needed.js'
import { notInService } from './not.js'
import { openAt, openAtInService } from './open-at.js'
import type { RuleInService, RuleName, RuleOf, Rules } from './rule.js'
import { sentInService } from './sent.js'
import { sumWithin, sumWithinInService } from './sum-within.js'
import { together, togetherInService } from './together.js'

export const everyRule: { readonly [R in RuleName]: RuleOf<Rules[R]> } = {
  acyclic,
  among,
  apart,
  ascending,
  count,
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
  openAt,
  absent,
  sumWithin,
  check,
  find,
  fits,
  fill,
}

export const rulesInService: { readonly [R in RuleName]: RuleInService<Rules[R]> } = {
  acyclic: acyclicInService,
  among: amongInService,
  apart: apartInService,
  ascending: ascendingInService,
  count: countInService,
  distinct: distinctInService,
  gap: gapInService,
  inOrder: inOrderInService,
  equal: equalInService,
  differ: differInService,
  together: togetherInService,
  exactlyOne: exactlyOneInService,
  atLeastOne: atLeastOneInService,
  atMostOne: atMostOneInService,
  needed: neededInService,
  openAt: openAtInService,
  absent: absentInService,
  sumWithin: sumWithinInService,
  check: checkInService,
  find: findInService,
  fits: fitsInService,
  fill: fillInService,
}

export const conditionsInService: { readonly [C in ConditionName]: ConditionInService<Conditions[C]> } = {
  sent: sentInService,
  suits: suitsInService,
  is: isInService,
  in: withinInService,
  above: aboveInService,
  below: belowInService,
  accepts: acceptsInService,
  all: allInService,
  any: anyInService,
  not: notInService,
}

const takingOfOthers: { readonly [name: string]: Taking } = {
  while: { takes: [aCondition, /* @__PURE__ */ listOf(aRule)] },
  other: { takes: [anAddress] },
}
/** What a call takes that makes a rule or a condition, or is called like one. */
export const takingOf = (name: string): Taking =>
  ({ ...rulesInService, ...conditionsInService, ...takingOfOthers })[name] as Taking
