/** The language that the client would rather read: RFC 9110, section 12.5.4, by the lookup of RFC 4647, section 3.4. */
import { weighted } from '../grammar/accept.js'

/** The language, among those that there are, that the client reads best; the first where it reads none. */
export function chooseLanguage(field: string | undefined, tags: readonly string[]): string {
  const [first = 'en'] = tags
  if (field === undefined) return first
  const all = weighted(field)
  const ranges = all.filter(({ weight, value }) => weight > 0 && value !== '*').sort((a, b) => b.weight - a.weight)
  const isRefused = (tag: string) => all.some(({ weight, value }) => weight === 0 && isWithin(tag.toLowerCase(), value))
  for (const { value } of ranges) {
    for (let range = value; range !== ''; range = shorter(range)) {
      const found = tags.find((tag) => tag.toLowerCase() === range)
      if (found !== undefined && (range === value || !isRefused(found))) return found
    }
  }
  // Any other will do, but for what the client does not read.
  return all.some(({ weight, value }) => weight > 0 && value === '*')
    ? (tags.find((tag) => !isRefused(tag)) ?? first)
    : first
}
const isWithin = (tag: string, range: string) => tag === range || tag.startsWith(`${range}-`)

/** Without its last subtag, and without a single letter before that (RFC 4647, section 3.4). */
function shorter(range: string): string {
  const rest = range.slice(0, Math.max(0, range.lastIndexOf('-')))
  return rest.charAt(rest.length - 2) === '-' ? rest.slice(0, -2) : rest
}
