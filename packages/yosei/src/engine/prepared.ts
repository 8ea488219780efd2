/** The code that endpoints were given, made before they run. */
import type { BodyNode, EndpointNode } from '../declare/endpoint.js'
import type { Placed } from '../declare/place.js'
import type { Run } from '../kinds/run.js'
import type { RuleJudge } from './coded-rules.js'
import type { Reader } from './parts.js'

/** The code for one body, with its constants from the declaration. */
export interface PreparedBody {
  read(endpoint: EndpointNode, placed: Placed, interpreted: Reader): Reader
  rules?(endpoint: EndpointNode, placed: Placed): RuleJudge
}
export interface PreparedEndpoint {
  /** Of its declaration, when the code was made. */
  readonly digest: string
  /** In the order of its bodies; one if it has none. */
  readonly bodies: readonly PreparedBody[]
  who?(endpoint: EndpointNode): (who: unknown, run: Run) => boolean
}

const given = new WeakMap<EndpointNode, PreparedEndpoint>()

export const giveCode = (endpoint: EndpointNode, code: PreparedEndpoint): void => void given.set(endpoint, code)
export const preparedOf = (endpoint: EndpointNode): PreparedEndpoint | undefined => given.get(endpoint)

export const preparedBody = (endpoint: EndpointNode, body: BodyNode | undefined): PreparedBody | undefined =>
  given.get(endpoint)?.bodies[body ? endpoint.bodies.indexOf(body) : 0]
