/** Where in a book the value stands that an error speaks of. */
import { findNodeAtLocation, type Node, parseTree } from 'jsonc-parser'
import { type FieldError, formatAddress, type Message, parseAddress } from 'yosei'
import { masked } from './masked.js'
import type { Place, Sample } from './read.js'

export function placeOf(error: FieldError, { message, places }: Sample): Place {
  const [part, ...path] = parseAddress(error.address) ?? []
  if (part === 'header') return places.headers.find(({ name }) => name === path[0])?.place ?? places.requestLine
  if (part === 'body' && typeof message.body === 'string') {
    if (error.line !== undefined && error.column !== undefined) return inBody(places, error.line, error.column)
    const offset = offsetOf(message.body, path)
    const before = message.body.slice(0, offset).split('\n')
    return inBody(places, before.length, (before.at(-1) as string).length + 1)
  }
  if (places.isOne) return places.requestLine
  const offset = part === 'query' ? offsetInQuery(path, message) : message.method.length + 1
  return { line: places.requestLine.line, column: places.requestLine.column + offset }
}

/** A line as it may be printed, and what in it an error speaks of. */
export interface Mark {
  readonly text: string
  /** From 0. */
  readonly at: number
  readonly length: number
}

/** All errors of a body are looked for in the tree that was made for the first. */
let last: { readonly json: string; readonly root: Node | undefined } | undefined

/** JSON with its places; none of what is nested more deeply than anybody could be shown. */
function treeOf(json: string): Node | undefined {
  if (last?.json !== json) last = { json, root: treeFrom(json) }
  return last.root
}

function treeFrom(json: string): Node | undefined {
  try {
    return parseTree(json)
  } catch (error) {
    if (error instanceof RangeError) return undefined
    throw error
  }
}

/**
 * The line that holds the value that an error speaks of, without what is secret; `undefined` if there is no such line
 * that can be printed.
 *
 * @param isShown Whether the value at an address may be printed.
 * @param target The target without secrets.
 */
export function markOf(
  error: Pick<FieldError, 'address' | 'line' | 'column'>,
  message: Message<string | Uint8Array | null>,
  target: string,
  isShown: (address: string) => boolean,
): Mark | undefined {
  const [part, ...path] = parseAddress(error.address) ?? []
  if (part === 'body')
    return typeof message.body === 'string' ? markInBody(error, message.body, path, isShown) : undefined
  if (part === 'header') {
    const found = message.headers.find(([name]) => name === path[0])
    if (!found) return undefined
    const value = isShown(error.address) ? found[1] : masked
    return { text: `${found[0]}: ${value}`, at: found[0].length + 2, length: value.length }
  }
  if (part !== 'path' && part !== 'query') return undefined
  const text = `${message.method} ${target}`
  if (part === 'path') {
    const start = message.method.length + 1
    return { text, at: start, length: (target.split('?')[0] ?? '').length }
  }
  const at = offsetInQuery(path, { ...message, target })
  const isThere = target.includes('?')
  const length = isThere ? (/^[^&]*/.exec(text.slice(at))?.[0].length ?? 1) : 1
  return { text, at: isThere ? at : text.length - 1, length: Math.max(1, length) }
}

function markInBody(
  { line, column }: Pick<FieldError, 'line' | 'column'>,
  body: string,
  path: readonly (string | number)[],
  isShown: (address: string) => boolean,
): Mark | undefined {
  const isJson = /^\s*(?:[[{"]|-?\d|true|false|null)/.test(body)
  if (!isJson) return undefined
  const root = treeOf(body)
  if (!root && line === undefined) return undefined
  const lines = body.split('\n')
  const isLines = line !== undefined && path.length > 0
  if (line !== undefined && column !== undefined && (isLines || !root)) return undefined
  const offset =
    line !== undefined && column !== undefined
      ? lines.slice(0, line - 1).reduce((sum, one) => sum + one.length + 1, 0) + column - 1
      : offsetOf(body, path)
  const node = root && line === undefined ? nodeAt(root, path) : undefined
  // What is not there has no place of its own.
  if (root && node && path.length > 0 && !findNodeAtLocation(root, [...path])) return undefined
  const start = body.lastIndexOf('\n', offset - 1) + 1
  const end = body.indexOf('\n', offset) < 0 ? body.length : body.indexOf('\n', offset)
  const stop = Math.min(end, offset + (node?.length ?? 1))
  // What is secret is cut out, and what comes behind it moves.
  const hidden = root ? secretsIn(root, ['body'], isShown).filter(([from, to]) => to > start && from < end) : []
  if (hidden.some(([from, to]) => offset > from && offset < to)) return undefined
  let text = ''
  let at = start
  let mark = offset - start
  let length = Math.max(1, stop - offset)
  for (const [from, to] of hidden) {
    text += body.slice(at, Math.max(at, from)) + masked
    const more = masked.length - (Math.min(to, end) - Math.max(from, start))
    if (from < offset) mark += more
    else if (from === offset) length = masked.length
    else if (to <= stop) length += more
    at = Math.min(to, end)
  }
  return { text: text + body.slice(at, end), at: mark, length }
}

type Span = readonly [from: number, to: number]

/**
 * From where to where values stand in a text that may not be read. What holds nothing else is one of them, since its
 * names may be secret as well.
 */
function secretsIn(
  node: Node,
  path: readonly (string | number)[],
  isShown: (address: string) => boolean,
): readonly Span[] {
  const whole: readonly Span[] = [[node.offset, node.offset + node.length]]
  const held = (node.children ?? []).flatMap((child, index) => {
    const [name, value] = child.type === 'property' ? (child.children ?? []) : [undefined, child]
    return value ? [{ value, spans: secretsIn(value, [...path, name ? String(name.value) : index], isShown) }] : []
  })
  if (held.length === 0) return isShown(formatAddress(path)) ? [] : whole
  const isHidden = ({ value, spans: [first] }: (typeof held)[number]) =>
    first?.[0] === value.offset && first[1] === value.offset + value.length
  return held.every(isHidden) ? whole : held.flatMap(({ spans }) => spans)
}

const inBody = ({ body, requestLine, isOne }: Sample['places'], line: number, column: number): Place => {
  if (isOne) return requestLine
  const start = body[line - 1]
  return start ? { line: start.line, column: start.column + column - 1 } : requestLine
}

/**
 * The offset of the value at a path in JSON; of its name where it should not be there; of what should hold it where it
 * is not.
 */
function offsetOf(json: string, path: readonly (string | number)[]): number {
  const root = treeOf(json)
  return root ? nodeAt(root, path).offset : 0
}
function nodeAt(root: Node, path: readonly (string | number)[]): Node {
  for (let length = path.length; length > 0; length--) {
    const node = findNodeAtLocation(root, path.slice(0, length) as (string | number)[])
    if (node) return node
  }
  return root
}

/** The offset, from the start of the request line, of a query's pair; of the query if there is none of that name. */
function offsetInQuery([name, index = 0]: readonly (string | number)[], { method, target }: Sample['message']): number {
  const start = target.indexOf('?') + 1
  let at = method.length + 1 + start
  const pairs = (start === 0 ? [] : target.slice(start).split('&')).map((pair) => {
    const found = { name: decoded(pair.split('=')[0] as string), at }
    at += pair.length + 1
    return found
  })
  const namesakes = pairs.filter((pair) => pair.name === name)
  return (namesakes[Number(index)] ?? namesakes[0])?.at ?? method.length + 1 + start
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text.replaceAll('+', ' '))
  } catch {
    return text
  }
}
