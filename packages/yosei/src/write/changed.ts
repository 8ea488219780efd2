/** What would arrive as something else than it was meant as. */
import type { BodyNode, EndpointNode } from '../declare/endpoint.js'
import { startRun } from '../engine/interpret.js'
import type { Node } from '../kinds/kind.js'
import { tellsSecret } from '../kinds/locate.js'
import { readNode } from '../kinds/reading.js'
import { type Fault, isNamed, type Source } from '../kinds/run.js'
import { isTextBody } from '../read/media.js'
import { uploadIn } from '../read/syntax.js'
import type { Path } from '../terms/address.js'
import { canonical } from '../terms/canonical.js'
import { type Part, type Parts, partNames } from '../terms/parts.js'

/**
 * Compares what a request was read to with its values as they are. Text has no types, so that a number may come back
 * as another branch of a union, and an empty text not at all.
 *
 * @param sent The parts in their JSON form.
 * @param input What the endpoint has read.
 */
export function changedIn(
  endpoint: EndpointNode,
  body: BodyNode | undefined,
  sent: Parts,
  input: Parts,
  now: number,
): Fault[] {
  return partNames.flatMap((part) => {
    const node = part === 'body' ? body?.node : endpoint[part]
    const isText = part !== 'body' || isTextBody(body)
    // A file is judged by its bytes alone.
    if (!node || !isText || sent[part] === undefined || sent[part] instanceof Blob) return []
    const meant = meantBy(endpoint, part, node, sent[part], now)
    return 'faults' in meant ? meant.faults : changes(node, part, sent[part], meant.read, input[part])
  })
}

/** What values are read to that lose no type on their way; what came as text already is read as text. */
function meantBy(endpoint: EndpointNode, part: Part, node: Node, value: unknown, now: number) {
  const readAs = (source: Source) => {
    const run = startRun(now)
    run.path.push(part)
    run.unlisted = part === 'body' ? (endpoint.unlisted?.body ?? 'refuse') : 'drop'
    return { read: readNode(node, withUploads(value), source, run), faults: run.faults }
  }
  const read = [readAs('json'), readAs('coerced')].find(({ faults }) => faults.length === 0)
  return read ? { read: read.read } : { faults: readAs('coerced').faults }
}

/** Files as they arrive. */
function withUploads(value: unknown): unknown {
  if (value instanceof Blob) return uploadIn(value)
  if (Array.isArray(value)) return value.some((one) => one instanceof Blob) ? value.map(withUploads) : value
  if (!isNamed(value) || !Object.values(value).some((one) => one instanceof Blob || Array.isArray(one))) return value
  return Object.fromEntries(Object.entries(value).map(([name, one]) => [name, withUploads(one)]))
}

/** Where a value that was sent is another one now: what was not sent, such as a default, counts nowhere. */
function changes(root: Node, part: Part, sent: unknown, meant: unknown, arrived: unknown): Fault[] {
  const faults: Fault[] = []
  const look = (path: Path, one: unknown, before: unknown, after: unknown): void => {
    if (one === undefined || one instanceof Blob || isSame(before, after)) return
    if (Array.isArray(one) && Array.isArray(before) && Array.isArray(after) && before.length === after.length)
      one.forEach((inner, at) => void look([...path, at], inner, before[at], after[at]))
    else if (isNamed(one) && isNamed(before) && isNamed(after))
      for (const name of Object.keys(one)) look([...path, name], one[name], before[name], after[name])
    else {
      const isLost = after === undefined || after === null
      const isTold = !tellsSecret(root, path) && (typeof after !== 'object' || isLost)
      const variant = !isTold ? 'unsendable' : isLost ? 'lost' : 'changed'
      const about =
        variant === 'changed'
          ? { about: { arrives: typeof after === 'string' ? JSON.stringify(after) : String(after) } }
          : {}
      faults.push({ path: [part, ...path], stage: 'read', code: 'bad_encoding', variant, ...about })
    }
  }
  look([], sent, meant, arrived)
  return faults
}

/** Of what a service makes itself, its JSON form says it, as far as it has one. */
function isSame(a: unknown, b: unknown): boolean {
  if (canonical(a) === canonical(b)) return true
  const prototype = Object.getPrototypeOf(Object(a))
  const isOwn = typeof a === 'object' && a !== null && prototype !== Object.prototype && !Array.isArray(a)
  return (
    isOwn && typeof b === 'object' && b !== null && Object.getPrototypeOf(b) === prototype && jsonOf(a) === jsonOf(b)
  )
}
function jsonOf(value: unknown): string | undefined {
  try {
    return JSON.stringify(value)
  } catch {
    return undefined
  }
}
