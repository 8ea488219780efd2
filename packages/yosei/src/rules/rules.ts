/** What rules are made with, and where they apply. */

import type { Node } from '../kinds/kind.js'
import { firstEach, isFromEnd, type Path, parseAddress } from '../terms/address.js'
import type { AcyclicMaker } from './acyclic.js'
import type { AmongMaker } from './among.js'
import type { ApartMaker } from './apart.js'
import type { AscendingMaker } from './ascending.js'
import type { AtLeastOneMaker } from './at-least-one.js'
import type { AtMostOneMaker } from './at-most-one.js'
import { on, ruleOf } from './brought.js'
import type { CheckMaker } from './check.js'
import { addressesIn, type ConditionMaker } from './conditions.js'
import type { CountMaker } from './count.js'
import type { DifferMaker } from './differ.js'
import type { DistinctMaker } from './distinct.js'
import type { EqualMaker } from './equal.js'
import type { ExactlyOneMaker } from './exactly-one.js'
import type { FillMaker } from './fill.js'
import type { FindMaker } from './find.js'
import type { FitsMaker } from './fits.js'
import type { GapMaker } from './gap.js'
import type { InOrderMaker } from './in-order.js'
import { listsShared, type Scope } from './input.js'
import type { NeededMaker } from './needed.js'
import type { OpenAtMaker } from './open-at.js'
import type { AnyRule, RuleName } from './rule.js'
import type { SumWithinMaker } from './sum-within.js'
import type { TogetherMaker } from './together.js'
import type { WhileMaker } from './while.js'

/** Makes the rules of an endpoint whose accepted input is `T`, or of a record that is read to `T`. */
export interface RuleMaker<T>
  extends ConditionMaker<T>,
    AcyclicMaker<T>,
    AmongMaker<T>,
    ApartMaker<T>,
    AscendingMaker<T>,
    AtLeastOneMaker<T>,
    AtMostOneMaker<T>,
    CheckMaker<T>,
    CountMaker<T>,
    DifferMaker<T>,
    DistinctMaker<T>,
    EqualMaker<T>,
    ExactlyOneMaker<T>,
    FillMaker<T>,
    FindMaker<T>,
    FitsMaker<T>,
    GapMaker<T>,
    InOrderMaker<T>,
    NeededMaker<T>,
    OpenAtMaker<T>,
    SumWithinMaker<T>,
    TogetherMaker<T>,
    WhileMaker {}

/** The types stand in `RuleMaker`, where none may be missing; at run time one maker serves every endpoint. */
export const ruleMaker = on as RuleMaker<unknown> & { readonly [R in RuleName]: RuleMaker<unknown>[R] }

/** The addresses that a rule names, for a declaration to be compared with. */
export const addressesOf = (rule: AnyRule): readonly string[] => [
  ...new Set([...rule.reads, ...rule.blames, ...ruleOf(rule).names(rule), ...(rule.during ?? []).flatMap(addressesIn)]),
]

/** A rule where it applies: those of a record lie below it. */
export interface PlacedRule {
  readonly rule: AnyRule
  /** Declares what stands where it looks: of a record's rules, the record alone, whatever else may stand in its place. */
  readonly root: Node
  readonly base: Path
  /** The base, and the lists below it by whose elements the rule is judged. */
  readonly declared: Path
  /** The branch of a union that must be chosen there. */
  readonly guards: readonly { readonly path: Path; readonly value: string }[]
  /** The place at which it is judged, if that is one place, and all that it reads is at the same place in every input. */
  readonly scope: Scope | undefined
}

/** The lists below its record by whose elements a rule is judged. */
export const listsOf = (rule: AnyRule): Path =>
  listsShared(
    ruleOf(rule)
      .each(rule)
      .map((address) => parseAddress(address) ?? []),
  )

export function placeRule(rule: AnyRule, root: Node, base: Path, guards: PlacedRule['guards']): PlacedRule {
  const declared = [...base, ...listsOf(rule)]
  const isFixed = firstEach(declared) < 0 && !addressesOf(rule).some((one) => parseAddress(one)?.some(isFromEnd))
  const scope = isFixed ? { base, declared, concrete: declared, fixed: new Map() } : undefined
  return { rule, root, base, declared, guards, scope }
}
