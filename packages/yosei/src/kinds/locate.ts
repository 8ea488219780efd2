/** Finds the declaration behind a path. */
import { EACH, EACH_NAME, type Path } from '../terms/address.js'
import type { Node } from './kind.js'
import { childrenOf } from './kinds.js'
import { tagNode } from './tagged.js'

type Shape = Exclude<Node, { kind: 'either' | 'later' }>

const shapes = new WeakMap<Node, readonly Shape[]>()

/**
 * What may stand at the place of a node: the branches of unions, and what `later` makes, in the place of themselves,
 * each once however many ways lead to it. Of a `tagged` union itself as well, for its tag.
 */
function shapesOf(node: Node): readonly Shape[] {
  const known = shapes.get(node)
  if (known) return known
  const seen = new Set<Node>()
  const found: Shape[] = []
  const look = (one: Node): void => {
    if (seen.has(one)) return
    seen.add(one)
    if (one.kind !== 'either' && one.kind !== 'later') found.push(one)
    // What a reader makes of a value has no addresses inside.
    if (one.kind !== 'readAs') for (const [step, child] of childrenOf(one)) if (step === undefined) look(child)
  }
  look(node)
  shapes.set(node, found)
  return found
}

/** The nodes that a step leads to. */
function step(shape: Shape, key: string | number): readonly Node[] {
  if (shape.kind === 'tagged' && shape.tag === key) return [tagNode(shape)]
  return childrenOf(shape).flatMap(([step, child]) => (step !== undefined && leadsTo(step, key) ? [child] : []))
}

/** Whether a declared step leads where a path goes on: to an element, a name, or each of them. */
function leadsTo(step: string | number, key: string | number): boolean {
  if (step === EACH_NAME) return typeof key === 'string'
  return step === key || (typeof step === 'number' && typeof key === 'number' && (step === EACH || key === EACH))
}

const below = (nodes: readonly Node[], key: string | number): readonly Node[] => [
  ...new Set(nodes.flatMap((node) => shapesOf(node).flatMap((shape) => step(shape, key)))),
]

/** The nodes at a path; none where the path leaves what is declared. */
export const nodesAt = (root: Node, path: Path): readonly Node[] => path.reduce<readonly Node[]>(below, [root])

/** Whether the value at a path is a secret, or inside one. */
export function isSecret(root: Node, path: Path): boolean {
  let nodes: readonly Node[] = [root]
  const isHidden = () => nodes.some((node) => node.secret || shapesOf(node).some(({ secret }) => secret))
  return (
    isHidden() ||
    path.some((key) => {
      nodes = below(nodes, key)
      return isHidden()
    })
  )
}

/** A place that several paths go through: what is declared there, and those below it with their ranks. */
interface Fork {
  readonly nodes: readonly Node[]
  readonly below: Map<string | number, { readonly rank: number; readonly fork: Fork }>
}

/** Sorts by the order of the declaration: what holds before what it holds, elements by index, unlisted names last. */
export function inDeclaredOrder<T extends { readonly path: Path }>(root: Node, items: readonly T[]): T[] {
  if (items.length < 2) return [...items]
  const top: Fork = { nodes: [root], below: new Map() }
  const ranked = items.map((item) => {
    let fork = top
    const ranks = item.path.map((key) => {
      let next = fork.below.get(key)
      if (!next) {
        next = { rank: rankOf(fork, key), fork: { nodes: below(fork.nodes, key), below: new Map() } }
        fork.below.set(key, next)
      }
      fork = next.fork
      return next.rank
    })
    return { item, ranks }
  })
  return ranked.sort((a, b) => compare(a.ranks, b.ranks)).map(({ item }) => item)
}

/** The place of a name among those declared; of one that is free, the order in which it came. */
function rankOf({ nodes, below }: Fork, key: string | number): number {
  if (typeof key === 'number') return key
  for (const shape of nodes.flatMap(shapesOf)) {
    if (shape.kind === 'table') return below.size
    if (shape.kind === 'tagged' && shape.tag === key) return -1
    const index = shape.kind === 'record' ? Object.keys(shape.fields).indexOf(key) : -1
    if (index >= 0) return index
  }
  return Number.MAX_SAFE_INTEGER
}

function compare(a: readonly number[], b: readonly number[]): number {
  for (let i = 0; i < Math.min(a.length, b.length); i++) if (a[i] !== b[i]) return (a[i] as number) - (b[i] as number)
  return a.length - b.length
}
