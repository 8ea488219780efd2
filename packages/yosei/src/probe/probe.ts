/**
 * Requests made from a declaration: the smallest and the fullest that it accepts, one right at each limit, and for
 * everything that it demands one that breaks exactly that.
 */
import type { EndpointNode } from '../declare/endpoint.js'
import { type IntakeNode, intakeNode } from '../declare/intake.js'
import type { Node } from '../kinds/kind.js'
import type { Message } from '../read/message.js'
import { valueAt } from '../terms/address.js'
import type { Intake } from '../terms/endpoint.js'
import { sentIn } from './compose.js'
import { makingOf } from './make.js'
import { placesIn } from './places.js'
import { type Probe, type ProbeOptions, usualNow } from './probed.js'
import { Prober } from './prober.js'
import { type Tree, Trial } from './trial.js'
import { pathIn } from './ways.js'

export { type ComposeOptions, requestFor, type Said } from './compose.js'
export { type Demanded, demandsOf } from './demanded.js'
export { isForged, type JudgeProbeOptions, judgeProbe, type Probed, signProbe } from './judging.js'
export type { BadProbe, GoodProbe, Probe, ProbeOptions, Unprobed } from './probed.js'
export { type RequestOptions, requestsOf } from './random.js'

/**
 * Probes of all endpoints of an intake, one after the other, as they are made. What cannot be probed is among them, with
 * the reason.
 *
 * @example
 * for (const probe of probesOf(app)) console.log(probe.endpoint, probe.what, probe.outcome)
 */
export function* probesOf(
  app: Intake,
  { now = usualNow, seed = 1, endpoint, samples = [] }: ProbeOptions = {},
): Generator<Probe> {
  const node = intakeNode(app)
  const sent = samples.flatMap((message) => {
    const found =
      typeof message.body === 'object' && message.body !== null
        ? undefined
        : sentIn(node, message as Message<string | null>)
    return found ? [found] : []
  })
  for (const [name, one] of Object.entries(node.endpoints))
    if (endpoint === undefined || endpoint === name) {
      const trees = sent.flatMap((known) => (known.endpoint === one ? [known.parts] : []))
      yield* probesOfEndpoint(node, name, one, now, seed, trees)
    }
}

function* probesOfEndpoint(
  app: IntakeNode,
  name: string,
  endpoint: EndpointNode,
  now: Date,
  seed: number,
  samples: readonly Tree[],
): Generator<Probe> {
  const bodies = endpoint.bodies.length === 0 ? [undefined] : endpoint.bodies
  for (const [index, body] of bodies.entries()) {
    const known = knownIn(endpoint, body, samples)
    const trial = new Trial(app, endpoint, body, { ...makingOf(now, seed), known: (node) => known.get(node) ?? [] })
    const many = bodies.length > 1 ? `${body?.mediaType}: ` : ''
    // The same declaration in another media type says nothing new.
    const isNew = bodies.findIndex((one) => one?.node === body?.node) === index
    for (const probe of new Prober(trial, name, now, samples).probes(index === 0, isNew))
      yield many === '' ? probe : { ...probe, what: many + probe.what }
  }
}

/** The values of samples where a function of the declaration, or a pattern, says what it takes. */
function knownIn(
  endpoint: EndpointNode,
  body: EndpointNode['bodies'][number] | undefined,
  samples: readonly Tree[],
): ReadonlyMap<Node, readonly unknown[]> {
  const known = new Map<Node, unknown[]>()
  if (samples.length === 0) return known
  for (const { node, way } of placesIn(endpoint, body)) {
    if (node.kind !== 'readAs' && !(node.kind === 'text' && node.pattern)) continue
    const values = samples.map((tree) => valueAt(tree, pathIn(way, tree))).filter((value) => value !== undefined)
    if (values.length > 0) known.set(node, [...(known.get(node) ?? []), ...values])
  }
  return known
}
