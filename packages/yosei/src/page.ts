/**
 * For pages, where every byte counts: declarations as they are everywhere, and `judgeParts` by the interpreter. What a
 * page leaves out by taking this subpath is the code that is made for endpoints, the check whether declarations make
 * sense, which the service that shares them has made, and serving. Verdicts, limits and messages are the same.
 */
import { type JudgePartsOptions, judgePartsBy } from './judge/parts.js'
import type { Endpoint } from './terms/endpoint.js'
import type { Part } from './terms/parts.js'
import type { EndpointVerdict } from './terms/verdict.js'

export * from './declare/builders.js'
export { declareEndpoint as endpoint } from './declare/endpoint.js'
export { declareGroup as group } from './declare/group.js'
export { declareIntake as intake } from './declare/intake.js'
export { formatAddress, parseAddress } from './terms/address.js'

/**
 * Judges parts that are split already: path, query, header and cookie as text, the body as JSON values, by the first of
 * the endpoint's bodies. Synchronous.
 *
 * @example
 * judgeParts(listSessions, { query: { limit: '5' } })
 */
export const judgeParts = <E extends Endpoint>(
  endpoint: E,
  parts: { readonly [P in Part]?: unknown },
  options?: JudgePartsOptions,
): EndpointVerdict<string, E> => judgePartsBy(undefined, endpoint, parts, options)
