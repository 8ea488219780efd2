/** How an endpoint is read and judged where code may be made: by the code that is made for it. */
import { type BodyNode, type EndpointNode, oncePerBody } from '../declare/endpoint.js'
import { type Placed, placedOn } from '../declare/place.js'
import type { Run } from '../kinds/run.js'
import type { Part } from '../terms/parts.js'
import { codedRules, type RuleJudge } from './coded-rules.js'
import { compileEndpoint, compileRules, compileWho } from './compiler.js'
import { interpretParts, type Reader } from './parts.js'
import { preparedBody, preparedOf } from './prepared.js'

export interface Compiled {
  /** Its rules, each where it applies. */
  readonly placed: Placed
  readonly read: Reader
  /** Judges the rules, if there are any and code may be made for them. */
  readonly judge: RuleJudge | undefined
}

const whoTest = oncePerBody((endpoint) => ({
  holds:
    endpoint.engine === 'interpreted' ? undefined : (preparedOf(endpoint)?.who?.(endpoint) ?? compileWho(endpoint)),
}))
/** Whether the caller is as declared, if code says it; where not, the interpreter tells. */
export const whoHolds = (endpoint: EndpointNode, who: unknown, run: Run): boolean =>
  whoTest(endpoint, undefined).holds?.(who, run) ?? false

/** The code of an endpoint with a body of one media type: of all its parts, or of some alone. */
export function compiled(endpoint: EndpointNode, body: BodyNode | undefined, only?: readonly Part[]): Compiled {
  if (!only) return whole(endpoint, body)
  const known = pieces(endpoint, body)
  const names = only.join()
  const found = known.get(names) ?? compile(endpoint, body, only)
  known.set(names, found)
  return found
}
const whole = oncePerBody((endpoint, body) => compile(endpoint, body))
const pieces = oncePerBody(() => new Map<string, Compiled>())

function compile(endpoint: EndpointNode, body: BodyNode | undefined, only?: readonly Part[]): Compiled {
  const interpreted: Reader = (path, query, header, cookie, sent, run, hasBody) =>
    interpretParts(endpoint, body, { path, query, header, cookie, body: sent }, run, hasBody, only)
  const placed = placedOn(endpoint, body, only)
  if (endpoint.engine === 'interpreted') return { placed, read: interpreted, judge: undefined }
  const prepared = only ? undefined : preparedBody(endpoint, body)
  if (prepared) {
    const judge = prepared.rules?.(endpoint, placed)
    return { placed, read: prepared.read(endpoint, placed, interpreted), judge: judge && codedRules(judge) }
  }
  return {
    placed,
    read: compileEndpoint(endpoint, body, interpreted, only) ?? interpreted,
    judge: compileRules(endpoint, body, placed),
  }
}
