/**
 * For pages, if every byte counts: declarations as they are everywhere, and `judgeParts` by the interpreter. What a
 * page leaves out by taking this subpath is the code that is made for endpoints, the check whether declarations make
 * sense, which the service that shares them has made, and serving. Verdicts, limits and messages are the same.
 */

import { text as declareText } from './declare/fields.js'
import { placedOn } from './declare/place.js'
import { bringRuleEngine } from './engine/judging.js'
import { runRules } from './engine/rules.js'
import { bringFormats, formats } from './grammar/formats.js'
import { type JudgePartsOptions, judgePartsBy } from './judge/parts.js'
import {
  byInterpreter,
  type JudgeValueOptions,
  judgeValueBy,
  type StandardFor,
  type StandardForOptions,
  standardBy,
  standardForBy,
  type ValueOf,
  type ValueVerdict,
} from './judge/value.js'
import type { everyRule } from './rules/every.js'
import { bringWithConditions } from './rules/every-condition.js'
import type { Endpoint } from './terms/endpoint.js'
import type { Part } from './terms/parts.js'
import { judgeStandardBy } from './terms/standard.js'
import type { Field } from './terms/types.js'
import type { EndpointVerdict } from './terms/verdict.js'

export * from './declare/builders.js'
export { declareEndpoint as endpoint } from './declare/endpoint.js'
export { declareGroup as group } from './declare/group.js'
export { declareIntake as intake } from './declare/intake.js'
export { formatAddress, parseAddress } from './terms/address.js'
export { bringLanguages } from './words/brought.js'
export { german } from './words/german.js'

judgeStandardBy(standardBy(byInterpreter), true)

/** A text: in JSON a string; elsewhere the text as it stands after decoding. */
export const text: typeof declareText = (options) => {
  bringFormats(formats)
  return declareText(options)
}

/**
 * Brings rules, and conditions with them, so that a page ships those alone that it uses. `yosei/vite` writes the call.
 *
 * @example
 * import { ascending, use } from 'yosei/page'
 * use({ ascending })
 */
export function use(rules: Partial<typeof everyRule>): void {
  // What they are given, the service has checked.
  bringWithConditions(rules)
  bringRuleEngine({ placedOn, runRules })
}
export { acyclic } from './rules/acyclic.js'
export { among } from './rules/among.js'
export { apart } from './rules/apart.js'
export { ascending } from './rules/ascending.js'
export { atLeastOne } from './rules/at-least-one.js'
export { atMostOne } from './rules/at-most-one.js'
export { check } from './rules/check.js'
export { count } from './rules/count.js'
export { differ } from './rules/differ.js'
export { distinct } from './rules/distinct.js'
export { equal } from './rules/equal.js'
export { exactlyOne } from './rules/exactly-one.js'
export { fill } from './rules/fill.js'
export { find } from './rules/find.js'
export { fits } from './rules/fits.js'
export { gap } from './rules/gap.js'
export { inOrder } from './rules/in-order.js'
export { absent, needed } from './rules/needed.js'
export { openAt } from './rules/open-at.js'
export { sumWithin } from './rules/sum-within.js'
export { together } from './rules/together.js'

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

/**
 * Judges a value that is no request, as form libraries have it. Addresses begin at the value itself. Synchronous.
 *
 * @example
 * judgeValue(booking, { seconds: 5 })
 */
export const judgeValue = <F extends Field>(
  field: F,
  value: unknown,
  options?: JudgeValueOptions,
): ValueVerdict<ValueOf<F>> => judgeValueBy(byInterpreter, field, value, options)

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
): StandardFor<F, T> => standardForBy(byInterpreter, field, options)
