/** Media types (RFC 9110, section 8.3). */

export interface MediaType {
  /** `type/subtype`, in lower case. */
  readonly type: string
  readonly parameters: { readonly [name: string]: string }
}

const token = "[!#$%&'*+.^_`|~0-9A-Za-z-]+"
const start = /* @__PURE__ */ new RegExp(`^[ \\t]*(${token}/${token})[ \\t]*`)
const parameter = /* @__PURE__ */ new RegExp(
  `;[ \\t]*(?:(${token})=(${token}|"[^"\\\\]*(?:\\\\.[^"\\\\]*)*"))?[ \\t]*`,
  'y',
)

/** `undefined` if the text is no media type. */
export function readMediaType(text: string): MediaType | undefined {
  const found = start.exec(text)
  if (!found) return undefined
  const parameters = readParameters(text, found[0].length, /\\(.)/g)
  return parameters && { type: (found[1] as string).toLowerCase(), parameters }
}

/**
 * Parameters to the end of a text (RFC 9110, section 5.6.6), names in lower case; `undefined` if they are none.
 *
 * @param escapes What a backslash escapes in a quoted string.
 */
export function readParameters(text: string, from: number, escapes: RegExp): MediaType['parameters'] | undefined {
  const parameters: { [name: string]: string } = Object.create(null)
  parameter.lastIndex = from
  while (parameter.lastIndex < text.length) {
    const next = parameter.exec(text)
    if (!next) return undefined
    const [, name, value = ''] = next
    if (name) parameters[name.toLowerCase()] = value.startsWith('"') ? value.slice(1, -1).replace(escapes, '$1') : value
  }
  return parameters
}
