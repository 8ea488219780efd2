/** Requests of which the user gives a part, and the declaration the rest. */
import type { EndpointNode } from '../declare/endpoint.js'
import { type IntakeNode, intakeNode } from '../declare/intake.js'
import { faultsOf, startRun } from '../engine/interpret.js'
import { endpointFor, open } from '../judge/open.js'
import { partsOf } from '../judge/read.js'
import { type Received, receiveNow } from '../judge/receive.js'
import type { Node } from '../kinds/kind.js'
import { nodesAt } from '../kinds/locate.js'
import { deepest } from '../kinds/run.js'
import type { Message } from '../read/message.js'
import { Unreadable } from '../read/unreadable.js'
import { isEach, isFromEnd, type Path, parseAddress } from '../terms/address.js'
import type { Intake } from '../terms/endpoint.js'
import type { Parts } from '../terms/parts.js'
import { makingOf, mostElements } from './make.js'
import { least, tried } from './pick.js'
import { placesIn } from './places.js'
import { type Edit, type Spot, spotsOf } from './rules.js'
import { changed, mended } from './search.js'
import { type Outgoing, type Tree, Trial } from './trial.js'

/** Options of `requestFor`. */
export interface ComposeOptions {
  /** The clock. */
  readonly now: Date
  /** Another seed makes other values. */
  readonly seed?: number
}

/** What is said of a request: all else is made. */
export interface Said {
  /** The method. */
  readonly method: string
  /** The target: path and query. */
  readonly target: string
  /** Header fields. */
  readonly headers?: readonly (readonly [name: string, value: string])[]
  /** The body: a value for JSON, or a text. */
  readonly body?: string | undefined
  /** Values by their addresses, as they are sent: they come before what the target and the body say. */
  readonly values?: readonly (readonly [address: string, value: unknown])[]
  /** The same values as texts: JSON, or a text for a text field. */
  readonly texts?: readonly (readonly [address: string, text: string])[]
}

/** The parts of a message as it was sent; `undefined` if no endpoint is meant, or its body has to be waited for. */
export function sentIn(
  app: IntakeNode,
  message: Message<string | null>,
): { readonly endpoint: EndpointNode; readonly parts: Parts } | undefined {
  const run = startRun()
  const opened = open(app, message, run)
  if ('rejection' in opened) return undefined
  const received = receiveNow(opened)
  if (!received || 'fault' in received) return undefined
  return { endpoint: opened.destination.endpoint, parts: partsOf(opened, received as Received, run) }
}

/**
 * The smallest valid request, with your values in their places. A value that the declaration rejects stays.
 *
 * @throws RangeError if a value stands at no address of the endpoint.
 * @example
 * requestFor(app, { method: 'GET', target: '/sessions', values: [['query.limit', 5]] }).message
 */
export function requestFor(
  app: Intake,
  { method, target, headers = [], body, values: own = [], texts = [] }: Said,
  { now, seed = 1 }: ComposeOptions,
): Outgoing & { readonly endpoint?: string } {
  const node = intakeNode(app)
  const plain: Message<string | null> = { method, target, headers, body: body ?? null }
  const endpoint = endpointFor(node, plain, false)
  if (!endpoint) return { message: plain }
  const type = headers.find(([name]) => name === 'content-type')?.[1]
  const declared = endpoint.bodies.find(({ mediaType }) => type?.startsWith(mediaType)) ?? endpoint.bodies[0]
  const trial = new Trial(node, endpoint, declared, makingOf(now, seed))
  const read = texts.map(([address, text]) => [address, meantBy(text, trial.root, address)] as const)
  const values = [...own, ...read]
  const spots = spotsOf(endpoint, [...placesIn(endpoint, declared)])
  const bodyless = body === undefined || !values.some(([address]) => address.startsWith('body'))
  const typed =
    bodyless || type !== undefined || !declared
      ? plain
      : { ...plain, headers: [...headers, ['content-type', declared.mediaType] as const] }
  const sent = sentIn(node, { ...typed, body: bodyless ? null : (body ?? null) })?.parts
  if (!bodyless && (sent?.body === undefined || sent.body instanceof Unreadable))
    throw new RangeError('the body cannot be read, so that no value of it can be changed')
  const given = headers.filter(([name]) => Object.hasOwn(endpoint.header.fields, name))
  let tree = smallest(trial, spots)
  const start: Tree = {
    ...tree,
    path: sent?.path ?? tree.path,
    query: { ...(sent?.query as object | undefined) },
    header: { ...(tree.header as object), ...Object.fromEntries(given) },
    ...(bodyless ? {} : { body: sent?.body }),
  }
  const edits: Edit = values.map(([address, value]) => [pathOf(address, endpoint), value])
  const edited = changed(trial, start, edits, [])
  if (!edited) throw new RangeError(noField(values.map(([address]) => address)))
  const held: Path[] = [['path'], ['query'], ...given.map(([name]) => ['header', name]), ...edits.map(([path]) => path)]
  tree = mended(trial, edited, spots, held) ?? edited
  const out = trial.outgoing(tree)
  if (!out) throw new RangeError('a value of it cannot be sent where it stands')
  const others = headers.filter(([name]) => !Object.hasOwn(endpoint.header.fields, name))
  const kept = out.message.headers.filter(([name]) => !others.some(([own]) => own === name))
  const message = {
    ...out.message,
    headers: [...kept, ...others],
    body: bodyless && body !== undefined ? body : out.message.body,
  }
  return { ...out, ...(endpoint.name === undefined ? {} : { endpoint: endpoint.name }), message }
}

/** What a text means at an address: JSON, unless that is of a type which no field there takes, and a text is. */
function meantBy(text: string, root: Node, address: string): unknown {
  let json: unknown
  try {
    json = JSON.parse(text)
  } catch {
    return text
  }
  const isTaken = (value: unknown) =>
    nodesAt(root, parseAddress(address) ?? []).some(
      (node) => !faultsOf(node, value).some(({ code, path }) => code === 'wrong_type' && path.length === 0),
    )
  return !isTaken(json) && isTaken(text) ? text : json
}

/** The smallest request that is accepted, or comes close. */
function smallest(trial: Trial, spots: readonly Spot[]): Tree {
  const made = tried(() => trial.made(least))
  return made ? (mended(trial, made, spots, []) ?? made) : { path: {}, query: {}, header: {}, cookie: {} }
}

/** @throws RangeError if an address is none of one value, or nothing can be made there. */
function pathOf(address: string, { path: { fields } }: EndpointNode): Path {
  const path = parseAddress(address)
  if (!path) throw new RangeError(`${address} is no address`)
  if (path.length > deepest) throw new RangeError(`${address.slice(0, 40)}… is deeper than ${deepest} steps`)
  if (path.some((key) => isEach(key) || isFromEnd(key)))
    throw new RangeError(`${address} is each of several: write the index or name of one`)
  if (path.some((key) => typeof key === 'number' && key >= mostElements))
    throw new RangeError(`${address}: lists of more than ${mostElements} elements are not made`)
  const [part, name = ''] = path
  if (part === 'path' && !Object.hasOwn(fields, name)) throw new RangeError(noField([address]))
  return path
}
const noField = (addresses: readonly string[]) => `${addresses.join(', ')}: the endpoint has no such field`
