/** What addresses are called towards clients, if an intake names them in its own way. */
import { childrenOf } from '../kinds/brought.js'
import type { Node } from '../kinds/kind.js'
import { EACH, EACH_NAME, type Path, tellAddress } from '../terms/address.js'
import type { Naming } from '../terms/hooks.js'
import type { Wording } from './messages.js'

/** A wording that calls addresses as an intake does. A name that it cannot make is ours. */
export const named = (wording: Wording, naming: Naming | undefined): Wording =>
  naming ? { ...wording, address: (path) => nameOf(path, naming) ?? tellAddress(path) } : wording

/** `undefined` if the function throws, or gives no text. */
export function nameOf(path: Path, naming: Naming): string | undefined {
  try {
    const name: unknown = naming(path)
    return typeof name === 'string' ? name : undefined
  } catch {
    return undefined
  }
}

/** Names of tables and elements of lists, as an example. */
const steps = new Map<unknown, string | number>([
  [EACH, 0],
  [EACH_NAME, 'name'],
])

/** Declarations that hold each other have more paths than can be listed: those nearest to the root are looked at. */
const mostPaths = 10_000

/** The paths of what is declared below a node: of each list one element, of each table one name. */
export function pathsBelow(node: Node, path: Path): Path[] {
  const all = [{ node, path, above: new Set([node]) }]
  for (const { node, path, above } of all)
    for (const [step, child] of childrenOf(node)) {
      if (above.has(child)) continue
      if (all.length === mostPaths) return all.map((one) => one.path)
      const below = step === undefined ? path : [...path, steps.get(step) ?? step]
      all.push({ node: child, path: below, above: new Set([...above, child]) })
    }
  return all.map((one) => one.path)
}
