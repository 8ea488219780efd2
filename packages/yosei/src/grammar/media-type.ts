/** Media types (RFC 9110, section 8.3). */

export interface MediaType {
  /** `type/subtype`, in lower case. */
  readonly type: string
  readonly parameters: { readonly [name: string]: string }
}

const token = "[!#$%&'*+.^_`|~0-9A-Za-z-]+"
const start = new RegExp(`^[ \\t]*(${token}/${token})[ \\t]*`)
const parameter = new RegExp(`;[ \\t]*(?:(${token})=(${token}|"[^"\\\\]*(?:\\\\.[^"\\\\]*)*"))?[ \\t]*`, 'y')

/** `undefined` where the text is no media type. */
export function readMediaType(text: string): MediaType | undefined {
  const found = start.exec(text)
  if (!found) return undefined
  const parameters: { [name: string]: string } = Object.create(null)
  parameter.lastIndex = found[0].length
  while (parameter.lastIndex < text.length) {
    const next = parameter.exec(text)
    if (!next) return undefined
    const [, name, value = ''] = next
    if (name)
      parameters[name.toLowerCase()] = value.startsWith('"') ? value.slice(1, -1).replace(/\\(.)/g, '$1') : value
  }
  return { type: (found[1] as string).toLowerCase(), parameters }
}
