/** Functions of a declaration that rules call. */

import type { Node } from '../kinds/kind.js'
import { tellsSecret } from '../kinds/locate.js'
import { withoutText } from '../kinds/run.js'
import { atOnce } from '../terms/at-once.js'
import { pathOf, type Scope } from './input.js'
import type { Terms } from './terms.js'

interface Calling {
  readonly rule: string
  readonly reads: readonly string[]
}

/** Calls it where its rule is interpreted. */
export function callOwn(rule: Calling, root: Node, scope: Scope, call: () => unknown): unknown {
  try {
    return atOnce(call(), named(rule))
  } catch (cause) {
    throw rule.reads.some((address) => tellsSecret(root, pathOf(address, scope)))
      ? withoutText(cause, named(rule))
      : cause
  }
}

type Own = (...all: never[]) => unknown
/** The name of the function that code calls: guarded only if what it says of a secret must not get out. */
export const ownCode = (rule: Calling, { root, path, writer }: Terms, own: Own): string =>
  rule.reads.some((address) => tellsSecret(root, path(address))) ? writer.make(guarded, rule, own) : writer.bind(own)

export const guarded =
  (rule: Calling, own: Own) =>
  (...all: never[]): unknown => {
    try {
      return own(...all)
    } catch (cause) {
      throw withoutText(cause, named(rule))
    }
  }

/** As a failure names it. */
export const named = ({ rule, reads }: Calling) => `the function of ${rule} over ${reads.join(', ')}`
