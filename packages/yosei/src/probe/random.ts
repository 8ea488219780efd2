/** Requests at random, for tests of properties. */
import { type EndpointNode, endpointNode } from '../declare/endpoint.js'
import { declareIntake, intakeNode } from '../declare/intake.js'
import type { Endpoint } from '../terms/endpoint.js'
import { makingOf } from './make.js'
import { oneOf, type Pick, randomly, tried } from './pick.js'
import { type Place, placesIn } from './places.js'
import { type BadProbe, type GoodProbe, usualNow } from './probed.js'
import { spotsOf } from './rules.js'
import { fewTries, mended, spoilt } from './search.js'
import { type Tree, Trial } from './trial.js'

/** Options of `requestsOf`. */
export interface RequestOptions {
  /** The clock. */
  readonly now?: Date | undefined
  /** Another seed makes other requests. */
  readonly seed?: number | undefined
}

/**
 * Requests to one endpoint without end, accepted and rejected ones, by a seed: for tests of properties.
 *
 * @example
 * for (const { message, outcome } of requestsOf(bookSession, { seed: 7 })) { … }
 */
export function* requestsOf(
  endpoint: Endpoint,
  { now = usualNow, seed = 1 }: RequestOptions = {},
): Generator<GoodProbe | BadProbe> {
  const node = endpointNode(endpoint)
  const app = intakeNode(declareIntake({ endpoints: { endpoint }, ...(node.who ? { identify: () => undefined } : {}) }))
  const name = 'endpoint'
  const own = app.endpoints[name] as EndpointNode
  const random = randomly(seed)
  const bodies = own.bodies.length === 0 ? [undefined] : own.bodies
  const trials = bodies.map((body) => new Trial(app, own, body, { ...makingOf(now, seed), random }))
  const laid = trials.map((trial) => {
    const places = [...placesIn(own, trial.body)]
    return { trial, places: places.filter(({ demands }) => demands.length > 0), spots: spotsOf(own, places) }
  })
  let isMet = false
  for (let failures = 0; failures < mostFailures; ) {
    const { trial, places, spots } = oneOf(random, laid)
    const made = tried(() => trial.made(random))
    // Where no request is found that all rules accept, those that break something else can still be made.
    const isGivenUp = !isMet && failures >= firstFailures
    const found = made && (isGivenUp ? made : tried(() => mended(trial, made, spots, [], fewTries)))
    if (found && !isGivenUp) isMet = true
    const isBad = isGivenUp || random() > 0.5
    const place = isBad && places.length > 0 ? oneOf(random, places) : undefined
    const probe =
      found &&
      (place ? brokenAt(trial, found, place, random) : { what: 'a request', outcome: 'accepted' as const, tree: found })
    const out = probe && trial.outgoing(probe.tree)
    if (!probe || !out) {
      failures++
      continue
    }
    failures = isGivenUp ? failures + 1 : 0
    const { tree: _, ...about } = probe
    yield { endpoint: name, now, ...about, ...out }
  }
}

/** So many requests in a row that cannot be made are the end. */
const mostFailures = 200
/** And after so many first ones, none is looked for any more that all rules accept. */
const firstFailures = 25

function brokenAt(trial: Trial, tree: Tree, place: Place, random: Pick) {
  const demand = oneOf(random, place.demands)
  return tried(() => {
    const [made] = spoilt(trial, trial.reached(tree, place.way), place, demand, true)
    return made && { what: demand.what, code: demand.code, outcome: 'rejected' as const, ...made }
  })
}
