/** How an endpoint is read and judged where code may be made: by the code that is made for it. */
import { type BodyNode, type EndpointNode, oncePerBody } from '../declare/endpoint.js'
import { compileEndpoint, compileRules } from './compiler.js'
import { interpretParts, type Reader } from './parts.js'
import type { RuleJudge } from './rules.js'

/** The reader of an endpoint with a body of one media type. */
export const readerOf = oncePerBody((endpoint, chosen): Reader => {
  const interpreted: Reader = (path, query, header, cookie, body, run, hasBody) =>
    interpretParts(endpoint, chosen, { path, query, header, cookie, body }, run, hasBody)
  return (endpoint.engine === 'interpreted' ? undefined : compileEndpoint(endpoint, chosen, interpreted)) ?? interpreted
})

const judgeFor = oncePerBody((endpoint, chosen) => ({
  judge: endpoint.engine === 'interpreted' ? undefined : compileRules(endpoint, chosen),
}))
/** What judges the rules of an endpoint with a body of one media type by code. */
const rulesOf = (endpoint: EndpointNode, body: BodyNode | undefined): RuleJudge | undefined =>
  judgeFor(endpoint, body).judge

/** Reading and judging by code. */
export const compiled = { readerOf, rulesOf }
