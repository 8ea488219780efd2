/** Finds the declaration behind a path. */
import type { Path } from '../declare/address.js'
import type { Node } from '../declare/node.js'

/** The nodes along a path, from the root on; ends early where the path leaves what is declared. */
function nodesAlong(root: Node, path: Path): Node[] {
  const nodes = [root]
  for (const key of path) {
    const at = nodes.at(-1) as Node
    const next = at.kind === 'list' ? at.item : at.kind === 'record' && Object.hasOwn(at.fields, key) ? at.fields[key] : undefined
    if (!next) break
    nodes.push(next)
  }
  return nodes
}

/** Whether the value at a path is a secret, or inside one. */
export const isSecret = (root: Node, path: Path): boolean => nodesAlong(root, path).some((node) => node.secret)

/** Sorts by the order of the declaration: what holds before what it holds, elements by index, undeclared names last. */
export function inDeclaredOrder<T extends { readonly path: Path }>(root: Node, items: readonly T[]): T[] {
  const ranks = new Map(
    items.map((item) => {
      const nodes = nodesAlong(root, item.path)
      const rank = item.path.map((key, depth) => {
        const node = nodes[depth]
        if (typeof key === 'number') return key
        const index = node?.kind === 'record' ? Object.keys(node.fields).indexOf(key) : -1
        return index < 0 ? Number.MAX_SAFE_INTEGER : index
      })
      return [item, rank]
    }),
  )
  return [...items].sort((a, b) => compare(ranks.get(a) as number[], ranks.get(b) as number[]))
}

function compare(a: readonly number[], b: readonly number[]): number {
  for (let i = 0; i < Math.min(a.length, b.length); i++) if (a[i] !== b[i]) return (a[i] as number) - (b[i] as number)
  return a.length - b.length
}
