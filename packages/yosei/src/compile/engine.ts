/** How the parts of an endpoint are read: by code made for it, or by the interpreter where no code may be made. */
import { compileEndpoint } from '#compiler'
import { type EndpointNode, type Part, partNames, soleBody } from '../declare/endpoint.js'
import { interpret } from './interpret.js'
import type { Run } from './run.js'

/** The parts of a request: as sent, or as read. */
export type Parts = { readonly [part: string]: unknown }
/**
 * Reads the parts of a request, and tells the run what is wrong. `hasBody` is false where there is none to read; `parsed`
 * is true where the library has parsed all that was sent itself, so that it is plain data.
 */
export type Reader = (path: unknown, query: unknown, header: unknown, body: unknown, run: Run, hasBody: boolean, parsed: boolean) => Parts

const readers = new WeakMap<EndpointNode, Reader>()

/** The reader of an endpoint, made when it is first needed. */
export function readerOf(endpoint: EndpointNode): Reader {
  let reader = readers.get(endpoint)
  if (!reader) {
    const interpreted: Reader = (path, query, header, body, run, hasBody) =>
      interpretParts(endpoint, { path, query, header, body }, run, hasBody)
    reader = (endpoint.engine === 'interpreted' ? undefined : compileEndpoint(endpoint, interpreted)) ?? interpreted
    readers.set(endpoint, reader)
  }
  return reader
}

/** What is not on the hot path: some parts alone, a form, or a trace of each reading. */
export function interpretParts(
  endpoint: EndpointNode,
  sent: Parts,
  run: Run,
  hasBody: boolean,
  only: readonly Part[] = partNames,
  form = false,
): Parts {
  const input: { [part: string]: unknown } = {}
  for (const part of only) {
    const node = part === 'body' ? soleBody(endpoint) : endpoint[part]
    input[part] = undefined
    if (!node || (part === 'body' && !hasBody)) continue
    run.path.push(part)
    run.undeclared = endpoint.undeclared?.[part === 'body' ? 'body' : 'query'] ?? 'reject'
    const source = part !== 'body' || form ? 'text' : endpoint.coerce ? 'coerced' : 'json'
    input[part] = interpret(node, part === 'body' ? sent.body : (sent[part] ?? {}), source, run)
    run.path.pop()
  }
  return input
}
