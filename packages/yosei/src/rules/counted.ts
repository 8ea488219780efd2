/** What rules have in common that count how many of some fields were sent. */

import { Place } from '../kinds/run.js'
import { formatAddress, parseAddress } from '../terms/address.js'
import type { Code } from '../terms/codes.js'
import { concrete, faultOf, isPresent, pathOf } from './matter.js'
import { none, type Rule, type RuleOf, sound } from './rule.js'

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
  waits: false,
  derives: false,
  names: none,
  mistake: sound,
  judge(rule, { sent, input, base }) {
    const wrong = codeFor(
      rule.reads.filter((address) => isPresent(sent, pathOf(address, base))).length,
      rule.reads.length,
    )
    if (wrong === undefined) return []
    const about = { addresses: rule.reads.map((address) => new Place(pathOf(address, base))) }
    return rule.blames.flatMap((address) =>
      concrete(input, pathOf(address, base)).map((path) => faultOf(rule, path, { code: wrong, about })),
    )
  },
  sentence: ({ reads, blames }) => ({ code, about: { addresses: reads }, at: blames }),
})

/** The longest address that all of them lie in; the first of them where they share no part. */
function commonParent(addresses: readonly string[]): string {
  const paths = addresses.map((address) => parseAddress(address) ?? [])
  const first = paths[0] ?? []
  let shared = 0
  while (shared < first.length - 1 && paths.every((path) => path[shared] === first[shared])) shared++
  return shared === 0 ? (addresses[0] ?? '') : formatAddress(first.slice(0, shared))
}
