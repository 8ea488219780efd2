/** What a client takes, and how gladly (RFC 9110, section 12.4.2). */
import { inRange } from './media-range.js'

/** The elements of a preference list with their weights. */
export function weighted(field: string): { readonly value: string; readonly weight: number }[] {
  return field
    .slice(0, 1000)
    .split(',')
    .flatMap((element) => {
      const [value = '', ...parameters] = element.split(';').map((one) => one.trim().toLowerCase())
      const weight = parameters.find((one) => one.startsWith('q='))?.slice(2)
      return value === ''
        ? []
        : [
            {
              value,
              weight: weight === undefined ? 1 : /^[01](\.\d{0,3})?$/.test(weight) ? Math.min(1, Number(weight)) : 0,
            },
          ]
    })
}

/** How specific a range is. */
const precision = (range: string) => (range === '*/*' ? 0 : range.endsWith('/*') ? 1 : 2)

/** The weight that an Accept field gives a media type: that of the most specific range it lies in. */
export function weightOf(type: string, accept: string): number {
  const ranges = weighted(accept).filter(({ value }) => inRange(type, value))
  const most = Math.max(...ranges.map(({ value }) => precision(value)))
  return ranges.find(({ value }) => precision(value) === most)?.weight ?? 0
}
