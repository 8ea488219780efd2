/** Walks a node and a value side by side: checks, reads and copies in one pass, and tells all that is wrong. */
import { formatAddress } from '../declare/address.js'
import type { ListNode, Node, RecordNode } from '../declare/node.js'
import { malformed } from '../read/percent.js'
import { note, type Run, type Source, tell } from './run.js'
import { readChoice, readFlag, readInstantField, readNumber, readText } from './scalars.js'
import { suggest } from './suggest.js'

/** Reads a value by its declaration. `undefined`: absent, or it could not be read, and then a fault says why. */
export function interpret(node: Node, value: unknown, source: Source, run: Run): unknown {
  if (value === undefined || (value === '' && source === 'text' && !(node.kind === 'text' && node.keepEmpty))) return absent(node, run)
  if (value === null) {
    if (!node.nullable) tell(run, node, 'null_not_allowed', null)
    note(run, node, 'as is', null, node.nullable ? null : undefined)
    return node.nullable ? null : undefined
  }
  if (value === malformed) {
    note(run, node, 'from text', undefined, undefined)
    return void tell(run, node, 'bad_encoding', undefined, undefined, node.kind, 'read')
  }
  if (node.kind === 'list') return readList(node, value, source, run)
  if (node.kind === 'record') return readRecord(node, value, source, run)
  if (source === 'text' && Array.isArray(value)) {
    note(run, node, 'from text', value, undefined)
    return void tell(run, node, 'sent_twice', undefined, value.length)
  }
  const read = readScalar(node, value, source, run)
  note(run, node, source === 'text' ? 'from text' : 'as is', value, read)
  return read
}

function readScalar(node: Exclude<Node, ListNode | RecordNode>, value: unknown, source: Source, run: Run): unknown {
  switch (node.kind) {
    case 'text':
      return readText(node, value, run)
    case 'integer':
    case 'number':
      return readNumber(node, value, source, run)
    case 'flag':
      return readFlag(node, value, source, run)
    case 'instant':
      return readInstantField(node, value, run)
    case 'choice':
      return readChoice(node, value, source, run)
    default:
      return node satisfies never
  }
}

function absent(node: Node, run: Run): unknown {
  const read =
    node.presence === 'defaulted' ? (typeof node.default === 'function' ? node.default() : structuredClone(node.default)) : undefined
  note(run, node, node.presence === 'defaulted' ? 'default' : 'as is', undefined, read)
  if (node.presence === 'required') tell(run, node, 'missing')
  return read
}

/** A container that is none. What was sent instead is not noted: it may be a secret that has slipped. */
function notOfKind(node: Node, value: unknown, run: Run): undefined {
  note(run, node, 'as is', undefined, undefined)
  tell(run, node, 'wrong_type', value)
}

function readList(node: ListNode, value: unknown, source: Source, run: Run): unknown[] | undefined {
  const elements = source === 'text' && typeof value === 'string' ? [value] : value
  if (!Array.isArray(elements)) return notOfKind(node, value, run)
  if (elements.length === 0) note(run, node, 'as is', elements, elements)
  if (node.length) {
    if (elements.length < node.length[0]) tell(run, node, 'too_few', undefined, node.length[0])
    if (elements.length > node.length[1]) tell(run, node, 'too_many', undefined, node.length[1])
  }
  const read = elements.map((element, index) => {
    run.path.push(index)
    // A hole or `undefined` in an array that a program made counts as null, as in JSON.
    const one = interpret(node.item, element === undefined ? null : element, source, run)
    run.path.pop()
    return one
  })
  if (node.distinct) tellRepeated(node, read, run)
  return read
}

function tellRepeated(node: ListNode, read: readonly unknown[], run: Run): void {
  const by = typeof node.distinct === 'string' ? node.distinct : undefined
  const seen = new Map<string, number>()
  for (const [index, element] of read.entries()) {
    const value = by === undefined ? element : (element as { [name: string]: unknown } | undefined)?.[by]
    if (value === undefined) continue
    const key = JSON.stringify(value)
    const earlier = seen.get(key)
    if (earlier === undefined) {
      seen.set(key, index)
      continue
    }
    const at = (index: number) => [...run.path, index, ...(by === undefined ? [] : [by])]
    run.faults.push({ path: at(index), stage: 'shape', code: 'repeated', about: { other: formatAddress(at(earlier)) } })
  }
}

function readRecord(node: RecordNode, value: unknown, source: Source, run: Run): object | undefined {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return notOfKind(node, value, run)
  const sent = value as { readonly [name: string]: unknown }
  const read: { [name: string]: unknown } = {}
  for (const name of Object.keys(node.fields)) {
    run.path.push(name)
    const one = interpret(node.fields[name] as Node, Object.hasOwn(sent, name) ? sent[name] : undefined, source, run)
    if (one !== undefined) put(read, name, one)
    run.path.pop()
  }
  if (node.undeclared !== 'drop') {
    for (const name of Object.keys(sent)) {
      if (Object.hasOwn(node.fields, name)) continue
      if (node.undeclared === 'keep') put(read, name, sent[name])
      else tellUndeclared(node, name, run)
    }
  }
  return read
}

function tellUndeclared(node: RecordNode, name: string, run: Run): void {
  const nearest = suggest(name, Object.keys(node.fields), run)
  run.faults.push({
    path: [...run.path, name],
    stage: 'shape',
    code: 'undeclared',
    ...(nearest === undefined ? {} : { variant: 'near', about: { nearest } }),
  })
}

/** Sets an own property, whatever its name: `__proto__` is data here. */
function put(target: { [name: string]: unknown }, name: string, value: unknown): void {
  if (name === '__proto__') Object.defineProperty(target, name, { value, enumerable: true, configurable: true, writable: true })
  else target[name] = value
}
