/** Where in a book the value stands that an error speaks of. */
import { findNodeAtLocation, parseTree } from 'jsonc-parser'
import { type FieldError, parseAddress } from 'yosei'
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
  const offset = part === 'query' ? offsetInQuery(path, message) : message.method.length + 1
  return { line: places.requestLine.line, column: places.requestLine.column + offset }
}

const inBody = ({ body, requestLine }: Sample['places'], line: number, column: number): Place => {
  const start = body[line - 1]
  return start ? { line: start.line, column: start.column + column - 1 } : requestLine
}

/**
 * The offset of the value at a path in JSON; of its name where it should not be there; of what should hold it where it
 * is not.
 */
function offsetOf(json: string, path: readonly (string | number)[]): number {
  const root = parseTree(json)
  for (let length = path.length; root && length > 0; length--) {
    const node = findNodeAtLocation(root, path.slice(0, length) as (string | number)[])
    if (node) return node.offset
  }
  return root?.offset ?? 0
}

/** The offset, from the start of the request line, of a query's pair; of the query where there is none of that name. */
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
