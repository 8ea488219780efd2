/** What rules have in common that compare two addresses, element by element where both lie under the same `[]`. */

import type { Said } from '../catalogue/english.js'
import type { Node } from '../kinds/kind.js'
import { Place } from '../kinds/phrase.js'
import type { Fault } from '../kinds/run.js'
import { type Path, parseAddress, valueAt } from '../terms/address.js'
import type { Code } from '../terms/codes.js'
import type { Catalogue } from '../terms/hooks.js'
import { aFlag, anAddress } from '../terms/option-types.js'
import type { Parts } from '../terms/parts.js'
import type { One } from './condition.js'
import { blamedAt, declaredAt, faultOf, fixedAt, isNone, listsShared, pathOf, type Scope, strays } from './input.js'
import { type About, aboutAt, areTimes, type Order, orderAt, told, unlike } from './measure.js'
import { blameOptions, type LooseBlame, none, type Rule, type RuleInService, type RuleOf, worded } from './rule.js'
import type { Operator } from './terms.js'

/**
 * Whether two addresses go through the same lists as long as both go through any: elements of two lists are no pairs.
 */
type Paired<A extends string, B extends string> = A extends `${infer P}[]${infer InA}`
  ? B extends `${infer Q}[]${infer InB}`
    ? [P, Q] extends [Q, P]
      ? Paired<InA, InB>
      : false
    : true
  : true
/** What the compiler's error names if the values at `B` are never of a kind with those at `A`. */
export interface DoesNotCompare<B, A> {
  readonly '~never': readonly [B, A]
}
/** The same if both lie in lists, and not in one. */
export interface LiesInAnotherList<B, A> {
  readonly '~never': readonly [B, A]
}
/**
 * `B`, if one of its values can be one at `A`; of several those that can, which an editor offers. A mapped type, since a
 * conditional one would be asked of every address for each rule.
 */
export type Like<T, A extends string, B extends string> = { [K in B]: AsLike<T, A, K> }[B]
type AsLike<T, A extends string, B extends string> = [One<T, B>] extends [One<T, A>]
  ? B
  : [One<T, A>] extends [One<T, B>]
    ? B
    : DoesNotCompare<B, A>
/** The same of addresses whose values are compared one with one. */
export type Compared<T, A extends string, B extends string> = {
  [K in B]: Paired<A, K> extends false ? LiesInAnotherList<K, A> : AsLike<T, A, K>
}[B]

export interface Comparing<R extends string> extends Rule {
  readonly rule: R
  readonly orEqual?: boolean
}

/** A rule that holds where the order of two values is right. */
export const comparing = /* @__NO_SIDE_EFFECTS__ */ <R extends string>(
  rule: R,
  code: Code,
  isRight: (found: number, orEqual: boolean) => boolean,
  /** Whether its words differ for times, for either side, and where both may be the same. */
  hasOrder: boolean,
  words: Catalogue,
): RuleOf<Comparing<R>> => ({
  words,
  make(first: string, second: string, options: LooseBlame & { orEqual?: boolean } = {}) {
    const { code: own = code, blames = [second], orEqual = false } = options
    return { rule, code: own, reads: [first, second], blames, ...(hasOrder ? { orEqual } : {}), ...worded(options) }
  },
  each: ({ reads }) => {
    const [first = '', second = ''] = reads
    const depth = (address: string) => listsShared([parseAddress(address) ?? []]).length
    return [depth(second) > depth(first) ? second : first]
  },
  waits: ({ reads }) => reads,
  elements: none,
  judgesKnown: false,
  derives: false,
  names: none,
  judge(given, matter) {
    const { root, input, scope } = matter
    const plan = fixedAt(scope, given, () => planOf(given, root, scope, code, hasOrder))
    const [a, b] = [valueAt(input, plan.first), valueAt(input, plan.second)]
    return isNone(a) || isNone(b) || isRight(plan.order(a, b), given.orEqual ?? false)
      ? []
      : faultsOf(given, plan, input, [a, b])
  },
})

export const comparingInService = /* @__NO_SIDE_EFFECTS__ */ <R extends string>(
  rule: R,
  code: Code,
  operators: { readonly strict: Operator; readonly orEqual: Operator },
  hasOrder: boolean,
): RuleInService<Comparing<R>> => ({
  takes: [anAddress, anAddress, hasOrder ? { ...blameOptions, orEqual: aFlag } : blameOptions],
  compares: true,
  mistake: (given, root) => mistakeOfPlaces(given) ?? unlike(rule, given.reads, root, hasOrder),
  code({ reads: [first = '', second = ''], orEqual }, terms) {
    const [a, b] = [terms.value(first), terms.value(second)]
    if (a === undefined || b === undefined) return undefined
    const test = terms.compare(first, a, orEqual ? operators.orEqual : operators.strict, b, terms.sort(second))
    return `${a} == null || ${b} == null || ${test}`
  },
  tells: {
    values: ({ reads }, terms) => reads.map((address) => terms.value(address) as string),
    at(given, root, scope) {
      const plan = planOf(given, root, scope, code, hasOrder)
      return (input, a, b) => faultsOf(given, plan, input, [a, b])
    },
  },
  sentence({ reads: [first = '', second = ''], blames, orEqual }, { isTime }) {
    const sides = new Set(blames.map((one) => (one === second ? 'second' : one === first ? 'first' : 'neither')))
    const [side = 'neither'] = sides.size === 1 ? sides : []
    const variant = variantOf(side, hasOrder, isTime(first), orEqual)
    const about = side === 'first' ? { other: second } : side === 'second' ? { other: first } : { first, other: second }
    // Which variants a code has, its order says: a test looks at the outline of each.
    return { ...({ code, variant } as Said), about, at: blames }
  },
})

/** What a comparison needs to know of the two places. */
interface Plan {
  readonly first: Path
  readonly second: Path
  readonly about: readonly [first: About, second: About]
  readonly order: Order
  readonly blamed: readonly Path[]
  readonly saidAs: Code
  readonly hasOrder: boolean
  readonly isTime: boolean
}

function planOf({ reads, blames }: Rule, root: Node, scope: Scope, saidAs: Code, hasOrder: boolean): Plan {
  const [first, second] = reads.map((address) => pathOf(address, scope)) as [Path, Path]
  const aboutRead = (at: 0 | 1) => aboutAt(root, scope.base, reads[at] as string, at === 0 ? first : second)
  const about = [aboutRead(0), aboutRead(1)] as const
  return {
    first,
    second,
    about,
    order: orderAt(root, declaredAt(reads[0] as string, scope), `${scope.base} ${reads[0]}`),
    blamed: blames.map((address) => pathOf(address, scope)),
    saidAs,
    hasOrder,
    isTime: hasOrder && about.some(({ measures }) => measures.some((measure) => areTimes.includes(measure))),
  }
}

function faultsOf(
  given: Comparing<string>,
  plan: Plan,
  input: Parts,
  values: readonly [first: unknown, second: unknown],
): readonly Fault[] {
  const faults: Fault[] = []
  for (const blamed of plan.blamed)
    for (const path of blamedAt(input, blamed)) faults.push(faultAt(given, path, plan, values))
  return faults
}

/** What is reported where one of the two, or something else, is blamed: the other, and what was sent if it is no secret. */
function faultAt(
  given: Comparing<string>,
  path: Path,
  { first, second, about, saidAs, hasOrder, isTime }: Plan,
  values: readonly [first: unknown, second: unknown],
): Fault {
  const at = isSame(path, second) ? 1 : isSame(path, first) ? 0 : undefined
  if (at === undefined) {
    const variant = variantOf('neither', hasOrder, isTime, given.orEqual)
    return faultOf(given, path, { saidAs, variant, about: { first: new Place(first), other: new Place(second) } })
  }
  const other = at === 0 ? 1 : 0
  const spoken = (one: 0 | 1) => told(values[one], () => about[one].measures)
  const place = new Place(other === 0 ? first : second)
  // Of what is the same as a secret, nothing is reported that would not be reported of the secret.
  const isSameAsSecret = saidAs === 'equal_not_allowed' && about.some(({ isSecret }) => isSecret)
  const isTold = (one: 0 | 1) => !about[one].isSecret && !isSameAsSecret
  return faultOf(given, path, {
    saidAs,
    variant: variantOf(at === 0 ? 'first' : 'second', hasOrder, isTime, given.orEqual),
    about: isTold(other) ? { other: place, value: spoken(other) } : { other: place },
    sent: isTold(at) ? spoken(at) : undefined,
    hides: isSameAsSecret ? [first, second] : undefined,
  })
}

/** Which of the two is blamed. */
type Side = 'first' | 'second' | 'neither'

/** The words follow from the side that is blamed. */
function variantOf(side: Side, hasOrder: boolean, isTime: boolean, orEqual = false): string | undefined {
  if (!hasOrder) return side === 'neither' ? side : undefined
  return `${side}${isTime ? 'Time' : ''}${orEqual ? 'OrEqual' : ''}`
}

export const isSame = (a: Path, b: Path) =>
  a === b || (a.length === b.length && a.every((key, index) => key === b[index]))

/** Elements of two lists are no pairs: what compares them would have to compare each with each. */
export function mistakeOfPlaces({ reads, blames }: Rule): readonly [what: string, mend: string] | undefined {
  const [first, second] = reads.map((address) => parseAddress(address) as Path) as [Path, Path]
  if (strays(first, second) && strays(second, first))
    return [
      `${reads.join(' and ')} lie in two lists, whose elements are no pairs`,
      'Compare within one list, or write a check',
    ]
  const stray = blames.find((address) => {
    const path = parseAddress(address) as Path
    return strays(path, first) && strays(path, second)
  })
  return stray === undefined
    ? undefined
    : [`it blames ${stray}, in a list that it does not compare`, 'Blame an address in the lists that it reads']
}
