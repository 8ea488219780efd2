/** Finds the declaration behind a path. */
import { EACH, type Path } from './address.js'
import { type Node, resolve } from './node.js'

/** The nodes that a step leads to: several where branches of a union have the same name. */
function step(node: Node, key: string | number): readonly Node[] {
  switch (node.kind) {
    case 'list':
      return typeof key === 'number' ? [node.item] : []
    case 'tuple':
      return key === EACH ? node.items : node.items.filter((_, index) => index === key)
    case 'record':
      return Object.hasOwn(node.fields, key) ? [node.fields[key] as Node] : []
    case 'table':
      return typeof key === 'string' ? [node.value] : []
    case 'tagged':
      return node.tag === key ? [tagNode(node)] : Object.values(node.branches).flatMap((branch) => step(branch, key))
    case 'either':
      return node.branches.flatMap((branch) => step(branch, key))
    case 'later':
      return step(resolve(node), key)
    case 'readAs':
      return []
    default:
      return []
  }
}

/** The tag of a union as a field of its own. */
export const tagNode = ({ branches, secret, messages }: Extract<Node, { kind: 'tagged' }>): Node => ({
  kind: 'choice',
  presence: 'required',
  values: Object.keys(branches),
  ...(secret ? { secret } : {}),
  ...(messages ? { messages } : {}),
})

/** The nodes at a path; none where the path leaves what is declared. */
export const nodesAt = (root: Node, path: Path): readonly Node[] =>
  path.reduce<readonly Node[]>((nodes, key) => nodes.flatMap((node) => step(node, key)), [root])

/** Whether the value at a path is a secret, or inside one. */
export const isSecret = (root: Node, path: Path): boolean =>
  [...path.keys(), path.length].some((length) => nodesAt(root, path.slice(0, length)).some((node) => node.secret))

/** Sorts by the order of the declaration: what holds before what it holds, elements by index, undeclared names last. */
export function inDeclaredOrder<T extends { readonly path: Path }>(root: Node, items: readonly T[]): T[] {
  if (items.length < 2) return [...items]
  const freeNames = new Map<string, number>()
  const rank = (nodes: readonly Node[], path: Path, depth: number): number => {
    const key = path[depth] as string | number
    if (typeof key === 'number') return key
    for (const node of nodes) {
      const found = rankOf(node, key)
      if (typeof found === 'number') return found
      if (found === undefined) continue
      const place = JSON.stringify(path.slice(0, depth + 1))
      if (!freeNames.has(place)) freeNames.set(place, freeNames.size)
      return freeNames.get(place) as number
    }
    return Number.MAX_SAFE_INTEGER
  }
  const ranked = items.map(({ path }) => {
    let nodes: readonly Node[] = [root]
    return path.map((key, depth) => {
      const found = rank(nodes, path, depth)
      nodes = nodes.flatMap((node) => step(node, key))
      return found
    })
  })
  return [...items.keys()].sort((a, b) => compare(ranked[a] as number[], ranked[b] as number[])).map((index) => items[index] as T)
}

/** The place of a name among those of a node; `free` where it has no order but that in which it was sent. */
function rankOf(node: Node, name: string): number | 'free' | undefined {
  switch (node.kind) {
    case 'record': {
      const index = Object.keys(node.fields).indexOf(name)
      return index < 0 ? undefined : index
    }
    case 'table':
      return 'free'
    case 'tagged':
      return node.tag === name ? -1 : first(Object.values(node.branches), name)
    case 'either':
      return first(node.branches, name)
    case 'later':
      return rankOf(resolve(node), name)
    default:
      return undefined
  }
}
const first = (branches: readonly Node[], name: string) => branches.map((branch) => rankOf(branch, name)).find((rank) => rank !== undefined)

function compare(a: readonly number[], b: readonly number[]): number {
  for (let i = 0; i < Math.min(a.length, b.length); i++) if (a[i] !== b[i]) return (a[i] as number) - (b[i] as number)
  return a.length - b.length
}
