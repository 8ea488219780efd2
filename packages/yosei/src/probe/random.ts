/** Requests at random, for tests of properties. */
import { type EndpointNode, endpointNode } from '../declare/endpoint.js'
import { declareIntake, intakeNode } from '../declare/intake.js'
import { tellAddress } from '../terms/address.js'
import type { Endpoint } from '../terms/endpoint.js'
import { gone } from './demands.js'
import { makingOf } from './make.js'
import { oneOf, type Pick, randomly, tried } from './pick.js'
import { type Place, pathIn, placesIn, replaced, rightAt, toldPath } from './places.js'
import { type BadProbe, type GoodProbe, usualNow } from './probed.js'
import { spotsOf } from './rules.js'
import { fewTries, mended } from './search.js'
import { type Tree, Trial } from './trial.js'

export interface RequestOptions {
  readonly now?: Date | undefined
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
  for (let failures = 0; failures < 1000; ) {
    const { trial, places, spots } = oneOf(random, laid)
    const found = tried(() => mended(trial, trial.made(random), spots, [], fewTries))
    const isBad = random() > 0.5
    const place = isBad && places.length > 0 ? oneOf(random, places) : undefined
    const probe =
      found &&
      (place ? spoilt(trial, found, place, random) : { what: 'a request', outcome: 'accepted' as const, tree: found })
    const out = probe && trial.outgoing(probe.tree)
    if (!probe || !out) {
      failures++
      continue
    }
    failures = 0
    const { tree: _, ...about } = probe
    yield { endpoint: name, now, ...about, ...out }
  }
}

function spoilt(trial: Trial, tree: Tree, place: Place, random: Pick) {
  const demand = oneOf(random, place.demands)
  return tried(() => {
    const base = trial.reached(tree, place.way)
    const path = pathIn(place.way, base)
    const address = tellAddress(toldPath(place, demand, path))
    const making = { ...trial.making, source: place.around.source }
    for (const value of demand.broken(rightAt(base, path, place, making), making)) {
      const made = replaced(base, path, value, gone) as Tree
      const came = trial.judge(made)
      if (came?.faults.some((fault) => fault.code === demand.code && tellAddress(fault.path) === address))
        return { what: demand.what, outcome: 'rejected' as const, address, code: demand.code, tree: made }
    }
    return undefined
  })
}
