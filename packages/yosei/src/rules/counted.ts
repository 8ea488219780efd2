/** What rules have in common that count how many of some fields were sent. */

import { Place } from '../kinds/run.js'
import { formatAddress, type Path, parseAddress, valueAt } from '../terms/address.js'
import type { Code } from '../terms/codes.js'
import { sound } from '../terms/mistake.js'
import { anAddress } from '../terms/taken.js'

import { concrete, faultOf, isNone, isPresent, pathOf } from './matter.js'
import { none, type Rule, type RuleOf } from './rule.js'

export interface Counted<R extends string> extends Rule {
  readonly rule: R
}

/** @param codeFor The code of the error where so many of all were sent; `undefined` where that is right. */
export const counting = <R extends string>(
  rule: R,
  code: Code,
  codeFor: (count: number, all: number) => Code | undefined,
): RuleOf<Counted<R>> => ({
  make: (...addresses: string[]) => ({ rule, code, reads: addresses, blames: [commonParent(addresses)] }),
  takes: [anAddress],
  hasRest: true,
  each: ({ reads }) => reads,
  waits: false,
  derives: false,
  compares: false,
  names: none,
  mistake: sound,
  code({ reads }, terms) {
    const sent = reads.map((address) => terms.isSent(address))
    const absent = terms.isParentAbsent(reads)
    if (sent.includes(undefined) || absent === undefined) return undefined
    const count = sent.map((one) => `(${one} ? 1 : 0)`).join(' + ')
    return `${absent} || ${terms.writer.bind(codeFor)}(${count || '0'}, ${reads.length}) === undefined`
  },
  judge(rule, { sent, input, scope }) {
    const paths = rule.reads.map((address) => pathOf(address, scope))
    // Of a record that was not sent nothing is asked.
    const parent = parentOf(paths)
    if (parent.length > 0 && (parent.length > 1 || parent[0] === 'body') && isNone(valueAt(sent, parent))) return []
    const wrong = codeFor(paths.filter((path) => isPresent(sent, path)).length, paths.length)
    if (wrong === undefined) return []
    const about = { addresses: paths.map((path) => new Place(path)) }
    // Fields of one record have it for their parent, which has no address inside of itself.
    const isOfRecord =
      scope.declared.length > 0 && parentOf(rule.reads.map((one) => parseAddress(one) ?? [])).length === 0
    const places = isOfRecord
      ? [scope.concrete]
      : rule.blames.flatMap((address) => concrete(input, pathOf(address, scope)))
    return places.map((path) => faultOf(rule, path, { code: wrong, about }))
  },
  sentence: ({ reads, blames }) => ({ code, about: { addresses: reads }, at: blames }),
})

/** The longest address that all of them lie in; the first of them where they share no part. */
function commonParent(addresses: readonly string[]): string {
  const parent = parentOf(addresses.map((address) => parseAddress(address) ?? []))
  return parent.length === 0 ? (addresses[0] ?? '') : formatAddress(parent)
}

/** The longest path that all of them lie in. */
function parentOf(paths: readonly Path[]): Path {
  const [first = []] = paths
  let shared = 0
  while (shared < first.length - 1 && paths.every((path) => path[shared] === first[shared])) shared++
  return first.slice(0, shared)
}
