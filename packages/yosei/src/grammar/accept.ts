/** What a client takes, and how gladly (RFC 9110, section 12.4.2). */
import { inRange } from './media-range.js'
import { splitOutside } from './quoted.js'

interface Preference {
  readonly value: string
  readonly weight: number
  /** Whether it is narrower than its value says: `text/html;level=1`. */
  readonly hasParameters: boolean
}

/** The elements of a preference list with their weights. */
export function weighted(field: string): readonly Preference[] {
  return splitOutside(field, ',').flatMap((element): Preference[] => {
    const [value = '', ...parameters] = splitOutside(element, ';').map((one) => one.trim().toLowerCase())
    // What stands behind the weight extends it (RFC 7231, section 5.3.2), and says nothing of the range.
    const at = parameters.findIndex((one) => one.startsWith('q='))
    const weight = parameters[at]?.slice(2)
    const hasParameters = (at < 0 ? parameters : parameters.slice(0, at)).some((one) => one !== '')
    if (value === '') return []
    if (weight === undefined) return [{ value, weight: 1, hasParameters }]
    return [{ value, weight: /^[01](\.\d{0,3})?$/.test(weight) ? Math.min(1, Number(weight)) : 0, hasParameters }]
  })
}

/** How specific a range is. */
const precision = (range: string) => (range === '*/*' ? 0 : range.endsWith('/*') ? 1 : 2)

/** The weight that an Accept field gives a media type without parameters: that of the most specific range it lies in. */
export function weightOf(type: string, accept: string): number {
  let found: Preference | undefined
  for (const one of weighted(accept))
    if (!one.hasParameters && inRange(type, one.value) && !(found && precision(found.value) >= precision(one.value)))
      found = one
  return found?.weight ?? 0
}
