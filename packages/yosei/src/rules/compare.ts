/** What rules have in common that compare two addresses, element by element where both lie under the same `[]`. */

import { writeInstant } from '../grammar/times.js'
import { isSecret } from '../kinds/locate.js'
import { type Fault, Place } from '../kinds/run.js'
import { type Address, type At, EACH, formatAddress, type Path, parseAddress, valueAt } from '../terms/address.js'
import type { Code } from '../terms/codes.js'
import { concrete, faultOf, indicesShared, isExact, isNone, type Matter, order, pathOf } from './matter.js'
import { type Blame, none, type Rule, type RuleOf, worded } from './rule.js'

/**
 * Whether two addresses go through the same lists as long as both go through any: elements of two lists are no pairs.
 */
export type Paired<A extends string, B extends string> = A extends `${infer P}[]${infer InA}`
  ? B extends `${infer Q}[]${infer InB}`
    ? [P, Q] extends [Q, P]
      ? Paired<InA, InB>
      : false
    : true
  : true
/** The second address, where one value can be the other. */
export type Alike<T, A extends Address<T>, B extends Address<T>> =
  Paired<A, B> extends false
    ? never
    : [NonNullable<At<T, B>>] extends [NonNullable<At<T, A>>]
      ? B
      : [NonNullable<At<T, A>>] extends [NonNullable<At<T, B>>]
        ? B
        : never

export interface Comparing<R extends string> extends Rule {
  readonly rule: R
  readonly orEqual?: boolean
}

/** A rule that holds where the order of two values is right. */
export const comparing = <R extends string>(
  rule: R,
  code: Code,
  isRight: (found: number, orEqual: boolean) => boolean,
  /** Whether its words differ for instants, and where both may be the same. */
  hasOrder: boolean,
): RuleOf<Comparing<R>> => ({
  make(first: string, second: string, options: Blame & { orEqual?: boolean } = {}) {
    const { code: own = code, blames = [second], orEqual = false, message } = options
    return { rule, code: own, reads: [first, second], blames, ...(hasOrder ? { orEqual } : {}), ...worded(message) }
  },
  waits: true,
  derives: false,
  names: none,
  mistake: mistakeOf,
  judge: (rule, matter) => judge(rule, matter, (found) => isRight(found, rule.orEqual ?? false), hasOrder),
  sentence({ reads: [other = '', second = ''], blames, orEqual }, isInstant) {
    return { code, variant: hasOrder ? variantOf(isInstant(second), orEqual) : undefined, about: { other }, at: blames }
  },
})

const variantOf = (isInstant: boolean, orEqual = false): string | undefined =>
  isInstant ? (orEqual ? 'instantOrEqual' : 'instant') : orEqual ? 'orEqual' : undefined

/** Elements of two lists are no pairs: what compares them would have to compare each with each. */
function mistakeOf({ reads, blames }: Rule): readonly [what: string, mend: string] | undefined {
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

/** Whether a path goes through a list that another does not. */
function strays(path: Path, other: Path): boolean {
  const parts = path.findIndex((key, index) => key !== other[index])
  return parts >= 0 && path.includes(EACH, parts)
}

function judge(
  rule: Rule & { readonly orEqual?: boolean },
  matter: Matter,
  isRight: (found: number) => boolean,
  hasOrder: boolean,
): Fault[] {
  const { root, input, base } = matter
  const [first, second] = rule.reads.map((address) => pathOf(address, base)) as [Path, Path]
  const faults: Fault[] = []
  let exact: boolean | undefined
  const echo = <K extends string>(key: K, path: Path) =>
    isSecret(root, path) ? {} : { [key]: shown(valueAt(input, path)) }
  const blames = rule.blames.map((address) => pathOf(address, base))
  const isFirst = (path: Path) => formatAddress(path) === formatAddress(first)
  for (const right of concrete(input, second)) {
    for (const left of concrete(input, first, indicesShared(first, right))) {
      const [a, b] = [valueAt(input, left), valueAt(input, right)]
      if (isNone(a) || isNone(b)) continue
      // Only texts can be decimals.
      if (typeof a === 'string') exact ??= isExact(root, first)
      if (isRight(order(a, b, exact ?? false))) continue
      const variant = hasOrder ? variantOf(b instanceof Date, rule.orEqual) : undefined
      for (const blamed of blames) {
        const other = isFirst(blamed) ? right : left
        // One of the two holds every index that there is.
        const [onLeft, onRight] = [indicesShared(blamed, left), indicesShared(blamed, right)]
        for (const path of concrete(input, blamed, onLeft.length > onRight.length ? onLeft : onRight)) {
          const about = { other: new Place(other), ...echo('value', other) }
          faults.push(faultOf(rule, path, { variant, about, ...echo('sent', path) }))
        }
      }
    }
  }
  return faults
}

const shown = (value: unknown) => (value instanceof Date ? writeInstant(value) : value)
