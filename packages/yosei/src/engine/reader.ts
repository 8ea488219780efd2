/** How an endpoint is read and judged where code may be made: by the code that is made for it. */
import { type EndpointNode, oncePerBody } from '../declare/endpoint.js'
import { type Placed, placedRules } from '../declare/place.js'
import type { Run } from '../kinds/run.js'
import { compileEndpoint, compileRules, compileWho } from './compiler.js'
import { interpretParts, type Reader } from './parts.js'
import type { RuleJudge } from './rules.js'

export interface Compiled {
  /** Its rules, each where it applies. */
  readonly placed: Placed
  readonly read: Reader
  /** Judges the rules, where there are any and code may be made for them. */
  readonly judge: RuleJudge | undefined
}

const whoTest = oncePerBody((endpoint) => ({
  holds: endpoint.engine === 'interpreted' ? undefined : compileWho(endpoint),
}))
/** Whether who is asking is as declared, where code says it; where not, the interpreter tells. */
export const whoHolds = (endpoint: EndpointNode, who: unknown, run: Run): boolean =>
  whoTest(endpoint, undefined).holds?.(who, run) ?? false

/** The code of an endpoint with a body of one media type. */
export const compiled = oncePerBody((endpoint, body): Compiled => {
  const interpreted: Reader = (path, query, header, cookie, sent, run, hasBody) =>
    interpretParts(endpoint, body, { path, query, header, cookie, body: sent }, run, hasBody)
  const placed = placedRules(endpoint, body)
  return endpoint.engine === 'interpreted'
    ? { placed, read: interpreted, judge: undefined }
    : { placed, read: compileEndpoint(endpoint, body, interpreted) ?? interpreted, judge: compileRules(endpoint, body) }
})
