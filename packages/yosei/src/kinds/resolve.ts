/** What stands behind a declaration that is made when it is first needed. */
import type { Declared } from '../terms/declared.js'
import type { Node } from './kind.js'

declare module './kind.js' {
  interface Kinds {
    later: LaterNode
  }
}
export interface LaterNode extends Declared {
  readonly kind: 'later'
  readonly make: () => Node
}

const made = new WeakMap<LaterNode, Node>()

/** The node behind `later`, made once. */
export function resolve(node: LaterNode): Node {
  const known = made.get(node) ?? node.make()
  made.set(node, known)
  return known
}
