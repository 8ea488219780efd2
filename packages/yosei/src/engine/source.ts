import type { BodyNode, EndpointNode } from '../declare/endpoint.js'
import type { Source } from '../kinds/run.js'

/** What the values of a body are read from. */
export const sourceOf = ({ coerce }: EndpointNode, body: BodyNode): Source =>
  body.syntax === 'json' ? (coerce ? 'coerced' : 'json') : 'text'
