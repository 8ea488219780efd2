/** Must be sent, or must not be sent, while a condition holds. */

import { absentWords, neededWords } from '../catalogue/english.js'
import type { Fault } from '../kinds/run.js'
import { type Address, firstEach, type Path, parseAddress, valueAt } from '../terms/address.js'
import type { Code } from '../terms/codes.js'
import type { Catalogue } from '../terms/hooks.js'
import { aCondition, anAddress } from '../terms/option-types.js'
import type { AnyCondition, Condition, Holding } from './condition.js'
import { addressesIn, holdingOf, mistakeIn, toldCondition } from './conditions.js'
import { concrete, faultOf, isNone, isPresent, pathOf, type RuleInput } from './input.js'
import { aboutAt } from './measure.js'
import {
  type LooseBlame,
  none,
  type Rule,
  type RuleInService,
  type RuleOf,
  type Wording,
  worded,
  wordOptions,
} from './rule.js'

declare module './rule.js' {
  interface Rules {
    needed: Conditional<'needed'>
    absent: Conditional<'absent'>
  }
}
export interface NeededMaker<T> {
  /** Must be sent while the condition holds. */
  needed(address: Address<T>, when: Condition, options?: Wording): Rule
  /** Must not be sent while the condition holds. */
  absent(address: Address<T>, when: Condition, options?: Wording): Rule
}
export interface Conditional<R extends 'needed' | 'absent'> extends Rule {
  readonly rule: R
  readonly address: string
  readonly when: AnyCondition
}

/** What the words speak of: made when they are, since many errors are reported by code alone. */
export class During {
  readonly #condition: AnyCondition
  readonly #place: Pick<RuleInput, 'root' | 'scope' | 'input'>
  readonly [name: string]: unknown
  constructor(condition: AnyCondition, place: Pick<RuleInput, 'root' | 'scope' | 'input'>) {
    this.#condition = condition
    this.#place = place
  }
  get when(): AnyCondition {
    return toldCondition(this.#condition, this.#place)
  }
}

function faultAt(
  rule: Conditional<'needed' | 'absent'>,
  saidAs: Code,
  path: Path,
  place: Pick<RuleInput, 'root' | 'scope' | 'input'>,
): Fault {
  const { root, scope } = place
  const isHidden = addressesIn(rule.when).some(
    (address) => aboutAt(root, scope.base, address, pathOf(address, scope)).isSecret,
  )
  return faultOf(rule, path, isHidden ? { saidAs, variant: 'secret' } : { saidAs, about: new During(rule.when, place) })
}

/**
 * The elements of lists and tables that a path leads through, the innermost first: of one that is null nothing inside of
 * it is asked.
 */
const elementsAlong = (path: Path): readonly Path[] =>
  path
    .flatMap((step, at) => (typeof step === 'number' && at < path.length - 1 ? [path.slice(0, at + 1)] : []))
    .reverse()

const conditional = /* @__NO_SIDE_EFFECTS__ */ <R extends 'needed' | 'absent'>(
  rule: R,
  code: Code,
  isWrong: (isSent: boolean) => boolean,
  words: Catalogue,
): RuleOf<Conditional<R>> => ({
  words,
  make: (address: string, when: AnyCondition, { code: own = code, ...rest }: LooseBlame = {}) => {
    const reads = [address, ...addressesIn(when)]
    return { rule, code: own, address, when, reads, blames: [address], ...worded(rest) }
  },
  each: ({ address }) => [address],
  waits: none,
  elements: none,
  judgesKnown: false,
  // What must not be there at all must not be there however wrong it is.
  minds: ({ address, when }) => (isWrong(true) && !addressesIn(when).includes(address) ? [address] : []),
  derives: false,
  names: ({ address }) => [address],
  judge(rule, matter) {
    const { input, scope } = matter
    const declared = [...scope.base, ...(parseAddress(rule.address) ?? [])]
    const faults: Fault[] = []
    let isDue: Holding | undefined
    for (const one of concrete(input, pathOf(rule.address, scope))) {
      if (!isWrong(isPresent(matter, one))) continue
      isDue ??= holdingOf(rule.when, matter)
      const isInNone = elementsAlong(declared).some(({ length }) => isNone(valueAt(input, one.slice(0, length))))
      if (isDue(one) && !isInNone) faults.push(faultAt(rule, code, one, matter))
    }
    return faults
  },
})

const conditionalInService = /* @__NO_SIDE_EFFECTS__ */ <R extends 'needed' | 'absent'>(
  code: 'needed' | 'not_allowed_here',
  isWrong: (isSent: boolean) => boolean,
): RuleInService<Conditional<R>> => ({
  takes: [anAddress, aCondition, wordOptions],
  compares: false,
  mistake: ({ when }, measuresOf) => mistakeIn(when, measuresOf),
  code({ address, when }, terms) {
    const [sent, due] = [terms.isSent(address), terms.when(when)]
    const holders = elementsAlong(terms.path(address)).map(terms.valueAt)
    if (sent === undefined || due === undefined || holders.includes(undefined)) return undefined
    return [...holders.map((holder) => `${holder} == null`), `!${due}`, `${isWrong(true) ? '!' : ''}${sent}`].join(
      ' || ',
    )
  },
  tells: {
    // Which elements of lists a condition holds against each other depends on more than its code looks at.
    values: ({ when }, terms) =>
      addressesIn(when).some((address) => firstEach(terms.path(address)) >= 0) ? undefined : [],
    at(rule, root, scope) {
      const path = pathOf(rule.address, scope)
      return (input) => [faultAt(rule, code, path, { root, scope, input })]
    },
  },
  sentence: ({ when, blames }, { isSecret }) =>
    addressesIn(when).some(isSecret)
      ? { code, variant: 'secret', at: blames }
      : { code, variant: undefined, about: { when }, at: blames },
})

const isMissing = (isSent: boolean) => !isSent
const isThere = (isSent: boolean) => isSent
/** The rule `needed`, for `use`. */
export const needed = conditional('needed', 'needed', isMissing, neededWords)
/** The rule `absent`, for `use`. */
export const absent = conditional('absent', 'not_allowed_here', isThere, absentWords)
export const neededInService = conditionalInService<'needed'>('needed', isMissing)
export const absentInService = conditionalInService<'absent'>('not_allowed_here', isThere)
