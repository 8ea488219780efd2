/** TypeScript as text: literals, names, comments, types. */
import type { Node } from '../kinds/kind.js'
import { resolve } from '../kinds/resolve.js'
import { isNamed } from '../kinds/run.js'

/** A name in an object: `__proto__` would set what it inherits from. */
export const key = (name: string): string =>
  name === '__proto__' ? "['__proto__']" : /^[A-Za-z_$][\w$]*$/.test(name) ? name : quoted(name)
const quoted = (text: string): string => JSON.stringify(text)

/** A name of an object with its value. */
export const member = (name: string, source: string): string => (name === source ? name : `${key(name)}: ${source}`)
export const object = (entries: readonly string[]): string =>
  entries.length === 0 ? '{}' : `{ ${entries.join(', ')} }`

/** A JSON value or a regular expression as it is written; what is not there is left out. */
export function literal(value: unknown): string {
  if (value instanceof RegExp) return String(value)
  if (Array.isArray(value)) return `[${value.map(literal).join(', ')}]`
  if (isNamed(value)) return object(members(value))
  if (typeof value === 'string') return quoted(value)
  return Object.is(value, -0) ? '-0' : String(value)
}

/** The names of an object with their values; what is not there is left out. */
export const members = (of: object): readonly string[] =>
  Object.entries(of).flatMap(([name, one]) => (one === undefined ? [] : [`${key(name)}: ${literal(one)}`]))

const reserved =
  'abstract any arguments as async await bigint boolean break case catch class const continue debugger declare default delete do else enum eval export extends false finally for from function get if implements import in infer instanceof interface is keyof let module namespace never new null number object of package private protected public readonly return satisfies set static string super switch symbol this throw true try type typeof undefined unknown var void while with yield globalThis Array Object Date File Error Promise Map Set Record'

/** Names of constants and types, each given once. */
export class Identifiers {
  readonly #taken: Set<string>
  constructor(taken: Iterable<string>) {
    this.#taken = new Set([...reserved.split(' '), ...taken])
  }
  /** A name made of another; with a suffix if it is taken. */
  take(name: string, suffix: string): string {
    return this.#free(camelCase(name), suffix)
  }
  type(name: string): string {
    return this.#free(
      name.replace(/^./u, (one) => one.toUpperCase()),
      'Value',
    )
  }
  #free(own: string, suffix: string): string {
    let free = own
    for (let number = 1; this.#taken.has(free); number++) free = `${own}${suffix}${number === 1 ? '' : number}`
    this.#taken.add(free)
    return free
  }
}
export function camelCase(name: string): string {
  const words = name.match(/[\p{L}\p{N}]+/gu) ?? ['value']
  const made = words.map((word, index) =>
    index === 0 ? lowered(word) : word.replace(/^./u, (one) => one.toUpperCase()),
  )
  const joined = made.join('')
  return /^\p{ID_Start}/u.test(joined) ? joined : `_${joined}`
}
/** `URLs` is `urls`, and `IPAddress` is `ipAddress`. */
const lowered = (word: string): string =>
  word.replace(/^\p{Lu}+(?=\p{Lu}\p{Ll}{2})|^\p{Lu}+s?$|^\p{Lu}/u, (one) => one.toLowerCase())

/** The first sentence, as a comment. */
export function commentOf(text: string | undefined): string {
  const [first = ''] = /^.*?(?:[.!?](?=\s)|$)/s.exec((text ?? '').trim().replace(/\s+/g, ' ')) ?? []
  const line = first.length > 110 ? `${first.slice(0, 108)} …` : first
  return line === '' ? '' : `/** ${line.replaceAll('*/', '*\\/')} */\n`
}

/** Longer types are not written down. */
const longest = 20_000

/** The types of what fields read. `nameOf` gives those that have a name. */
export function typesBy(nameOf: (node: Node) => string | undefined): (node: Node) => string {
  const known = new Map<Node, string>()
  const typeOf = (node: Node): string => {
    const name = nameOf(node) ?? known.get(node)
    if (name !== undefined) return name
    const made = whole(node)
    known.set(node, made)
    return made
  }
  const whole = (node: Node): string => {
    const own = ownType(node, typeOf)
    return own.length > longest ? 'unknown' : node.nullable ? `${own} | null` : own
  }
  return whole
}
function ownType(node: Node, of: (node: Node) => string): string {
  switch (node.kind) {
    case 'text':
    case 'decimal':
    case 'day':
    case 'timeOfDay':
      return 'string'
    case 'integer':
    case 'number':
    case 'duration':
      return 'number'
    case 'bigInteger':
      return 'bigint'
    case 'flag':
      return 'boolean'
    case 'instant':
      return 'Date'
    case 'choice':
      return node.values.map(literal).join(' | ')
    case 'constant':
      return literal(node.value)
    case 'list':
      return `(${of(node.item)})[]`
    case 'tuple':
      return `[${node.items.map(of).join(', ')}]`
    case 'table':
      return `{ [name: string]: ${of(node.value)} }`
    case 'record': {
      const isOptional = (one: Node) => one.need === 'optional'
      const fields = Object.entries(node.fields).map(
        ([name, one]) => `${key(name)}${isOptional(one) ? '?' : ''}: ${of(one)}`,
      )
      return `{ ${fields.join('; ')} }`
    }
    case 'either':
      return node.branches.map((one) => `(${of(one)})`).join(' | ')
    case 'later':
      return of(resolve(node))
    case 'schema':
      return node.base ? of(node.base) : 'unknown'
    case 'tagged':
      return Object.entries(node.branches)
        .map(([value, one]) => `({ ${key(node.tag)}: ${literal(value)} } & ${of(one)})`)
        .join(' | ')
    case 'readAs':
    case 'anything':
    case 'file':
      return 'unknown'
  }
  return node satisfies never
}
