/** Finds the declaration behind a path. */
import { EACH, EACH_NAME, type Path, valueAt } from '../terms/address.js'
import type { Node } from './kind.js'
import { childrenOf } from './kinds.js'
import type { RecordNode } from './record.js'
import { anywhere } from './shape.js'
import { branchOf, tagNode } from './tagged.js'

export type Shape = Exclude<Node, { kind: 'either' | 'later' }>

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

/** What may stand in the place of a node. */
const standIns = (node: Node) => childrenOf(node).filter(([step]) => step === undefined)
const holdsVeil = anywhere(({ secret }) => Boolean(secret))
/** Whether a node is a secret, or anything that may stand in its place. */
const isVeiled = (node: Node): boolean => holdsVeil(node, standIns)

const nowhere: readonly Node[] = []

/** The nodes that a step leads to. */
function step(shape: Shape, key: string | number): readonly Node[] {
  // Most steps are into these two, and need no list of all children.
  if (shape.kind === 'record')
    return typeof key === 'string' && Object.hasOwn(shape.fields, key) ? [shape.fields[key] as Node] : nowhere
  if (shape.kind === 'list') return typeof key === 'number' && key !== EACH_NAME ? [shape.item] : nowhere
  if (shape.kind === 'tagged' && shape.tag === key) return [tagNode(shape)]
  return childrenOf(shape).flatMap(([step, child]) => (step !== undefined && leadsTo(step, key) ? [child] : []))
}

/** Whether a declared step leads where a path goes on: to an element, a name, or each of them. */
export function leadsTo(step: string | number, key: string | number): boolean {
  if (step === EACH_NAME) return typeof key === 'string' || key === EACH_NAME
  return step === key || (typeof step === 'number' && typeof key === 'number' && (step === EACH || key === EACH))
}

function below(nodes: readonly Node[], key: string | number): readonly Node[] {
  const [only] = nodes
  if (only === undefined) return nowhere
  if (nodes.length === 1) {
    const found = shapesOf(only)
    if (found.length === 1) return step(found[0] as Shape, key)
  }
  return [...new Set(nodes.flatMap((node) => shapesOf(node).flatMap((shape) => step(shape, key))))]
}

/** The nodes at a path; none where the path leaves what is declared. */
export const nodesAt = (root: Node, path: Path): readonly Node[] => path.reduce<readonly Node[]>(below, [root])

/** The shapes of what may stand at a path: of unions their branches. */
export const shapesAt = (root: Node, path: Path): readonly Shape[] => nodesAt(root, path).flatMap(shapesOf)

/** Whether the value at a path is a secret, or inside one. */
export function isSecret(root: Node, path: Path): boolean {
  let nodes: readonly Node[] = [root]
  const isHidden = () => nodes.some(isVeiled)
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
  /** What was sent there: it chooses the branch of a union. */
  readonly sent: unknown
  readonly below: Map<string | number, { readonly rank: number; readonly fork: Fork }>
}

/** Sorts by the order of the declaration: what holds before what it holds, elements by index, unlisted names last. */
export function inDeclaredOrder<T extends { readonly path: Path; readonly code: string }>(
  root: Node,
  items: readonly T[],
  sent: unknown,
): T[] {
  if (items.length < 2) return [...items]
  const top: Fork = { nodes: [root], sent, below: new Map() }
  const ranked = items.map((item) => {
    let fork = top
    const ranks = item.path.map((key, index) => {
      let next = fork.below.get(key)
      if (!next) {
        const isUnlisted = item.code === 'unlisted' && index === item.path.length - 1
        const rank = isUnlisted ? Number.MAX_SAFE_INTEGER : rankOf(fork, key)
        next = { rank, fork: { nodes: below(fork.nodes, key), sent: valueAt(fork.sent, [key]), below: new Map() } }
        fork.below.set(key, next)
      }
      fork = next.fork
      return next.rank
    })
    return { item, ranks }
  })
  return ranked.sort((a, b) => compare(a.ranks, b.ranks)).map(({ item }) => item)
}

/** The branch of a tagged union that was sent, where the name is not its tag. */
function chosen(node: Node, key: string, sent: unknown): Node {
  const branch = node.kind === 'tagged' && node.tag !== key ? branchOf(node, sent) : undefined
  return branch ? chosen(branch, key, sent) : node
}

const ranks = new WeakMap<RecordNode, ReadonlyMap<string, number>>()
function ranksOf(record: RecordNode): ReadonlyMap<string, number> {
  const known = ranks.get(record)
  if (known) return known
  const made = new Map(Object.keys(record.fields).map((name, index) => [name, index]))
  ranks.set(record, made)
  return made
}

/** The place of a name among those declared; of one that is free, the order in which it came. */
function rankOf({ nodes, sent, below }: Fork, key: string | number): number {
  if (typeof key === 'number') return key
  for (const shape of nodes.flatMap((node) => shapesOf(chosen(node, key, sent)))) {
    if (shape.kind === 'table') return below.size
    if (shape.kind === 'tagged' && shape.tag === key) return -1
    const rank = shape.kind === 'record' ? ranksOf(shape).get(key) : undefined
    if (rank !== undefined) return rank
  }
  return Number.MAX_SAFE_INTEGER
}

function compare(a: readonly number[], b: readonly number[]): number {
  for (let i = 0; i < Math.min(a.length, b.length); i++) if (a[i] !== b[i]) return (a[i] as number) - (b[i] as number)
  return a.length - b.length
}
