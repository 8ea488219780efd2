/** The query of a request target: `name=value` pairs, joined by `&`, with `+` for a space. */
import { type Decoded, decodePercent, malformed } from './percent.js'

/** A name without `=`: an empty text, or true for a flag. */
export const bare = Symbol('a name without =')

export interface Query {
  /** The values of each name, in the order sent. */
  readonly values: ReadonlyMap<string, readonly (Decoded | typeof bare)[]>
  /** A name could not be decoded. */
  readonly malformed: boolean
}

const decode = (text: string) => decodePercent(text.replaceAll('+', ' '))

export function readQuery(query: string): Query {
  const values = new Map<string, (Decoded | typeof bare)[]>()
  let broken = false
  for (const pair of query.split('&')) {
    if (pair === '') continue
    const equals = pair.indexOf('=')
    const name = decode(equals < 0 ? pair : pair.slice(0, equals))
    const value = equals < 0 ? bare : decode(pair.slice(equals + 1))
    if (name === malformed) broken = true
    else if (values.get(name)?.push(value) === undefined) values.set(name, [value])
  }
  return { values, malformed: broken }
}
