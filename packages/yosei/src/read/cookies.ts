/** Cookies (RFC 6265), as the Cookie header field carries them. */

import { decodePercent } from '../grammar/percent.js'
import type { RecordNode } from '../kinds/record.js'
import { isEmpty, put } from '../terms/own.js'
import type { Values } from './values.js'

/**
 * The declared cookies. Of a name sent twice the first counts (section 5.4 puts the most specific first); values are
 * percent-decoded.
 */
export function cookieValues(headers: readonly (readonly [string, string])[], declared: RecordNode): Values {
  const values: Values = {}
  if (isEmpty(declared.fields)) return values
  for (const [field, line] of headers) {
    if (field !== 'cookie') continue
    for (const pair of line.split(';')) {
      const equals = pair.indexOf('=')
      const name = pair.slice(0, Math.max(0, equals)).trim()
      if (!Object.hasOwn(declared.fields, name) || Object.hasOwn(values, name)) continue
      const raw = pair.slice(equals + 1).trim()
      put(
        values,
        name,
        decodePercent(raw.length > 1 && raw.startsWith('"') && raw.endsWith('"') ? raw.slice(1, -1) : raw),
      )
    }
  }
  return values
}
