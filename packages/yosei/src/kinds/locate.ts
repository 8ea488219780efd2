/** Finds the declaration behind a path. */
import { EACH, EACH_NAME, indexFromEnd, isFromEnd, type Path, valueAt } from '../terms/address.js'
import { childrenOf, insideOf } from './brought.js'
import type { Node } from './kind.js'
import { isNamed } from './run.js'
import { anywhere, holdsSecret } from './shape.js'
import { branchOf, tagNode } from './tagged.js'

export type Shape = Exclude<Node, { kind: 'either' | 'later' }>

const shapes = new WeakMap<Node, readonly Shape[]>()

/**
 * What may stand at the place of a node: the branches of unions, and what `later` makes, in the place of themselves,
 * each once however many ways lead to it. Of a `tagged` union itself as well, for its tag.
 */
export function shapesOf(node: Node): readonly Shape[] {
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
  if (shape.kind === 'tuple' && isFromEnd(key)) {
    const item = shape.items[indexFromEnd(key as number, shape.items.length)]
    return item ? [item] : nowhere
  }
  return insideOf(shape).flatMap(([step, child]) => (step !== undefined && leadsTo(step, key) ? [child] : []))
}

/** Whether a declared step leads where a path goes on: to an element, a name, or each of them. */
export function leadsTo(step: string | number, key: string | number): boolean {
  if (step === EACH_NAME) return typeof key === 'string' || key === EACH_NAME
  return step === key || (typeof step === 'number' && typeof key === 'number' && (step === EACH || key === EACH))
}

/** What stands there, if it can be one thing alone. */
function onlyShape(nodes: readonly Node[]): Shape | undefined {
  const [only] = nodes
  if (only === undefined || nodes.length > 1) return undefined
  if (only.kind === 'record') return only
  const found = shapesOf(only)
  return found.length === 1 ? found[0] : undefined
}

/** The nodes one step below. */
export function nodesBelow(nodes: readonly Node[], key: string | number): readonly Node[] {
  const shape = onlyShape(nodes)
  if (shape) return step(shape, key)
  return [...new Set(nodes.flatMap((node) => shapesOf(node).flatMap((shape) => step(shape, key))))]
}

/** The nodes at a path; none if the path leaves what is declared. */
export const nodesAt = (root: Node, path: Path): readonly Node[] => path.reduce<readonly Node[]>(nodesBelow, [root])

/** The shapes of what may stand at a path: of unions their branches. */
export const shapesAt = (root: Node, path: Path): readonly Shape[] => nodesAt(root, path).flatMap(shapesOf)

/** A path as it is declared, with each element and each name of a table the same; it ends before what is not declared. */
export function declaredPath(root: Node, path: Path): Path {
  const declared: (string | number)[] = []
  let nodes: readonly Node[] = [root]
  for (const key of path) {
    const steps = nodes.flatMap(shapesOf).flatMap((shape) => childrenOf(shape).map(([step]) => step))
    const step = steps.find((one) => one === key) ?? steps.find((one) => one !== undefined && leadsTo(one, key))
    nodes = nodesBelow(nodes, key)
    if (step === undefined || nodes.length === 0) return declared
    declared.push(step)
  }
  return declared
}

/** Whether the value at a path is a secret, or inside one. */
export function isSecret(root: Node, path: Path): boolean {
  let nodes: readonly Node[] = [root]
  const isHidden = () => nodes.some(isVeiled)
  return (
    isHidden() ||
    path.some((key) => {
      nodes = nodesBelow(nodes, key)
      return isHidden()
    })
  )
}

/** Whether the value at a path is a secret, or inside one, or holds one. */
export const tellsSecret = (root: Node, path: Path): boolean =>
  isSecret(root, path) || nodesAt(root, path).some((node) => holdsSecret(node, childrenOf))

/** Sorts by the order of the declaration: what holds before what it holds, elements by index, unlisted names last. */
export function inDeclaredOrder<T extends { readonly path: Path; readonly code: string }>(
  root: Node,
  items: readonly T[],
  sent: unknown,
): T[] {
  if (items.length < 2) return [...items]
  const order: Order = { root, sent, known: knownRanks(root), asSent: new Map() }
  const sorted: Ranked<T>[] = []
  for (const item of items) {
    const one = { item, ranks: ranksAlong(item, order) }
    const before = sorted.at(-1)
    // Most come in their order.
    const place = !before || compare(before.ranks, one.ranks) <= 0 ? sorted.length : placeOf(one.ranks, sorted)
    sorted.push(one)
    // By hand, since a splice of so few takes longer than all else here.
    for (let at = sorted.length - 1; at > place; at--) sorted[at] = sorted[at - 1] as Ranked<T>
    sorted[place] = one
  }
  return sorted.map(({ item }) => item)
}

interface Ranked<T> {
  readonly item: T
  readonly ranks: readonly number[]
}

interface Order {
  readonly root: Node
  readonly sent: unknown
  /** The ranks along paths that never change, if it does not depend on what was sent. */
  readonly known: WeakMap<Path, readonly number[]>
  /** The ranks of names in objects that were sent. */
  readonly asSent: Ranks
}

const knownByRoot = new WeakMap<Node, Order['known']>()
function knownRanks(root: Node): Order['known'] {
  const found = knownByRoot.get(root)
  if (found) return found
  const made: Order['known'] = new WeakMap()
  knownByRoot.set(root, made)
  return made
}

/** Where it belongs among those that are in order: behind its equals. */
function placeOf(own: readonly number[], sorted: readonly Ranked<unknown>[]): number {
  let [low, high] = [0, sorted.length]
  while (low < high) {
    const middle = (low + high) >> 1
    if (compare((sorted[middle] as Ranked<unknown>).ranks, own) > 0) high = middle
    else low = middle + 1
  }
  return low
}

const last = Number.MAX_SAFE_INTEGER

/** The rank of each step of a path among those that could be taken in its place. */
function ranksAlong(
  { path, code }: { readonly path: Path; readonly code: string },
  { root, sent, known, asSent }: Order,
): readonly number[] {
  const found = known.get(path)
  if (found && code !== 'unlisted') return found
  const ranks: number[] = []
  let nodes: readonly Node[] = [root]
  let isDeclared = true
  /** What was sent at the first so many steps: it is walked along, since a path may be long. */
  let [value, walked] = [sent, 0]
  const sentAt = (index: number) => {
    for (; walked < index; walked++) value = valueAt(value, path.slice(walked, walked + 1))
    return value
  }
  for (let i = 0; i < path.length; i++) {
    const key = path[i] as string | number
    const isUnlisted = code === 'unlisted' && i === path.length - 1
    const declared = isUnlisted ? last : declaredRank(nodes, key)
    isDeclared &&= declared !== undefined && !isUnlisted
    ranks.push(declared ?? rankOf(nodes, key as string, sentAt(i), asSent))
    nodes = nodesBelow(nodes, key)
  }
  if (isDeclared && Object.isFrozen(path)) known.set(path, ranks)
  return ranks
}

/** The rank that is the same whatever was sent: of an element, and of a name in a record. */
function declaredRank(nodes: readonly Node[], key: string | number): number | undefined {
  if (typeof key === 'number') return key
  const shape = onlyShape(nodes)
  return shape?.kind === 'record' ? (ranksOf(shape.fields, ranks).get(key) ?? last) : undefined
}

/** The branch of a tagged union that was sent, if the name is not its tag. */
function chosen(node: Node, key: string, sent: unknown): Node {
  const branch = node.kind === 'tagged' && node.tag !== key ? branchOf(node, sent) : undefined
  return branch ? chosen(branch, key, sent) : node
}

interface Ranks {
  get(object: object): ReadonlyMap<string, number> | undefined
  set(object: object, ranks: ReadonlyMap<string, number>): unknown
}
const ranks: Ranks = new WeakMap<object, ReadonlyMap<string, number>>()
/** The ranks of names, in the order in which an object has them. */
function ranksOf(object: object, known: Ranks): ReadonlyMap<string, number> {
  const found = known.get(object)
  if (found) return found
  const made = new Map(Object.keys(object).map((name, index) => [name, index]))
  known.set(object, made)
  return made
}

/** The place of a name among those declared; of one that is free, among those sent. */
function rankOf(nodes: readonly Node[], key: string, sent: unknown, asSent: Ranks): number {
  for (const node of nodes)
    for (const shape of shapesOf(chosen(node, key, sent))) {
      if (shape.kind === 'table') return isNamed(sent) ? (ranksOf(sent, asSent).get(key) ?? last) : last
      if (shape.kind === 'tagged' && shape.tag === key) return -1
      const rank = shape.kind === 'record' ? ranksOf(shape.fields, ranks).get(key) : undefined
      if (rank !== undefined) return rank
    }
  return last
}

function compare(a: readonly number[], b: readonly number[]): number {
  for (let i = 0; i < Math.min(a.length, b.length); i++) if (a[i] !== b[i]) return (a[i] as number) - (b[i] as number)
  return a.length - b.length
}
