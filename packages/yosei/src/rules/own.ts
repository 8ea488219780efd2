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

/** The function as code calls it: guarded only if what it says of a secret must not get out. */
export function ownCode<F extends (...all: never[]) => unknown>(rule: Calling, { root, path }: Terms, own: F): F {
  if (!rule.reads.some((address) => tellsSecret(root, path(address)))) return own
  return ((...all: never[]) => {
    try {
      return own(...all)
    } catch (cause) {
      throw withoutText(cause, named(rule))
    }
  }) as F
}

/** As a failure names it. */
export const named = ({ rule, reads }: Calling) => `the function of ${rule} over ${reads.join(', ')}`
