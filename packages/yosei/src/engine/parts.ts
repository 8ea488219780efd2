/** How the parts of an endpoint are read: by code made for it, or by the interpreter where no code may be made. */
import type { BodyNode, EndpointNode } from '../declare/endpoint.js'
import { readNode } from '../kinds/reading.js'
import type { Run } from '../kinds/run.js'
import { sourceOf } from '../read/media.js'
import { isEmpty } from '../terms/own.js'
import { type Part, type Parts, partNames } from '../terms/parts.js'

/**
 * Reads the parts of a request, and tells the run what is wrong. `hasBody` is false if there is none to read;
 * `parsed` is true where the library has parsed all that was sent itself, so that it is plain data.
 */
export type Reader = (
  path: unknown,
  query: unknown,
  header: unknown,
  cookie: unknown,
  body: unknown,
  run: Run,
  hasBody: boolean,
  parsed: boolean,
) => Parts

/** What is not on the hot path: some parts alone, a form, or a trace of each reading. */
export function interpretParts(
  endpoint: EndpointNode,
  body: BodyNode | undefined,
  sent: Parts,
  run: Run,
  hasBody: boolean,
  only: readonly Part[] = partNames,
  form = false,
): Parts {
  const input: { [part: string]: unknown } = {}
  for (const part of only) {
    const node = part === 'body' ? body?.node : endpoint[part]
    input[part] = undefined
    if (!node || (part === 'body' && !hasBody)) continue
    // Without fields there is nothing to read, and only in a query perhaps something too much.
    if (part !== 'body' && isEmpty(endpoint[part].fields) && (part !== 'query' || !sent.query)) {
      input[part] = {}
      continue
    }
    run.path.push(part)
    run.unlisted = endpoint.unlisted?.[part === 'body' ? 'body' : 'query'] ?? 'refuse'
    const source = part !== 'body' || form ? 'text' : sourceOf(body as BodyNode, endpoint.coerce)
    input[part] = readNode(node, part === 'body' ? sent.body : (sent[part] ?? {}), source, run)
    run.path.pop()
  }
  return input
}
