/** What rules have in common that compare two addresses, element by element where both lie under the same `[]`. */

import { isSecret } from '../kinds/locate.js'
import { Place } from '../kinds/run.js'
import { type Address, type At, type Path, parseAddress, valueAt } from '../terms/address.js'
import type { Code } from '../terms/codes.js'
import { aFlag, anAddress } from '../terms/taken.js'
import { concrete, faultOf, isNone, listsShared, pathOf, strays } from './matter.js'
import { type About, aboutAt, areTimes, orderAt, told, toldAt, unlike } from './measure.js'
import { blameOptions, type LooseBlame, none, type Rule, type RuleOf, worded } from './rule.js'
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
/** The address `B`, where one value can be the other. */
type Alike<T, A extends string, B extends string> =
  Paired<A, B> extends false
    ? never
    : [NonNullable<At<T, B>>] extends [NonNullable<At<T, A>>]
      ? B
      : [NonNullable<At<T, A>>] extends [NonNullable<At<T, B>>]
        ? B
        : never
/** The addresses whose values can be compared with those at `A`: what an error names, and an editor offers. */
export type AlikeTo<T, A extends string> = { [B in Address<T>]: Alike<T, A, B> }[Address<T>]

export interface Comparing<R extends string> extends Rule {
  readonly rule: R
  readonly orEqual?: boolean
}

/** A rule that holds where the order of two values is right. */
export const comparing = <R extends string>(
  rule: R,
  code: Code,
  operators: { readonly strict: Operator; readonly orEqual: Operator },
  isRight: (found: number, orEqual: boolean) => boolean,
  /** Whether its words differ for times, for either side, and where both may be the same. */
  hasOrder: boolean,
): RuleOf<Comparing<R>> => ({
  make(first: string, second: string, options: LooseBlame & { orEqual?: boolean } = {}) {
    const { code: own = code, blames = [second], orEqual = false } = options
    return { rule, code: own, reads: [first, second], blames, ...(hasOrder ? { orEqual } : {}), ...worded(options) }
  },
  takes: [anAddress, anAddress, hasOrder ? { ...blameOptions, orEqual: aFlag } : blameOptions],
  each: ({ reads }) => {
    const [first = '', second = ''] = reads
    const depth = (address: string) => listsShared([parseAddress(address) ?? []]).length
    return [depth(second) > depth(first) ? second : first]
  },
  waits: true,
  derives: false,
  compares: true,
  names: none,
  mistake: (given, root) => mistakeOf(given) ?? unlike(rule, given.reads, root, hasOrder),
  code({ reads: [first = '', second = ''], orEqual }, terms) {
    const [a, b] = [terms.value(first), terms.value(second)]
    if (a === undefined || b === undefined) return undefined
    const test = terms.compare(first, a, orEqual ? operators.orEqual : operators.strict, b, terms.sort(second))
    return `${a} == null || ${b} == null || ${test}`
  },
  judge(given, { root, input, scope }) {
    const [first, second] = given.reads.map((address) => pathOf(address, scope)) as [Path, Path]
    const [a, b] = [valueAt(input, first), valueAt(input, second)]
    if (isNone(a) || isNone(b)) return []
    const order = orderAt(root, first, `${scope.base} ${given.reads[0]}`)
    if (isRight(order(a, b), given.orEqual ?? false)) return []
    const [about, aboutSecond] = given.reads.map((address, at) =>
      aboutAt(root, scope.base, address, at === 0 ? first : second),
    ) as [About, About]
    const isTime = hasOrder && about.measures.some((measure) => areTimes.includes(measure))
    const echo = <K extends string>(key: K, path: Path, value: unknown) => {
      const known = path === first ? about : path === second ? aboutSecond : undefined
      if (known ? known.isSecret : isSecret(root, path)) return {}
      return { [key]: known ? told(value, () => known.measures) : toldAt(root, path, value) }
    }
    return given.blames.flatMap((address) =>
      concrete(input, pathOf(address, scope)).map((path) => {
        const side = isSame(path, second) ? 'second' : isSame(path, first) ? 'first' : 'neither'
        const [other, value, sent] = side === 'first' ? [second, b, a] : [first, a, b]
        const own = side === 'first' ? first : second
        const variant = variantOf(side, hasOrder, isTime, given.orEqual)
        if (side === 'neither')
          return faultOf(given, path, { variant, about: { first: new Place(first), other: new Place(second) } })
        const spoken = { other: new Place(other), ...echo('value', other, value) }
        return faultOf(given, path, { variant, about: spoken, ...echo('sent', own, sent) })
      }),
    )
  },
  sentence({ reads: [first = '', second = ''], blames, orEqual }, { isTime }) {
    const sides = new Set(blames.map((one) => (one === second ? 'second' : one === first ? 'first' : 'neither')))
    const [side = 'neither'] = sides.size === 1 ? sides : []
    const variant = variantOf(side, hasOrder, isTime(first), orEqual)
    const about = side === 'first' ? { other: second } : side === 'second' ? { other: first } : { first, other: second }
    return { code, variant, about, at: blames }
  },
})

/** Which of the two is blamed. */
type Side = 'first' | 'second' | 'neither'

/** The words follow from the side that is blamed. */
function variantOf(side: Side, hasOrder: boolean, isTime: boolean, orEqual = false): string | undefined {
  if (!hasOrder) return side === 'neither' ? side : undefined
  const variant = [side, ...(isTime ? ['time'] : []), ...(orEqual ? ['orEqual'] : [])]
  return variant.map((word, index) => (index === 0 ? word : word[0]?.toUpperCase() + word.slice(1))).join('')
}

const isSame = (a: Path, b: Path) => a.length === b.length && a.every((key, index) => key === b[index])

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
