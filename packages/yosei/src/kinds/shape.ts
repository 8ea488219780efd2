/** What a value looks like when it is sent, behind what stands for another declaration. */
import type { Child, Node } from './kind.js'
import { resolve } from './resolve.js'

/** The node that decides what a value looks like when it is sent: behind every `later` and `readAs`. */
export function sentShape(node: Node): Exclude<Node, { kind: 'later' | 'readAs' }> {
  let at = node
  for (let steps = 0; at.kind === 'later' || at.kind === 'readAs'; steps++) {
    if (steps > 100) throw new RangeError('later never comes to a value')
    at = at.kind === 'later' ? resolve(at) : at.base
  }
  return at
}

/** What a client may send for a declaration: behind `later` and `readAs`, and each branch of a union. */
export function formsOf(node: Node): readonly Node[] {
  const forms = new Set<Node>()
  const seen = new Set<Node>()
  const look = (one: Node): void => {
    if (seen.has(one)) return
    seen.add(one)
    if (one.kind === 'later') look(resolve(one))
    else if (one.kind === 'readAs') look(one.base)
    else if (one.kind === 'either') for (const branch of one.branches) look(branch)
    else forms.add(one)
  }
  look(node)
  return [...forms]
}

/** Whether an empty text is a value where text is read, and not one that was not sent: of a union, for any branch. */
export const keepsEmpty = (node: Node): boolean => formsOf(node).some((form) => form.kind === 'text' && form.keepEmpty)

type ChildrenOf = (node: Node) => readonly Child[]

/** Tells whether a node, or one anywhere in it, is so; what was found is kept. */
/* @__NO_SIDE_EFFECTS__ */
export function anywhere(isSo: (node: Node) => boolean): (node: Node, childrenOf: ChildrenOf) => boolean {
  const found = new WeakMap<Node, boolean>()
  return (node, childrenOf) => {
    const known = found.get(node)
    if (known !== undefined) return known
    const seen = new Set<Node>()
    const look = (one: Node): boolean => {
      if (seen.has(one)) return false
      seen.add(one)
      return isSo(one) || childrenOf(one).some(([, child]) => look(child))
    }
    const is = look(node)
    found.set(node, is)
    return is
  }
}

/** Whether a declaration is a secret, or has one anywhere below it. */
export const holdsSecret = anywhere(({ secret }) => Boolean(secret))

/** Whether a record with rules of its own stands anywhere in a declaration. */
export const holdsRules = anywhere((node) => node.kind === 'record' && (node.rules?.length ?? 0) > 0)

/** Whether a file stands anywhere in a declaration. */
export const holdsFile = anywhere(({ kind }) => kind === 'file')

const sizes = /* @__PURE__ */ new WeakMap<Node, number>()
/** How many declarations stand in one, each as often as it does; what is declared later is one. */
export function sizeOf(node: Node, childrenOf: ChildrenOf): number {
  const known = sizes.get(node)
  if (known !== undefined) return known
  const inner = node.kind === 'later' ? [] : childrenOf(node)
  const size = inner.reduce((sum, [, child]) => sum + sizeOf(child, childrenOf), 1)
  sizes.set(node, size)
  return size
}
/** What is larger is written once if it stands in several places. */
const large = 2000
export const isLarge = (node: Node, childrenOf: ChildrenOf): boolean => sizeOf(node, childrenOf) > large
