/**
 * The only way for words of a declaration into generated code. What comes out is printable ASCII: no quote, line end,
 * comment mark or template mark of a name can end what it stands in.
 */
export const quote = (text: string): string =>
  JSON.stringify(text).replace(/[^ -~]|[<>/`$]/g, (one) => `\\u${one.charCodeAt(0).toString(16).padStart(4, '0')}`)

const plain = /^[A-Za-z_$][A-Za-z0-9_$]*$/

/** The access to a property: `.name`, or `["a name"]`. */
export const access = (name: string): string => (plain.test(name) ? `.${name}` : `[${quote(name)}]`)

/** The same of what may be null or absent. */
export const optionalAccess = (name: string): string => `?.${access(name).replace(/^\./, '')}`

/** A property's name in an object literal. In brackets `__proto__` is a name like any other. */
export const key = (name: string): string =>
  name === '__proto__' ? `[${quote(name)}]` : plain.test(name) ? name : quote(name)

/** A name as part of an identifier or an address of a source: what is no letter, digit or `_` becomes `_`. */
export const identifier = (text: string): string => text.replace(/[^A-Za-z0-9]+/g, '_').replace(/^(?=[0-9]|$)/, '_')
