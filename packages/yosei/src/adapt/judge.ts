/** Judging, on the platform that there is. */
import * as platform from '#platform'
import { readerOf } from '../engine/reader.js'
import { type JudgeOptions, judgeOn } from '../judge/judge.js'
import { type JudgePartsOptions, judgePartsBy } from '../judge/parts.js'
import type { RequestLike } from '../read/message.js'
import type { Endpoint, Endpoints, Intake } from '../terms/endpoint.js'
import type { Part } from '../terms/parts.js'
import type { EndpointVerdict, Verdict } from '../terms/verdict.js'

/**
 * Judges a request: is it accepted, with which input; or rejected, with which status and errors. Never throws because
 * of what was sent. The body of a fetch Request is consumed. Files of an accepted request are there as long as its
 * input is held.
 *
 * @example
 * const verdict = await judge(app, 'GET /sessions?limit=5 HTTP/1.1')
 * if (verdict.outcome === 'rejected') console.log(verdict.status, verdict.errorsByField)
 */
export const judge = <E extends Endpoints>(
  app: Intake<E>,
  request: RequestLike,
  options?: JudgeOptions,
): Promise<Verdict<E>> => judgeOn(platform, app, request, options)

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
): EndpointVerdict<string, E> => judgePartsBy(readerOf, endpoint, parts, options)
