/** Media ranges (RFC 9110, section 12.5.1), as a declaration or an Accept field writes them. */

const range = /^([!#$%&'*+.^_`|~0-9A-Za-z-]+)\/([!#$%&'*+.^_`|~0-9A-Za-z-]+)$/

/** `undefined` if the text is no range. A subtype may be `*`, and a type too where the subtype is. */
export function readMediaRange(text: string): { readonly type: string } | undefined {
  const found = range.exec(text.trim())
  if (!found || (found[1] === '*' && found[2] !== '*')) return undefined
  return { type: found[0].toLowerCase() }
}

/** Whether a media type lies in a range, both in lower case. */
export const inRange = (type: string, range: string): boolean =>
  range === type || range === '*/*' || (range.endsWith('/*') && type.startsWith(range.slice(0, -1)))
