/** What comes of a change: a JSON Merge Patch (RFC 7396), put onto what is stored. */
import { endpointNode } from '../declare/endpoint.js'
import { encode } from '../engine/interpret.js'
import type { Node } from '../kinds/kind.js'
import { mapNames } from '../kinds/record.js'
import { resolve } from '../kinds/resolve.js'
import { deepest, isNamed } from '../kinds/run.js'
import { sentShape } from '../kinds/shape.js'
import { branchOf } from '../kinds/tagged.js'
import type { Path } from '../terms/address.js'
import type { Accepted, Endpoint } from '../terms/endpoint.js'
import { mistake } from '../terms/mistake.js'
import { put } from '../terms/own.js'
import type { EndpointVerdict } from '../terms/verdict.js'
import type { CheckInput } from './check.js'
import { journalFailure } from './journal.js'
import { type JudgePartsOptions, judgePartsBy } from './parts.js'

/** What a change of `T` may say: of each field another value, or null to remove it. */
export type MergePatch<T> = T extends readonly unknown[] | Date
  ? T
  : T extends object
    ? { readonly [K in keyof T]?: MergePatch<T[K]> | null | undefined }
    : T
export type BodyOf<E> = Accepted<E> extends { body: infer B } ? B : never

/** See `judgeMerged`. */
export function judgeMergedBy<E extends Endpoint>(
  engine: CheckInput['engine'],
  endpoint: E,
  stored: object,
  patch: MergePatch<BodyOf<E>>,
  options: Pick<JudgePartsOptions, 'now' | 'trace'> = {},
): EndpointVerdict<string, E> {
  const { bodies, method, template } = endpointNode(endpoint)
  const [body] = bodies
  if (!body || sentShape(body.node).kind !== 'record')
    mistake(`judgeMerged, ${method} ${template}`, 'its body is no record', 'Give it the endpoint that takes the whole')
  const now = options.now?.getTime()
  const change = known(body.node, encode(body.node, patch, now), true)
  const whole = merged(body.node, known(body.node, encode(body.node, stored, now), false), change)
  // If the clock alone has made wrong what the request does not change, the request is not to blame.
  const isSettled = (path: Path, code: string) =>
    (code === 'too_early' || code === 'too_late') && path[0] === 'body' && !isTouched(change, path.slice(1))
  return judgePartsBy(
    engine,
    endpoint,
    { body: whole },
    { ...options, only: ['body'] },
    isSettled,
    undefined,
    journalFailure,
  )
}

/** What a client could send of a value: without what is not declared, what the server sets, and nulls of a database. */
function known(top: Node, whole: unknown, isPatch: boolean): unknown {
  const look = (node: Node, value: unknown, depth: number): unknown => {
    if (depth === 0 || typeof value !== 'object' || value === null) return value
    if (node.kind === 'later') return look(resolve(node), value, depth)
    if (node.kind === 'readAs') return look(node.base, value, depth)
    if (node.kind === 'list' && Array.isArray(value)) return value.map((one) => look(node.item, one, depth - 1))
    if (node.kind === 'table') return mapNames(value, (_, one) => look(node.value, one, depth - 1))
    if (node.kind === 'tagged') {
      const branch = branchOf(node, value)
      const inner = branch && look(branch, value, depth)
      return isNamed(inner) ? { ...inner, [node.tag]: (value as { [name: string]: unknown })[node.tag] } : value
    }
    if (node.kind !== 'record' || !isNamed(value)) return value
    const kept: { [name: string]: unknown } = {}
    for (const [name, field] of Object.entries(node.fields)) {
      const one = Object.hasOwn(value, name) ? value[name] : undefined
      if (one === undefined || field.readOnly || (one === null && !isPatch && !field.nullable)) continue
      put(kept, name, look(field, one, depth - 1))
    }
    return kept
  }
  return look(top, whole, deepest * 4)
}

/** RFC 7396, section 2, in records and tables; all else is replaced whole. */
function merged(node: Node, target: unknown, patch: unknown): unknown {
  const shape = sentShape(node)
  if (!isNamed(patch)) return patch
  const made: { [name: string]: unknown } = {}
  if (shape.kind === 'table') {
    const before = isNamed(target) ? target : {}
    for (const name of new Set([...Object.keys(before), ...Object.keys(patch)])) {
      const own = Object.hasOwn(before, name) ? before[name] : undefined
      if (!Object.hasOwn(patch, name)) put(made, name, own)
      else if (patch[name] !== null) put(made, name, merged(shape.value, own, patch[name]))
    }
    return made
  }
  if (shape.kind !== 'record') return patch
  for (const [name, field] of Object.entries(shape.fields)) {
    const before = isNamed(target) && Object.hasOwn(target, name) ? target[name] : undefined
    const after = Object.hasOwn(patch, name) ? patch[name] : undefined
    if (after === undefined && before !== undefined) put(made, name, before)
    else if (after !== undefined && after !== null) put(made, name, merged(field, before, after))
  }
  return made
}

/** Whether a change says something of a place, or of what holds it. */
function isTouched(patch: unknown, path: Path): boolean {
  let at = patch
  for (const key of path) {
    if (typeof at !== 'object' || at === null || Array.isArray(at)) return true
    if (!Object.hasOwn(at, key)) return false
    at = (at as { [name: string]: unknown })[key]
  }
  return true
}
