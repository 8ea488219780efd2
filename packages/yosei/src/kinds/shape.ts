/** What a value looks like when it is sent, behind what stands for another declaration. */
import type { Child, Node } from './kind.js'
import { resolve } from './later.js'

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

const secrecies = new WeakMap<Node, boolean>()

/** Whether a declaration is a secret, or has one anywhere below it. */
export function holdsSecret(node: Node, childrenOf: (node: Node) => readonly Child[]): boolean {
  const known = secrecies.get(node)
  if (known !== undefined) return known
  const seen = new Set<Node>()
  const look = (one: Node): boolean => {
    if (seen.has(one)) return false
    seen.add(one)
    return Boolean(one.secret) || childrenOf(one).some(([, child]) => look(child))
  }
  const holds = look(node)
  secrecies.set(node, holds)
  return holds
}

/** Whether a file stands anywhere in a declaration. */
export function holdsFile(node: Node, childrenOf: (node: Node) => readonly Child[], seen = new Set<Node>()): boolean {
  if (seen.has(node)) return false
  seen.add(node)
  return node.kind === 'file' || childrenOf(node).some(([, child]) => holdsFile(child, childrenOf, seen))
}
