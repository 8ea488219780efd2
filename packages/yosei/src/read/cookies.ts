/** Cookies (RFC 6265), as the Cookie header field carries them. */

import { decodePercent } from '../grammar/percent.js'
import type { RecordNode } from '../kinds/record.js'
import { isEmpty, put } from '../terms/own.js'
import { gather, type Values } from './values.js'

/**
 * The declared cookies. Of a name sent twice the first counts (section 5.4 puts the most specific first); values are
 * percent-decoded.
 *
 * @param all Whether every value counts, because another server may take the last.
 */
export function cookieValues(
  headers: readonly (readonly [string, string])[],
  declared: RecordNode,
  all = false,
): Values {
  const values: Values = {}
  if (isEmpty(declared.fields)) return values
  for (const [field, line] of headers) {
    if (field !== 'cookie') continue
    for (const pair of line.split(';')) {
      const equals = pair.indexOf('=')
      const name = pair.slice(0, Math.max(0, equals)).trim()
      if (!Object.hasOwn(declared.fields, name) || (Object.hasOwn(values, name) && !all)) continue
      const raw = pair.slice(equals + 1).trim()
      const value = decodePercent(raw.length > 1 && raw.startsWith('"') && raw.endsWith('"') ? raw.slice(1, -1) : raw)
      put(values, name, Object.hasOwn(values, name) ? gather(values[name], value) : value)
    }
  }
  return values
}
