/** What a service declares, held to making sense when it is made. */

import { bringWords } from '../catalogue/spoken.js'
import { declareEndpoint, type EndpointNode, endpointNode } from '../declare/endpoint.js'
import { record as declareRecord, text as declareText } from '../declare/fields.js'
import { declareGroup } from '../declare/group.js'
import { declareIntake, intakeNode } from '../declare/intake.js'
import { placedOn } from '../declare/place.js'
import { bringRuleEngine } from '../engine/judging.js'
import { runRules } from '../engine/rules.js'
import { bringFormats, formats } from '../grammar/formats.js'
import { bring } from '../kinds/brought.js'
import type { Node } from '../kinds/kind.js'
import { everyKind } from '../kinds/kinds.js'
import { tellEndpoints } from '../read/discriminate.js'
import { bringInService } from '../rules/brought.js'
import { conditionsInService, everyRule, rulesInService, takingOf } from '../rules/every.js'
import { bringWithConditions } from '../rules/every-condition.js'
import { formatAddress, type Path } from '../terms/address.js'
import type { Naming } from '../terms/hooks.js'
import { mistake } from '../terms/mistake.js'
import { checkedCall } from '../terms/option-types.js'
import { partNames } from '../terms/parts.js'
import { checkLimits } from '../terms/policy.js'
import { shapeOf } from '../terms/template.js'
import { english } from '../words/english.js'
import { nameOf, pathsBelow } from '../words/naming.js'
import { checkEndpoint } from './endpoint.js'
import { checkEndpointOptions, checkGroupOptions, checkIntakeOptions } from './options.js'

let isWhole = false
/** A service has every kind and rule. A page brings its own. */
export function bringEverything(): void {
  if (isWhole) return
  isWhole = true
  bring(everyKind)
  bringFormats(formats)
  bringWords(english)
  bringInService(rulesInService, conditionsInService)
  bringWithConditions(everyRule, (name, { make }, owner) => checkedCall(`${owner} ${name}`, make, takingOf(name)))
  bringRuleEngine({ placedOn, runRules })
}

/**
 * Named fields, each with its own declaration.
 *
 * @example
 * const target = record({ name: text({ length: [1, 80] }), declination: number({ min: -90, max: 90 }) })
 */
export const record: typeof declareRecord = (fields, options) => {
  bringEverything()
  return declareRecord(fields, options)
}

/** A text: in JSON a string; elsewhere the text as it stands after decoding. */
export const text: typeof declareText = (options) => {
  bringEverything()
  return declareText(options)
}

/**
 * Declares what a request to one method and path may look like.
 *
 * @param signature Method and path template (RFC 6570, level 1): `'POST /telescopes/{telescopeId}/sessions'`.
 * @throws DeclarationError if the declaration makes no sense.
 * @example
 * const listSessions = endpoint('GET /sessions', { query: { limit: integer({ min: 1, max: 100, default: 20 }) } })
 */
export const endpoint: typeof declareEndpoint = (signature, declaration) => {
  bringEverything()
  checkEndpointOptions(signature, declaration)
  const declared = declareEndpoint(signature, declaration)
  checkEndpoint(endpointNode(declared))
  return declared
}

/**
 * Endpoints with what they share. Groups nest; the setting nearest to the endpoint wins. If the rules, lookups or turns
 * of an endpoint read fields of the group, pass a function.
 *
 * @throws DeclarationError if what is shared does not fit an endpoint.
 * @example
 * intake({ endpoints: { ...group({ prefix: '/v1', header: { 'x-team': slug } }, { bookSession, listSessions }) } })
 */
export const group: typeof declareGroup = (shared, endpoints) => {
  bringEverything()
  checkGroupOptions(shared)
  const grouped = declareGroup(shared, endpoints, checkEndpointOptions)
  for (const one of Object.values(grouped)) checkEndpoint(endpointNode(one))
  return grouped
}

/**
 * Gathers the endpoints of a service.
 *
 * @throws DeclarationError if two endpoints match the same requests, and nothing distinguishes them.
 * @example
 * export default intake({ endpoints: { bookSession, listSessions }, base: '/api/v1', limits: { body: '64kB' } })
 */
export const intake: typeof declareIntake = (declaration) => {
  bringEverything()
  checkIntakeOptions(declaration)
  checkLimits('intake', declaration.limits)
  const made = declareIntake(declaration)
  const { endpoints, naming } = intakeNode(made)
  refuseDoubles(Object.entries(endpoints))
  if (naming) for (const [name, endpoint] of Object.entries(endpoints)) checkNaming(name, endpoint, naming)
  return made
}

/** Two addresses of one endpoint may not be called the same: a client could not tell which of them is wrong. */
function checkNaming(name: string, endpoint: EndpointNode, naming: Naming): void {
  const parts = partNames.flatMap((part): (readonly [Node, Path])[] =>
    part === 'body' ? endpoint.bodies.map(({ node }) => [node, [part]]) : [[endpoint[part], [part]]],
  )
  const known = new Map<string, string>()
  for (const [node, at] of parts)
    for (const path of pathsBelow(node, at)) {
      const address = formatAddress(path)
      const given = nameOf(path, naming)
      const where = `intake, ${name}, naming`
      if (given === undefined)
        mistake(
          where,
          `it gives no text for ${address}`,
          "Give a text for each path: (path) => path.slice(1).join('.')",
        )
      const other = known.get(given) ?? address
      // Nothing of a part as a whole is a field, so that such names may be the same.
      if (other !== address && path.length > 1)
        mistake(where, `it gives ${other} and ${address} the same name "${given}"`, 'Give each its own name')
      if (path.length > 1 || path[0] === 'body') known.set(given, address)
    }
}

function refuseDoubles(endpoints: readonly (readonly [name: string, EndpointNode])[]): void {
  const shapes = new Map<string, { readonly name: string; readonly endpoint: EndpointNode }[]>()
  for (const [name, endpoint] of endpoints) {
    const shape = `${endpoint.method} /${endpoint.segments.map(shapeOf).join('/')}`
    const others = shapes.get(shape) ?? []
    shapes.set(shape, others)
    others.push({ name, endpoint })
    if (others.length > 1 && !tellEndpoints(others))
      mistake(
        `intake, ${name}`,
        `${others[0]?.name} matches the same requests, and nothing distinguishes them`,
        'Give one of them another method or path; or each a header or query field that it requires, a constant or a choice of other values; or bodies of other media types',
      )
  }
}
