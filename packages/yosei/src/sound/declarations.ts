/** What a service declares, held to making sense when it is made. */
import { declareEndpoint, type EndpointNode, endpointNode } from '../declare/endpoint.js'
import { declareGroup } from '../declare/group.js'
import { declareIntake, intakeNode } from '../declare/intake.js'
import { mistake } from '../terms/mistake.js'
import { checkEndpoint } from './endpoint.js'
import { checkEndpointOptions, checkGroupOptions, checkIntakeOptions } from './options.js'

/**
 * Declares what a request to one method and path may look like.
 *
 * @param signature Method and path template (RFC 6570, level 1): `'POST /telescopes/{telescopeId}/sessions'`.
 * @throws DeclarationError where the declaration makes no sense.
 * @example
 * const listSessions = endpoint('GET /sessions', { query: { limit: integer({ min: 1, max: 100, default: 20 }) } })
 */
export const endpoint: typeof declareEndpoint = (signature, declaration) => {
  checkEndpointOptions(signature, declaration)
  const declared = declareEndpoint(signature, declaration)
  checkEndpoint(endpointNode(declared))
  return declared
}

/**
 * Endpoints with what they share. Groups nest; what an endpoint or an inner group says itself wins.
 *
 * @throws DeclarationError where what is shared does not fit an endpoint.
 * @example
 * intake({ endpoints: { ...group({ prefix: '/v1', header: { 'x-team': slug } }, { bookSession, listSessions }) } })
 */
export const group: typeof declareGroup = (shared, endpoints) => {
  checkGroupOptions(shared)
  const grouped = declareGroup(shared, endpoints, checkEndpointOptions)
  for (const one of Object.values(grouped)) checkEndpoint(endpointNode(one))
  return grouped
}

/**
 * Gathers the endpoints of a service.
 *
 * @throws DeclarationError where two endpoints match the same requests.
 * @example
 * export default intake({ endpoints: { bookSession, listSessions }, base: '/api/v1', limits: { body: '64kB' } })
 */
export const intake: typeof declareIntake = (declaration) => {
  checkIntakeOptions(declaration)
  const made = declareIntake(declaration)
  refuseDoubles(Object.entries(intakeNode(made).endpoints))
  return made
}

function refuseDoubles(endpoints: readonly (readonly [name: string, EndpointNode])[]): void {
  const shapes = new Map<string, string>()
  for (const [name, { method, segments }] of endpoints) {
    const shape = `${method} /${segments.map((segment) => (typeof segment === 'string' ? segment : '{}')).join('/')}`
    const other = shapes.get(shape)
    if (other !== undefined)
      mistake(`intake, ${name}`, `${other} matches the same requests`, 'Give one of them another method or path')
    shapes.set(shape, name)
  }
}
