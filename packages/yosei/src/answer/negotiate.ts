/** What the client would rather read: RFC 9110, section 12.5, and the lookup of RFC 4647, section 3.4. */
import { inRange } from '../declare/media-range.js'

export const forms = ['application/problem+json', 'text/html', 'text/plain'] as const
export type Form = (typeof forms)[number]

/** The elements of a preference list with their weights. */
function weighted(field: string): { readonly value: string; readonly weight: number }[] {
  return field
    .slice(0, 1000)
    .split(',')
    .flatMap((element) => {
      const [value = '', ...parameters] = element.split(';').map((one) => one.trim().toLowerCase())
      const weight = parameters.find((one) => one.startsWith('q='))?.slice(2)
      return value === ''
        ? []
        : [{ value, weight: weight === undefined ? 1 : /^[01](\.\d{0,3})?$/.test(weight) ? Math.min(1, Number(weight)) : 0 }]
    })
}

/** How specific a range is. */
const precision = (range: string) => (range === '*/*' ? 0 : range.endsWith('/*') ? 1 : 2)

/** The weight that an Accept field gives a media type: that of the most specific range it lies in. */
function weightOf(type: string, accept: string): number {
  const ranges = weighted(accept).filter(({ value }) => inRange(type, value))
  const most = Math.max(...ranges.map(({ value }) => precision(value)))
  return ranges.find(({ value }) => precision(value) === most)?.weight ?? 0
}

/** The form that the client likes best; the problem document where it has no wish, or an odd one. */
export function chooseForm(accept: string | undefined): Form {
  if (accept === undefined || accept === '*/*' || accept === 'application/json') return forms[0]
  // A problem document is JSON: who takes JSON takes it.
  const json = Math.max(weightOf(forms[0], accept), weightOf('application/json', accept))
  const weights = [json, weightOf(forms[1], accept), weightOf(forms[2], accept)]
  const best = Math.max(...weights)
  return best === 0 ? forms[0] : (forms[weights.indexOf(best)] as Form)
}

/** The language, among those that there are, that the client reads best; the first where it reads none. */
export function chooseLanguage(field: string | undefined, tags: readonly string[]): string {
  const [first = 'en'] = tags
  if (field === undefined) return first
  const ranges = weighted(field)
    .filter(({ weight }) => weight > 0)
    .sort((a, b) => b.weight - a.weight)
  for (const { value } of ranges) {
    if (value === '*') return first
    for (let range = value; range !== ''; range = range.replace(/(?:-[^-])?(?:^|-)[^-]*$/, '')) {
      const found = tags.find((tag) => tag.toLowerCase() === range)
      if (found !== undefined) return found
    }
  }
  return first
}
