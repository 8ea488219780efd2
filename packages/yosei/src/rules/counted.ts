/** What rules have in common that count how many of some fields were sent. */

import type { Said } from '../catalogue/english.js'
import { Place } from '../kinds/phrase.js'
import { firstEach, formatAddress, type Path, parseAddress, valueAt } from '../terms/address.js'
import type { Code } from '../terms/codes.js'
import type { Catalogue } from '../terms/hooks.js'
import { anAddress } from '../terms/option-types.js'

import { blamedAt, faultOf, isNone, isPresent, pathOf, placesOf } from './input.js'
import {
  type Blame,
  blameOptions,
  type LooseBlame,
  none,
  type Reads,
  type Rule,
  type RuleInService,
  type RuleOf,
  withOptions,
  worded,
} from './rule.js'

export interface Counted<R extends string> extends Rule {
  readonly rule: R
}

/** Some addresses; last, options. */
export type Counting<T> = (...given: readonly [...Reads<T>] | readonly [...Reads<T>, Blame<T>]) => Rule

/** @param codeFor The code of the error where so many of all were sent; `undefined` if that is right. */
export const counting = /* @__NO_SIDE_EFFECTS__ */ <R extends string>(
  rule: R,
  code: Code,
  codeFor: (count: number, all: number) => Code | undefined,
  words: Catalogue,
): RuleOf<Counted<R>> => ({
  words,
  make(...given: (string | LooseBlame)[]) {
    const [reads, { code: own = code, blames = [commonParent(reads)], ...rest }] = withOptions(given)
    return { rule, code: own, reads, blames, ...worded(rest) }
  },
  each: ({ reads }) => reads,
  waits: none,
  elements: ({ reads }) => reads,
  judgesKnown: false,
  derives: false,
  names: none,
  judge(rule, matter) {
    const { sent, input, scope } = matter
    const paths = rule.reads.map((address) => pathOf(address, scope))
    // Of a record that was not sent nothing is asked.
    const parent = parentOf(paths)
    if (parent.length > 0 && (parent.length > 1 || parent[0] === 'body') && isNone(valueAt(sent, parent))) return []
    const isSent = (address: string) => placesOf(address, matter).some((place) => isPresent(matter, place))
    const wrong = codeFor(rule.reads.filter(isSent).length, paths.length)
    if (wrong === undefined) return []
    const about = { addresses: paths.map((path) => new Place(path)) }
    // Fields of one record have it for their parent, which has no address inside of itself.
    const isOfRecord =
      scope.declared.length > 0 && parentOf(rule.reads.map((one) => parseAddress(one) ?? [])).length === 0
    const places = isOfRecord
      ? [scope.concrete]
      : rule.blames.flatMap((address) => blamedAt(input, pathOf(address, scope)))
    return places.map((path) =>
      faultOf(rule, path, { code: rule.code === code ? wrong : rule.code, saidAs: wrong, about }),
    )
  },
})

export const countingInService = /* @__NO_SIDE_EFFECTS__ */ <R extends string>(
  codeFor: (count: number, all: number) => Code | undefined,
  /** The words of the rule. */
  said: Said,
  /** So many addresses it needs to mean anything. */
  least = 2,
): RuleInService<Counted<R>> => ({
  takes: [anAddress, blameOptions],
  hasRest: true,
  compares: false,
  mistake({ reads }) {
    const twice = reads.find((address, at) => reads.indexOf(address) < at)
    if (twice !== undefined) return [`it names ${twice} twice`, 'Name each address once']
    return reads.length < least
      ? [`it names ${reads.length === 1 ? 'one address' : 'no address'}`, `Name ${least === 1 ? 'one' : 'two'} or more`]
      : undefined
  },
  code({ reads }, terms) {
    const sent = reads.map((address) => terms.isSent(address))
    const absent = terms.isParentAbsent(reads)
    if (sent.includes(undefined) || absent === undefined) return undefined
    const count = sent.map((one) => `(${one} ? 1 : 0)`).join(' + ')
    return `${absent} || ${terms.writer.bind(codeFor)}(${count || '0'}, ${reads.length}) === undefined`
  },
  sentence({ reads, blames }) {
    // Fields of one record have it for their parent, which has no address inside of itself.
    const isOfRecord = blames[0] === reads[0] && reads.every((address) => parseAddress(address)?.length === 1)
    return { ...said, about: { addresses: reads }, at: isOfRecord ? ['it'] : blames }
  },
})

/** The longest address that all of them lie in; if they share no part, the first of them, or the list that it leads into. */
function commonParent(addresses: readonly string[]): string {
  const paths = addresses.map((address) => parseAddress(address) ?? [])
  const parent = parentOf(paths)
  const [first = []] = paths
  const each = firstEach(first)
  return formatAddress(parent.length > 0 ? parent : each < 0 ? first : first.slice(0, each))
}

/** The longest path that all of them lie in. */
function parentOf(paths: readonly Path[]): Path {
  const [first = []] = paths
  let shared = 0
  while (shared < first.length - 1 && paths.every((path) => path[shared] === first[shared])) shared++
  return first.slice(0, shared)
}
