/** Every place of an endpoint's declaration at which a value can stand, with a way to it. */
import type { BodyNode, EndpointNode } from '../declare/endpoint.js'
import type { Node } from '../kinds/kind.js'
import { childrenOf } from '../kinds/kinds.js'
import { resolve } from '../kinds/later.js'
import { sentShape } from '../kinds/shape.js'
import { syntaxOf } from '../read/syntax.js'
import { EACH, EACH_NAME, type Path, valueAt } from '../terms/address.js'
import { put } from '../terms/own.js'
import { type Around, type Demand, demandsOfNeed, demandsOfNull, demandsOn } from './demands.js'
import { type Making, make, readOnlyOf, sourceAt } from './make.js'
import { least, tried } from './pick.js'

/** A step into a value, or to the branch of a union that it has to have. */
export type Step = { readonly into: string | number } | { readonly branch: string }
export interface Place {
  /** As it is declared: `[]` for each element. */
  readonly path: Path
  readonly way: readonly Step[]
  readonly node: Node
  readonly around: Around
  /** Whether what is wrong there is surely told there: not where branches of a union are tried. */
  readonly isSure: boolean
  /** The step of the path from which on all is a secret: names that came are not told there. */
  readonly secretFrom: number
  readonly demands: readonly Demand[]
}

/** Declarations that hold themselves have no end: each is looked into once on a way. */
export function* placesIn(endpoint: EndpointNode, body: BodyNode | undefined): Generator<Place> {
  const syntax = body && syntaxOf(body)
  const refusing = endpoint.unlisted
  for (const part of ['path', 'query', 'header', 'cookie'] as const) {
    const around: Around = { source: 'text', unlisted: part === 'query' ? (refusing?.query ?? 'refuse') : 'drop' }
    const place = { ...everyPlace, path: [part], way: [{ into: part }], node: endpoint[part], around }
    // What is not declared in a path has no place there.
    const demands = part === 'path' ? [] : demandsOn(endpoint[part], around)
    yield { ...place, demands }
    yield* below(place, new Set(), part === 'path' ? () => [] : demandsOfNeed)
  }
  if (!body || !syntax) return
  const around: Around = { source: syntax.source(endpoint.coerce ?? false), unlisted: refusing?.body ?? 'refuse' }
  const areLines = syntax.takes('application/jsonl')
  const need = demandsOfNeed(body.node, sentShape(body.node), around)
  const isWhole = syntax.textPart === undefined && sentShape(body.node).kind === 'file'
  // What a whole file may be is looked at before it is read.
  const spot: Spot = {
    ...everyPlace,
    isSure: !isWhole,
    path: ['body'],
    way: [{ into: 'body' }],
    node: body.node,
    around,
  }
  for (const place of from(spot, new Set(), need, syntax.textPart === 'multipart'))
    yield areLines && place.path.length === 1 ? { ...place, demands: place.demands.filter(isOfLines) } : place
}

const everyPlace = { isSure: true, secretFrom: Number.POSITIVE_INFINITY }

/** Lines are always a list, and without any there is no body. */
const isOfLines = ({ code, what }: Demand) =>
  code !== 'wrong_type' && code !== 'null_not_allowed' && !(code === 'too_few' && what === 'length from 1')

type Spot = Omit<Place, 'demands'>

/** A place, and all below it. `holdsJson`: what it holds by name is JSON, where it is no scalar. */
function* from(outer: Spot, above: ReadonlySet<Node>, first: readonly Demand[], holdsJson = false): Generator<Place> {
  const { node, around } = outer
  const spot = node.secret ? { ...outer, secretFrom: Math.min(outer.secretFrom, outer.path.length) } : outer
  // What the server sets is not looked at.
  if (readOnlyOf(node)) {
    yield { ...spot, demands: first }
    return
  }
  const own = { ...around, source: sourceAt(node, around.source) }
  if (node.kind === 'later') {
    const held = resolve(node)
    if (above.has(held)) yield { ...spot, demands: first }
    else yield* from({ ...spot, node: held }, new Set(above).add(held), first, holdsJson)
    return
  }
  if (node.kind === 'readAs') {
    yield { ...spot, around: own, demands: demandsOn(node, own) }
    yield* from({ ...spot, node: node.base, around: own }, above, first, holdsJson)
    return
  }
  yield { ...spot, around: own, demands: [...first, ...demandsOn(node, own)] }
  if (node.kind === 'either' || node.kind === 'tagged') {
    const isSure = spot.isSure && node.kind === 'tagged'
    // What a union demands is not demanded again by its branches.
    for (const [branch, child] of Object.entries(node.branches))
      for (const place of from(
        { ...spot, way: [...spot.way, { branch }], node: child, around: own, isSure },
        above,
        [],
      ))
        if (place.path.length > spot.path.length || node.kind === 'either') yield place
        else yield { ...place, demands: place.demands.filter(({ code }) => code === 'unlisted') }
    return
  }
  yield* below({ ...spot, around: own }, above, node.kind === 'record' ? demandsOfNeed : demandsOfNull, holdsJson)
}

function* below(spot: Spot, above: ReadonlySet<Node>, need: typeof demandsOfNeed, holdsJson = false): Generator<Place> {
  for (const [step, child] of childrenOf(spot.node)) {
    if (step === undefined) continue
    const shape = sentShape(child)
    const isJson =
      holdsJson &&
      ['record', 'table', 'tagged', 'list', 'tuple', 'either', 'anything'].includes(shape.kind) &&
      !isPlainList(shape)
    const around: Around = isJson ? { ...spot.around, source: 'json' } : spot.around
    const way: readonly Step[] = [...spot.way, { into: step === EACH ? 0 : step }]
    yield* from(
      { ...spot, path: [...spot.path, step], way, node: child, around },
      above,
      need(child, shape, spot.around),
    )
  }
}

/** A list of texts or files comes part by part. */
const isPlainList = (shape: Node) =>
  shape.kind === 'list' && !['record', 'table', 'tagged', 'list', 'tuple'].includes(sentShape(shape.item).kind)

/** A value with one at the end of a way, and what holds that; the rest stays as it is. */
export function reach(node: Node, way: readonly Step[], value: unknown, making: Making): unknown {
  const own = { ...making, source: sourceAt(node, making.source), pick: least }
  if (node.kind === 'later') return reach(resolve(node), way, value, { ...own, depth: own.depth + 1 })
  if (node.kind === 'readAs')
    return way.length === 0 ? (value ?? make(node, making)) : reach(node.base, way, value, own)
  const [step, ...rest] = way
  if (!step) return readOnlyOf(node) ? value : (value ?? make(node, making))
  if ('branch' in step) {
    if (node.kind === 'tagged') {
      const branch = node.branches[step.branch] as Node
      const isThere = valueAt(value, [node.tag]) === step.branch
      return { [node.tag]: step.branch, ...(reach(branch, rest, isThere ? value : undefined, own) as object) }
    }
    const { branches } = node as Node & { readonly kind: 'either' }
    return reach(branches[Number(step.branch)] as Node, rest, undefined, own)
  }
  const { into } = step
  if (node.kind === 'list') {
    const elements = Array.isArray(value) ? [...value] : (make(node, own) as unknown[])
    elements[into as number] = reach(node.item, rest, elements[into as number], own)
    return elements
  }
  if (node.kind === 'tuple') {
    const elements = Array.isArray(value) ? [...value] : (make(node, own) as unknown[])
    elements[into as number] = reach(node.items[into as number] as Node, rest, elements[into as number], own)
    return elements
  }
  const held = { ...((isNamed(value) ? value : make(node, own)) as { [name: string]: unknown }) }
  if (node.kind === 'table') {
    const name = nameIn(node, into, held, own)
    put(held, name, reach(node.value, rest, valueAt(held, [name]), own))
  } else if (node.kind === 'record')
    put(held, into as string, reach(node.fields[into] as Node, rest, valueAt(held, [into]), own))
  return held
}

/** Whether a value has something at the end of a way; of unions that are tried nobody knows. */
export function isThere(node: Node, way: readonly Step[], value: unknown): boolean {
  if (node.kind === 'later') return isThere(resolve(node), way, value)
  if (node.kind === 'readAs') return isThere(node.base, way, value)
  const [step, ...rest] = way
  if (!step) return value !== undefined
  if ('branch' in step)
    return (
      node.kind === 'tagged' &&
      valueAt(value, [node.tag]) === step.branch &&
      isThere(node.branches[step.branch] as Node, rest, value)
    )
  const key = step.into === EACH_NAME ? Object.keys((value ?? {}) as object)[0] : step.into
  const child = childrenOf(node).find(
    ([one]) => one === key || one === step.into || (one === EACH && typeof key === 'number'),
  )
  return key !== undefined && child !== undefined && isThere(child[1], rest, valueAt(value, [key]))
}

const isNamed = (value: unknown): value is { readonly [name: string]: unknown } =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

function nameIn(node: Node & { readonly kind: 'table' }, into: string | number, held: object, making: Making): string {
  if (into !== EACH_NAME) return String(into)
  const [first] = Object.keys(held)
  if (first !== undefined) return first
  const one = make({ ...node, length: [1, 1] }, making) as object
  return Object.keys(one)[0] as string
}

/** The way to a place in a value, whose unions are as they are there; `undefined` where nothing is declared there. */
export function wayTo(node: Node, path: Path, value: unknown): readonly Step[] | undefined {
  const shape = sentShape(node)
  const [key, ...rest] = path
  if (key === undefined) return []
  if (shape.kind === 'either' || shape.kind === 'tagged') {
    if (shape.kind === 'tagged' && key === shape.tag && rest.length === 0) return [{ into: key }]
    const names = Object.keys(shape.branches)
    const chosen = shape.kind === 'tagged' ? valueAt(value, [shape.tag]) : undefined
    for (const name of [...names].sort((a, b) => Number(b === chosen) - Number(a === chosen))) {
      const found = wayTo((shape.branches as { readonly [name: string]: Node })[name] as Node, path, value)
      if (found) return [{ branch: name }, ...found]
    }
    return undefined
  }
  for (const [step, child] of childrenOf(shape)) {
    const leads =
      step === key ||
      (step === EACH && typeof key === 'number') ||
      (step === EACH_NAME && typeof key === 'string') ||
      (step === EACH_NAME && key === EACH_NAME)
    if (!leads) continue
    const found = wayTo(child, rest, valueAt(value, [key]))
    if (found) return [{ into: key === EACH ? 0 : key }, ...found]
  }
  return undefined
}

/** The path that a way leads to in a value. */
export function pathIn(way: readonly Step[], tree: unknown): Path {
  const path: (string | number)[] = []
  let value = tree
  for (const step of way) {
    if (!('into' in step)) continue
    const key = step.into === EACH_NAME ? (Object.keys((value ?? {}) as object)[0] ?? '') : step.into
    path.push(key)
    value = valueAt(value, [key])
  }
  return path
}

/** The path at which something below a place is told. */
export const toldPath = ({ path: declared, secretFrom }: Place, { below = [], isNamed }: Demand, path: Path): Path => [
  ...path.map((key, index) => (declared[index] === EACH_NAME && index >= secretFrom ? EACH_NAME : key)),
  ...(isNamed && secretFrom < Number.POSITIVE_INFINITY ? below.map(() => EACH_NAME) : below),
]

/** The same value with another at a path, or without it. */
export function replaced(value: unknown, path: Path, by: unknown, gone: symbol): unknown {
  const [key, ...rest] = path
  if (key === undefined) return by
  if (Array.isArray(value)) {
    const copy = [...value]
    if (rest.length === 0 && by === gone) copy.splice(key as number, 1)
    else copy[key as number] = replaced(copy[key as number], rest, by, gone)
    return copy
  }
  const copy: { [name: string]: unknown } = { ...(value as object) }
  if (rest.length === 0 && by === gone) delete copy[key]
  else put(copy, String(key), replaced(valueAt(copy, [key]), rest, by, gone))
  return copy
}

/** The value at a place; one that is right where there is none. */
export const rightAt = (tree: unknown, path: Path, { node }: Place, making: Making): unknown =>
  valueAt(tree, path) ?? (readOnlyOf(node) ? undefined : tried(() => make(node, making)))
