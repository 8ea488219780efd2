/** Judging, on the platform that there is. */
import * as platform from '#platform'
import { compiled } from '../engine/reader.js'
import { journalFailure } from '../judge/journal.js'
import { type JudgeOptions, judgeOn } from '../judge/judge.js'
import { type BodyOf, judgeMergedBy, type MergePatch } from '../judge/merged.js'
import { type JudgePartsOptions, judgePartsBy } from '../judge/parts.js'
import { takingPieces } from '../judge/pieces.js'
import {
  type By,
  type JudgeValueOptions,
  judgeValueBy,
  type StandardFor,
  type StandardForOptions,
  standardBy,
  standardForBy,
  type ValueOf,
  type ValueVerdict,
} from '../judge/value.js'
import type { RequestLike } from '../read/message.js'
import { endpoint } from '../sound/declarations.js'
import type { Endpoint, Endpoints, Intake } from '../terms/endpoint.js'
import type { Catalogues } from '../terms/hooks.js'
import type { Part } from '../terms/parts.js'
import type { Field } from '../terms/types.js'
import type { EndpointVerdict, Verdict } from '../terms/verdict.js'
import { catalogueFor } from '../words/catalogue.js'
import { languageFor, shipped } from '../words/languages.js'

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
): EndpointVerdict<string, E> =>
  judgePartsBy(compiled, endpoint, parts, options, undefined, wordsIn, journalFailure, takingPieces)

/**
 * Judges a value that no request brought: a message of a queue, a file, settings. Addresses begin at the value itself: a
 * name, `exposures[0].filter`, or nothing if the value as a whole is wrong. Rules of records hold. Synchronous.
 *
 * @throws what a function of the declaration throws, and a DeclarationError if the field makes no sense.
 * @example
 * const verdict = judgeValue(booking, JSON.parse(message), { language: 'de' })
 * if (verdict.outcome === 'rejected') console.log(verdict.errorsByField)
 */
export const judgeValue = <F extends Field>(
  field: F,
  value: unknown,
  options?: JudgeValueOptions,
): ValueVerdict<ValueOf<F>> => judgeValueBy(byCode, field, value, options)

const wordsIn = (language: string | undefined, own: Catalogues | undefined) =>
  catalogueFor(languageFor(language, own), own, shipped)

const byCode: By = { engine: compiled, words: wordsIn, endpoint: endpoint as never }
/**
 * A field for libraries that support Standard Schema but pass no options on: with the language of its errors, or for
 * values that are texts, as forms have them.
 *
 * @example
 * useForm({ validators: { onChange: standardFor(booking, { language: navigator.language, text: true }) } })
 */
export const standardFor = <F extends Field, const T extends boolean = false>(
  field: F,
  options: StandardForOptions<T>,
): StandardFor<F, T> => standardForBy(byCode, field, options)

/** What other libraries ask of a field. */
export const standard = /* @__PURE__ */ standardBy(byCode)

/**
 * Validates the result of a JSON Merge Patch (RFC 7396) on a stored value, by the endpoint that takes the whole. So
 * rules between changed and unchanged fields hold. Stored names that are not declared, or that the server sets, are left
 * out, and so are nulls that the field does not allow. Limits that count from now hold only for changed fields.
 * Synchronous.
 *
 * @param stored The body as it is, as handlers get it or as JSON.
 * @param patch What a change says: the body that `allOptional(of, { nullable: true })` was read to.
 * @throws DeclarationError if the endpoint's body is no record.
 * @example
 * const verdict = judgeMerged(bookSession, await store.session(id), patch)
 * return verdict.outcome === 'rejected' ? refuse(verdict) : store.put(id, verdict.input.body)
 */
export const judgeMerged = <E extends Endpoint>(
  endpoint: E,
  stored: object,
  patch: MergePatch<BodyOf<E>>,
  options?: Pick<JudgePartsOptions, 'now' | 'trace'>,
): EndpointVerdict<string, E> => judgeMergedBy(compiled, endpoint, stored, patch, options)
