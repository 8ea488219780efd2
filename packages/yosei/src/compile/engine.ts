/** How the parts of an endpoint are read: by code made for it, or by the interpreter where no code may be made. */
import { type EndpointNode, type Part, partNames, soleBody } from '../declare/endpoint.js'
import type { ListNode, Node, ReadAsNode, RecordNode, ScalarNode, TableNode } from '../declare/node.js'
import { put } from '../read/own.js'
import { emitEndpoint, functionName } from './emit.js'
import { applyReader, defaultOf, interpret, keepOrTell, tellMisnamed, tellRepeated } from './interpret.js'
import { isMultiple } from './numbers.js'
import { clock, type Run, type Source } from './run.js'
import { codePoints, readScalar } from './scalars.js'
import { readDay, readInstant } from './times.js'

/** The parts of a request: as sent, or as read. */
export type Parts = { readonly [part: string]: unknown }
type Reader = (sent: Parts, run: Run, hasBody: boolean, parsed: boolean) => Parts

const readers = new WeakMap<EndpointNode, Reader>()

/**
 * The function that reads the parts of a request to an endpoint, and tells the run what is wrong. Its arguments: whether
 * there is a body to read, and whether the library has parsed all that was sent itself.
 */
export function readerOf(endpoint: EndpointNode): Reader {
  let reader = readers.get(endpoint)
  if (!reader) {
    reader = compile(endpoint)
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

function compile(endpoint: EndpointNode): Reader {
  const interpreted: Reader = (sent, run, hasBody) => interpretParts(endpoint, sent, run, hasBody)
  if (endpoint.engine === 'interpreted') return interpreted
  const { source, constants } = emitEndpoint(endpoint)
  const names = [...Object.keys(library), ...constants.map((_, index) => `k${index}`), 'interpreted']
  try {
    const made = new Function(...names, `"use strict"\n${source}\n//# sourceURL=yosei/${functionName(endpoint)}.js`)
    return made(...Object.values(library), ...constants, interpreted) as Reader
  } catch {
    // Where a policy forbids code from text (CSP without 'unsafe-eval').
    return interpreted
  }
}

/** An enumerable name on the prototype of every object would count as sent. */
function isPolluted(): boolean {
  for (const _ in Object.prototype) return true
  return false
}

type Path = (string | number)[]

function within<T>(run: Run, path: Path, inside: () => T): T {
  const { length } = run.path
  for (const step of path) run.path.push(step)
  const result = inside()
  while (run.path.length > length) run.path.pop()
  return result
}

/** The interpreter, for a value that the code does not take. */
const slow = (run: Run, node: Node, value: unknown, source: Source, path: Path): unknown =>
  within(run, path, () => interpret(node, value, source, run))

/** The same for a scalar: nothing lies below it, so its path can stand as it is. */
function slowScalar(run: Run, node: ScalarNode, value: unknown, source: Source, path: Path): unknown {
  const isScalar = typeof value === 'string' ? value !== '' || source !== 'text' : typeof value === 'number' || typeof value === 'boolean'
  if (!isScalar) return slow(run, node, value, source, path)
  const outer = run.path
  run.path = outer.length === 0 ? path : [...outer, ...path]
  const read = readScalar(node, value, source, run)
  run.path = outer
  return read
}

/** What generated code calls by name. */
const library = {
  slow,
  slowScalar,
  undeclaredIn: (run: Run, node: RecordNode, sent: object, read: object, implied: readonly string[], path: Path) =>
    within(run, path, () => keepOrTell(node, sent, read, implied, run)),
  repeatedIn: (run: Run, node: ListNode, read: readonly unknown[], path: Path) => within(run, path, () => tellRepeated(node, read, run)),
  misnamedIn: (run: Run, node: TableNode, name: string, path: Path) => within(run, path, () => tellMisnamed(node, name, run)),
  readerIn: (run: Run, node: ReadAsNode, base: unknown, sent: unknown, path: Path) =>
    within(run, path, () => applyReader(node, base, sent, run)),
  enter(run: Run, reader: (value: unknown, run: Run, parsed: boolean) => unknown, value: unknown, path: Path, parsed: boolean): unknown {
    run.depth++
    run.entries--
    const read = within(run, path, () => reader(value, run, parsed))
    run.depth--
    return read
  },
  countFaults: (run: Run) => run.faults.length + run.beyond,
  mark: (run: Run) => ({ faults: run.faults.length, beyond: run.beyond, suggestions: run.suggestions, entries: run.entries }),
  isClean: (run: Run, mark: { faults: number; beyond: number }) => {
    const clean = run.faults.length === mark.faults && run.beyond === mark.beyond
    if (!clean) run.faults = run.faults.slice(0, mark.faults)
    run.beyond = mark.beyond
    return clean
  },
  goBack: (run: Run, mark: { suggestions: number; entries: number }) => {
    run.suggestions = mark.suggestions
    run.entries = mark.entries
  },
  isPolluted,
  isWithin: (count: number, least: number, most: number) => count >= least && count <= most,
  clock,
  codePoints,
  defaultOf,
  isMultiple,
  put,
  readDay,
  readInstant,
  plain: Object.prototype,
  prototypeOf: Object.getPrototypeOf,
}
