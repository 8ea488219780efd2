/** Every place of an endpoint's declaration at which a value can stand, with a way to it. */
import type { BodyNode, EndpointNode } from '../declare/endpoint.js'
import { childrenOf } from '../kinds/brought.js'
import type { Node } from '../kinds/kind.js'
import { resolve } from '../kinds/resolve.js'
import { sentShape } from '../kinds/shape.js'
import { sourceOf } from '../read/media.js'
import { syntaxOf } from '../read/syntax.js'
import { EACH, EACH_NAME, type Path } from '../terms/address.js'
import { type Around, type Demand, demandsOfNeed, demandsOfNull, demandsOn } from './demands.js'
import { readOnlyOf, sourceAt } from './make.js'
import type { Step } from './ways.js'

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

/** Declarations that hold themselves have no end: each is looked into once on a way, and so many times in all. */
const mostTimes = 20
/** What stands in many places, which hold each other, has very many of its own: it is looked into so many times. */
const mostShared = 200
interface Above {
  readonly held: ReadonlySet<Node>
  readonly times: Map<Node, number>
}
const nothingAbove = (): Above => ({ held: new Set(), times: new Map() })

export function* placesIn(endpoint: EndpointNode, body: BodyNode | undefined): Generator<Place> {
  const syntax = body && syntaxOf(body)
  const refusing = endpoint.unlisted
  for (const part of ['path', 'query', 'header', 'cookie'] as const) {
    const around: Around = { source: 'text', unlisted: part === 'query' ? (refusing?.query ?? 'refuse') : 'drop' }
    const place = { ...everyPlace, path: [part], way: [{ into: part }], node: endpoint[part], around }
    // What is not declared in a path has no place there.
    const demands = part === 'path' ? [] : demandsOn(endpoint[part], around)
    yield { ...place, demands }
    yield* below(place, nothingAbove(), part === 'path' ? () => [] : demandsOfNeed)
  }
  if (!body || !syntax) return
  const around: Around = { source: sourceOf(body, endpoint.coerce), unlisted: refusing?.body ?? 'refuse' }
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
  for (const place of from(spot, nothingAbove(), need, syntax.textPart === 'multipart'))
    yield areLines && place.path.length === 1 ? { ...place, demands: place.demands.filter(isOfLines) } : place
}

const everyPlace = { isSure: true, secretFrom: Number.POSITIVE_INFINITY }

/** The places of a field that stands alone, such as one that a rule holds another against. */
export const placesOfField = (node: Node): Generator<Place> =>
  from({ ...everyPlace, path: [], way: [], node, around: { source: 'json', unlisted: 'keep' } }, nothingAbove(), [])

/** Lines are always a list, and without any there is no body. */
const isOfLines = ({ code, what }: Demand) =>
  code !== 'wrong_type' && code !== 'null_not_allowed' && !(code === 'too_few' && what === 'length from 1')

type Spot = Omit<Place, 'demands'>

/** A place, and all below it. `holdsJson`: what it holds by name is JSON, where it is no scalar. */
function* from(outer: Spot, above: Above, first: readonly Demand[], holdsJson = false): Generator<Place> {
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
    const times = above.times.get(held) ?? 0
    if (above.held.has(held) || times === mostTimes) yield { ...spot, demands: first }
    else {
      above.times.set(held, times + 1)
      yield* from({ ...spot, node: held }, { ...above, held: new Set(above.held).add(held) }, first, holdsJson)
    }
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
  const times = above.times.get(node) ?? 0
  above.times.set(node, times + 1)
  if (times < mostShared)
    yield* below({ ...spot, around: own }, above, node.kind === 'record' ? demandsOfNeed : demandsOfNull, holdsJson)
}

function* below(spot: Spot, above: Above, need: typeof demandsOfNeed, holdsJson = false): Generator<Place> {
  for (const [step, child] of childrenOf(spot.node)) {
    if (step === undefined) continue
    const shape = sentShape(child)
    const isJson =
      holdsJson &&
      ['record', 'table', 'tagged', 'list', 'tuple', 'either', 'anything', 'schema'].includes(shape.kind) &&
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

/** The path at which something below a place is reported. */
export const toldPath = ({ path: declared, secretFrom }: Place, { below = [], isNamed }: Demand, path: Path): Path => [
  ...path.map((key, index) => (declared[index] === EACH_NAME && index >= secretFrom ? EACH_NAME : key)),
  ...(isNamed && secretFrom < Number.POSITIVE_INFINITY ? below.map(() => EACH_NAME) : below),
]
