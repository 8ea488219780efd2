/** Rejections that were really made: requests that break something, judged, and their answers. */

import { judge } from '../adapt/judge.js'
import { answer } from '../answer/problem.js'
import type { EndpointNode } from '../declare/endpoint.js'
import { type IntakeNode, intakeNode } from '../declare/intake.js'
import type { LookupNode } from '../declare/lookups.js'
import type { Demanded } from '../probe/demanded.js'
import { type GoodProbe, type Probe, probesOf } from '../probe/probe.js'
import type { Intake } from '../terms/endpoint.js'
import type { Verdict } from '../terms/verdict.js'

/** The body of an answer, for each status of an endpoint that a request without services can come to. */
export async function examplesOf(
  given: Intake,
  endpoint: string,
  demands: readonly Demanded[],
): Promise<ReadonlyMap<number, unknown>> {
  // What is tried here is no caller's request.
  const app = { ...intakeNode(given), journal: { write: () => undefined } } as Intake
  const found = new Map<number, unknown>()
  const telling = new Set<number>()
  const keep = async (verdict: Verdict) => {
    if (verdict.outcome !== 'rejected' || telling.has(verdict.status)) return
    const { status, errors } = verdict
    // An error at a field tells more than one at a whole part.
    if (errors.some(({ address }) => isField(address))) telling.add(status)
    else if (found.has(status)) return
    const response = answer(verdict, { headers: { accept: 'application/json' } })
    const body = (await response.json()) as { readonly instance?: string }
    found.set(status, body.instance === undefined ? body : { ...body, instance: exampleId })
  }
  const judged = async (
    of: Intake,
    { message, now, who }: Exclude<Probe, { outcome: 'unprobed' }>,
    services?: object,
  ) => {
    // What a service does with what no probe knows is its own.
    const verdict = await judge(of, message, {
      now,
      ...(who ? { who: who.read } : {}),
      ...(services ? { services } : {}),
    } as never).catch(() => undefined)
    if (verdict) await keep(verdict as Verdict)
  }
  const node = intakeNode(app)
  const own = node.endpoints[endpoint]
  if (!own) return found
  const asked = demands.filter(({ what }) => !what.startsWith('lookup '))
  const atField = new Set(asked.flatMap(({ address, status }) => (isField(address) ? [status] : [])))
  const isEnough = ({ status }: Demanded) => telling.has(status) || (found.has(status) && !atField.has(status))
  let good: GoodProbe | undefined
  for (const probe of probesOf(app, { endpoint })) {
    if (probe.outcome === 'rejected') await judged(app, probe)
    else if (probe.outcome === 'accepted' && !good) {
      good = probe
      const { who: _, ...unknown } = good
      if (node.identify)
        await judged(replacing(node, { ...own, lookups: {} }, { identify: () => undefined }), unknown, {})
    }
    // One of each status is enough.
    if (good && asked.every(isEnough)) break
  }
  if (!good) return found
  for (const [name, { givesRules }] of Object.entries(own.lookups))
    if (!givesRules) await judged(replacing(node, refusing(own, name)), good, {})
  return found
}
const isField = (address: string) => address.includes('.')

/** Of each request another; an example does not change from one writing to the next. */
const exampleId = 'urn:uuid:00000000-0000-4000-8000-000000000000'

/** An intake with another endpoint in place of one of its own. */
const replacing = (app: IntakeNode, endpoint: EndpointNode, more: object = {}): Intake =>
  ({ ...app, ...more, endpoints: { ...app.endpoints, [endpoint.name ?? '']: endpoint } }) as Intake

/** The endpoint with answers in place of services: this lookup is refused, and no other. */
function refusing(endpoint: EndpointNode, name: string): EndpointNode {
  const refused = endpoint.lookups[name]
  const made = new Map<LookupNode, LookupNode>()
  // What one follows is known by itself, and not by its name.
  const answering = (lookup: LookupNode): LookupNode => {
    const known = made.get(lookup)
    if (known) return known
    const isFound = Boolean(lookup.absent) === (lookup === refused)
    const { counts: _, follows = {}, ...rest } = lookup
    const followed = Object.fromEntries(Object.entries(follows).map(([key, one]) => [key, answering(one)]))
    const answer = isFound ? {} : undefined
    const several = (columns: readonly unknown[]) => (columns.find(Array.isArray) ?? []).map(() => answer)
    const ask = (_: never, values: never) => (lookup.givesRules ? [] : lookup.batch ? several(values) : answer)
    const own: LookupNode = { ...rest, follows: followed, ask }
    made.set(lookup, own)
    return own
  }
  const lookups = Object.fromEntries(Object.entries(endpoint.lookups).map(([key, one]) => [key, answering(one)]))
  return { ...endpoint, lookups }
}
