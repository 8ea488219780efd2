/** What conditions are made with, and what is asked of any of them. */

import { Place } from '../kinds/phrase.js'
import { valueAt } from '../terms/address.js'
import type { Mistake } from '../terms/mistake.js'
import type { AboveMaker } from './above.js'
import type { AcceptsMaker } from './accepts.js'
import type { AllMaker } from './all.js'
import { conditionInService, conditionOf, on } from './brought.js'
import type { AnyCondition, ConditionName, Holding } from './condition.js'
import type { SuitsMaker } from './fits.js'
import { declaredAt, once, pathOf, type RuleInput } from './input.js'
import type { IsMaker } from './is.js'
import { type Measure, toldAt } from './measure.js'
import type { NotMaker } from './not.js'
import { isOther, type OtherMaker, toldOther } from './other.js'
import type { SentMaker } from './sent.js'

/** Makes conditions on an accepted input `T`. */
export interface ConditionMaker<T>
  extends AboveMaker<T>,
    AcceptsMaker,
    AllMaker,
    IsMaker<T>,
    NotMaker,
    OtherMaker<T>,
    SentMaker<T>,
    SuitsMaker<T> {}

/** The types stand in `ConditionMaker`, where none may be missing; at run time one maker serves every endpoint. */
export const conditionMaker = on as ConditionMaker<unknown> & {
  readonly [C in ConditionName]: ConditionMaker<unknown>[C]
}

/** The addresses that a condition looks at. */
export const addressesIn = (condition: AnyCondition): readonly string[] =>
  conditionOf(condition).addresses(condition, addressesIn)

/** What makes no sense about a condition, and the mend. */
export const mistakeIn = (
  condition: AnyCondition,
  measuresOf: (address: string) => readonly Measure[],
): Mistake | undefined =>
  conditionInService(condition).mistake(condition, measuresOf, (inner) => mistakeIn(inner, measuresOf))

export function holdingOf(condition: AnyCondition, matter: RuleInput): Holding {
  const paths = () => addressesIn(condition).map((address) => pathOf(address, matter.scope))
  return once(matter, condition, paths, () =>
    conditionOf(condition).holding(condition, matter, (inner) => holdingOf(inner, matter)),
  )
}

/** A condition whose values are as clients write them, for words. */
export function toldCondition(
  condition: AnyCondition,
  place: Pick<RuleInput, 'root' | 'scope' | 'input'>,
): AnyCondition {
  const at = (address: string) => pathOf(address, place.scope)
  const value = (address: string, one: unknown) =>
    isOther(one)
      ? toldOther(one, at, (path) => toldAt(place.root, declaredAt(one.other, place.scope), valueAt(place.input, path)))
      : toldAt(place.root, declaredAt(address, place.scope), one)
  const told = conditionOf(condition).told(condition, value, (inner) => toldCondition(inner, place))
  // A record's own rules say where a field is inside of it; who reads an error looks from the outside.
  return 'address' in told ? ({ ...told, address: new Place(at(told.address)) } as unknown as AnyCondition) : told
}
