/** Walks a node and a value side by side: checks, reads and copies in one pass, and tells all that is wrong. */

import { tellAddress, valueAt } from '../declare/address.js'
import { tagNode } from '../declare/locate.js'
import { inRange } from '../declare/media-range.js'
import {
  type EitherNode,
  type FileNode,
  type LaterNode,
  type ListNode,
  type Node,
  type ReadAsNode,
  type RecordNode,
  resolve,
  sentShape,
  type TableNode,
  type TaggedNode,
  type TupleNode,
} from '../declare/node.js'
import { readSize } from '../declare/units.js'
import { put } from '../read/own.js'
import { malformed } from '../read/percent.js'
import { isUpload } from '../read/upload.js'
import { canonical } from './canonical.js'
import { copyJson } from './copy.js'
import { addFault, addReading, type Fault, mostFaults, note, Place, type Run, type Source, type Try, tell, tellBelow } from './run.js'
import { matches, readScalar } from './scalars.js'
import { suggest } from './suggest.js'
import { branchFor } from './tell-apart.js'

/** Reads a value by its declaration. `undefined`: absent, or it could not be read, and then a fault says why. */
export function interpret(node: Node, value: unknown, source: Source, run: Run): unknown {
  return run.tries ? recall(run.tries, node, value, source, run) : read(node, value, source, run)
}

function read(node: Node, value: unknown, source: Source, run: Run): unknown {
  if (!node.secret) return walk(node, value, source, run)
  run.secrecy++
  const read = walk(node, value, source, run)
  run.secrecy--
  return read
}

/**
 * Reads inside a union whose branches are tried one after the other. They may lead to the same declaration at the same
 * place in many ways, each of which would double the work below it: so each declaration tries a value at a place once.
 */
function recall(tries: NonNullable<Run['tries']>, node: Node, value: unknown, source: Source, run: Run): unknown {
  const attempt = attemptOnce(tries, node, value, source, run)
  take(run, attempt)
  return attempt.read
}

function attemptOnce(tries: NonNullable<Run['tries']>, node: Node, value: unknown, source: Source, run: Run): Try {
  let values = tries.get(node)
  if (!values) {
    values = new Map()
    tries.set(node, values)
  }
  const known = values.get(value)
  const attempt = known && isSameTry(known, source, run) ? known : attemptAt(node, value, source, run)
  values.set(value, attempt)
  return attempt
}

const isSameTry = ({ path, source, isSecret }: Try, now: Source, run: Run) =>
  source === now && isSecret === run.secrecy > 0 && path.length === run.path.length && path.every((key, index) => key === run.path[index])

/** What a declaration makes of the value where the walk is, kept apart from what was found before. */
function attemptAt(node: Node, value: unknown, source: Source, run: Run): Try {
  const { faults, beyond, trace } = run
  const readings = trace?.readings ?? []
  run.faults = []
  run.beyond = 0
  if (trace) trace.readings = []
  const made = read(node, value, source, run)
  const attempt: Try = {
    path: run.path.slice(),
    source,
    isSecret: run.secrecy > 0,
    read: made,
    faults: run.faults,
    beyond: run.beyond,
    readings: trace?.readings ?? [],
  }
  run.faults = faults
  run.beyond = beyond
  if (trace) trace.readings = readings
  return attempt
}

/** What an attempt found counts. */
function take(run: Run, { faults, beyond, readings }: Try): void {
  for (const fault of faults) addFault(run, fault)
  run.beyond += beyond
  if (run.trace) for (const reading of readings) addReading(run.trace, reading)
}

function walk(node: Node, value: unknown, source: Source, run: Run): unknown {
  if (node.coerce !== undefined && source !== 'text') source = node.coerce ? 'coerced' : 'json'
  if (node.kind === 'readAs') return readReadAs(node, value, source, run)
  if (node.kind === 'later') return readLater(node, value, source, run)
  if (value === undefined || (value === '' && source === 'text' && !(node.kind === 'text' && node.keepEmpty))) return absent(node, run)
  if (node.readOnly === 'drop') {
    const read = absent(node, run, true)
    note(run, 'dropped', value, read)
    return read
  }
  if (node.readOnly) {
    tell(run, node, 'read_only')
    return absent(node, run)
  }
  if (value === null && (node.nullable || !takesNull(node))) return readNull(node, run)
  if (value === malformed) {
    note(run, 'from text', undefined, undefined)
    return tellBelow(run, node, 'bad_encoding', [], { stage: 'read' })
  }
  switch (node.kind) {
    case 'list':
      return readList(node, value, source, run)
    case 'tuple':
      return readTuple(node, value, source, run)
    case 'record':
      return readRecord(node, value, source, run)
    case 'table':
      return readTable(node, value, source, run)
    case 'tagged':
      return readTagged(node, value, source, run)
    case 'either':
      return readEither(node, value, source, run)
    case 'anything': {
      const read = copyJson(value, run.deepest)
      note(run, 'as is', value, read)
      return read === undefined ? tell(run, node, 'too_large', undefined, run.deepest, 'depth') : read
    }
    case 'file':
      return readFile(node, value, run)
    default: {
      if (source === 'text' && Array.isArray(value)) {
        note(run, 'from text', value, undefined)
        return tell(run, node, 'sent_twice', undefined, value.length)
      }
      const read = readScalar(node, value, source, run)
      note(run, source !== 'json' && typeof value === 'string' ? 'from text' : 'as is', value, read)
      return read
    }
  }
}

function absent(node: Node, run: Run, noted = false): unknown {
  const defaulted = node.need === 'defaulted'
  const read = defaulted ? defaultOf(node) : undefined
  if (!noted) note(run, defaulted ? 'default' : 'as is', undefined, read)
  if (node.need === 'required') tell(run, node, 'missing')
  return read
}

/** A default is made, or copied, for each request: a handler may change what it gets. */
export function defaultOf(node: Node): unknown {
  if (typeof node.default === 'function') return node.default()
  return typeof node.default === 'object' && node.default !== null ? structuredClone(node.default) : node.default
}

/** Whether a node has its own word on null. */
const takesNull = (node: Node) => node.kind === 'anything' || node.kind === 'either' || (node.kind === 'constant' && node.value === null)

function readNull(node: Node, run: Run): null | undefined {
  note(run, 'as is', null, node.nullable ? null : undefined)
  return node.nullable ? null : tell(run, node, 'null_not_allowed')
}

/** A container that is none. What was sent instead is not noted: it may be a secret that has slipped. */
function notOfKind(node: Node, value: unknown, run: Run): undefined {
  note(run, 'as is', undefined, undefined)
  return tell(run, node, 'wrong_type', value)
}

/** Reads what lies below the value where the walk is. */
function below(step: string | number, node: Node, value: unknown, source: Source, run: Run): unknown {
  run.path.push(step)
  const read = interpret(node, value, source, run)
  run.path.pop()
  return read
}

/** A hole or `undefined` in an array that a program made counts as null, as in JSON. */
const element = (value: unknown) => (value === undefined ? null : value)

const separators = { form: ',', spaceDelimited: ' ', pipeDelimited: '|' } as const

function readList(node: ListNode, value: unknown, source: Source, run: Run): unknown[] | undefined {
  const joined = node.explode === undefined ? (node.style ?? 'form') !== 'form' : !node.explode
  const sent = source === 'text' && typeof value === 'string' ? (joined ? value.split(separators[node.style ?? 'form']) : [value]) : value
  if (!Array.isArray(sent)) return notOfKind(node, value, run)
  if (sent.length === 0) note(run, 'as is', [], [])
  tellCount(node, sent.length, run)
  const read = sent.map((one, index) => below(index, node.item, element(one), source, run))
  if (node.distinct) tellRepeated(node, read, run)
  return read
}

function tellCount(node: ListNode | TableNode, count: number, run: Run): void {
  const [least, most] = node.length ?? [0, Number.POSITIVE_INFINITY]
  if (count < least) tell(run, node, 'too_few', undefined, least)
  if (count > most) tell(run, node, 'too_many', undefined, most)
}

export function tellRepeated(node: ListNode, read: readonly unknown[], run: Run): void {
  const by = typeof node.distinct === 'string' ? node.distinct : undefined
  const values = by === undefined ? read : read.map((one) => valueAt(one, [by]))
  if (!mayRepeat(values)) return
  const seen = new Map<string, number>()
  const steps = by === undefined ? [] : [by]
  for (const [index, value] of values.entries()) {
    if (value === undefined) continue
    const key = canonical(value)
    const earlier = seen.get(key)
    if (earlier === undefined) seen.set(key, index)
    else tellBelow(run, node, 'repeated', [index, ...steps], { about: { other: new Place([...run.path, earlier, ...steps]) } })
  }
}

/** Rules out repetition among a few texts or numbers, which is most lists. */
function mayRepeat(values: readonly unknown[]): boolean {
  if (values.length > 16) return true
  for (let i = 0; i < values.length; i++) {
    const value = values[i]
    if (typeof value !== 'string' && typeof value !== 'number') return true
    for (let j = 0; j < i; j++) if (values[j] === value) return true
  }
  return false
}

function readTuple(node: TupleNode, value: unknown, source: Source, run: Run): unknown[] | undefined {
  const sent = source === 'text' && typeof value === 'string' ? [value] : value
  if (!Array.isArray(sent)) return notOfKind(node, value, run)
  const count = node.items.length
  if (sent.length < count) tell(run, node, 'too_few', undefined, count)
  if (sent.length > count) tell(run, node, 'too_many', undefined, count)
  return node.items.slice(0, sent.length).map((item, index) => below(index, item, element(sent[index]), source, run))
}

type Sent = { readonly [name: string]: unknown }
const isObject = (value: unknown): value is Sent => typeof value === 'object' && value !== null && !Array.isArray(value)

/** `implied` are the tags of the unions that the record is a branch of: read there, and copied here. */
function readRecord(node: RecordNode, value: unknown, source: Source, run: Run, implied: readonly string[] = []): object | undefined {
  if (!isObject(value)) return notOfKind(node, value, run)
  const read: { [name: string]: unknown } = {}
  for (const tag of implied) put(read, tag, value[tag])
  for (const name of Object.keys(node.fields)) {
    const one = below(name, node.fields[name] as Node, Object.hasOwn(value, name) ? value[name] : undefined, source, run)
    if (one !== undefined) put(read, name, one)
  }
  keepOrTell(node, value, read, implied, run)
  return read
}

/** Deals with the names that are not declared: each is told, kept or dropped. */
export function keepOrTell(node: RecordNode, sent: object, read: object, implied: readonly string[], run: Run): void {
  const unlisted = node.unlisted ?? run.unlisted
  if (unlisted === 'drop') return
  for (const [name, value] of Object.entries(sent)) {
    if (Object.hasOwn(node.fields, name) || implied.includes(name)) continue
    if (unlisted === 'refuse') tellUnlisted(node, name, implied, run)
    else put(read as { [name: string]: unknown }, name, below(name, kept, value, 'json', run))
  }
}

/** What is kept of an unlisted name. */
const kept: Node = { kind: 'anything', need: 'optional' }

function tellUnlisted(node: RecordNode, name: string, implied: readonly string[], run: Run): void {
  const nearest = run.suggestions > 0 ? suggest(name, [...Object.keys(node.fields), ...implied], run) : undefined
  tellBelow(run, node, 'unlisted', [name], nearest === undefined ? {} : { variant: 'near', about: { nearest } })
}

function readTable(node: TableNode, value: unknown, source: Source, run: Run): object | undefined {
  if (!isObject(value)) return notOfKind(node, value, run)
  const read: { [name: string]: unknown } = {}
  const names = Object.keys(value)
  tellCount(node, names.length, run)
  for (const name of names) {
    if (node.names && !matches(node.names, name)) tellMisnamed(node, name, run)
    const one = below(name, node.value, value[name], source, run)
    if (one !== undefined) put(read, name, one)
  }
  return read
}

export function tellMisnamed(node: TableNode, name: string, run: Run): void {
  tellBelow(run, node, 'wrong_pattern', [name], { limit: node.names?.source, variant: 'name' })
}

function readTagged(node: TaggedNode, value: unknown, source: Source, run: Run, implied: readonly string[] = []): object | undefined {
  if (!isObject(value)) return notOfKind(node, value, run)
  const { tag, branches } = node
  const chosen = Object.hasOwn(value, tag) ? value[tag] : undefined
  const known = typeof chosen === 'string' && Object.hasOwn(branches, chosen)
  if (run.trace) {
    run.path.push(tag)
    note(run, 'as is', chosen, known ? chosen : undefined)
    run.path.pop()
  }
  if (!known) {
    const code =
      chosen === undefined ? 'missing' : chosen === null ? 'null_not_allowed' : typeof chosen === 'string' ? 'not_a_choice' : 'wrong_type'
    run.path.push(tag)
    tell(run, tagNode(node), code, chosen, Object.keys(branches))
    run.path.pop()
    return undefined
  }
  const branch = sentShape(branches[chosen] as Node)
  const tags = [...implied, tag]
  return branch.kind === 'tagged'
    ? readTagged(branch, value, source, run, tags)
    : readRecord(branch as RecordNode, value, source, run, tags)
}

function readFile(node: FileNode, value: unknown, run: Run): unknown {
  if (Array.isArray(value)) return tell(run, node, 'sent_twice', undefined, value.length)
  if (!isUpload(value)) return notOfKind(node, value, run)
  note(run, 'as is', value.name, value)
  if (value.bytes > readSize(node.bytes ?? Number.POSITIVE_INFINITY)) tell(run, node, 'too_large', undefined, node.bytes, 'file')
  const type = value.type.split(';', 1)[0]?.trim().toLowerCase() ?? ''
  if (node.types && !node.types.some((range) => inRange(type, range)))
    tellBelow(run, node, 'wrong_media_type', [], { limit: node.types, sent: type })
  return value
}

/**
 * The branch that the value names, where they can be told apart; else the one that takes it. Where none does, the closest
 * speaks: the one with the fewest errors, and of those the deepest.
 */
function readEither(node: EitherNode, value: unknown, source: Source, run: Run): unknown {
  const named = branchFor(node, value, source)
  if (named) {
    const before = countFaults(run)
    const read = interpret(named, value, source, run)
    return countFaults(run) === before ? read : undefined
  }
  const isOutermost = run.tries === undefined
  run.tries ??= new Map()
  const { tries } = run
  let closest: Try | undefined
  for (const branch of node.branches) {
    const attempt = attemptOnce(tries, branch, value, source, run)
    // A value of another type altogether came close to nothing.
    const other = attempt.faults.some((fault) => fault.path.length === run.path.length && isOtherType(fault))
    if (!other && (!closest || isCloser(attempt, closest))) closest = attempt
    if (attempt.faults.length === 0) break
  }
  if (isOutermost) run.tries = undefined
  if (!closest) {
    note(run, 'as is', undefined, undefined)
    return tell(run, node, 'no_branch', value)
  }
  take(run, closest)
  return closest.faults.length === 0 ? closest.read : undefined
}

export const countFaults = (run: Run): number => run.faults.length + run.beyond

function isCloser(a: Try, b: Try): boolean {
  const count = a.faults.length + a.beyond - b.faults.length - b.beyond
  return count < 0 || (count === 0 && deepestIn(a) > deepestIn(b))
}
const deepestIn = ({ faults }: Try) => faults.reduce((deepest, { path }) => Math.max(deepest, path.length), 0)

const isOtherType = ({ code }: Fault) => ['wrong_type', 'not_constant', 'null_not_allowed', 'no_branch'].includes(code)

function readLater(node: LaterNode, value: unknown, source: Source, run: Run): unknown {
  if (run.depth === run.deepest) return tell(run, node, 'too_large', undefined, run.deepest, 'depth')
  const held = resolve(node)
  return readOnce(run, held, value, () => {
    run.depth++
    const read = interpret(held, value, source, run)
    run.depth--
    return read
  })
}

/**
 * Reads a value by a declaration that holds itself. What a program hands over may hold one object in many places, and so
 * stand for far more than it is: what was right of it once is right, and what was wrong is not looked at again when more
 * is wrong than anybody is told.
 */
export function readOnce(run: Run, by: unknown, value: unknown, read: () => unknown): unknown {
  if (!run.met || typeof value !== 'object' || value === null) return read()
  const values = run.met.get(by) ?? new Map<object, { readonly read: unknown } | undefined>()
  run.met.set(by, values)
  const known = values.get(value)
  if (known) return known.read
  if (values.has(value) && run.found > mostFaults) {
    run.beyond++
    return undefined
  }
  const before = countFaults(run)
  const made = read()
  values.set(value, countFaults(run) === before ? { read: made } : undefined)
  return made
}

function readReadAs(node: ReadAsNode, value: unknown, source: Source, run: Run): unknown {
  const before = countFaults(run)
  const base = interpret(node.base, value, source, run)
  if (base === undefined || countFaults(run) > before) return undefined
  return applyReader(node, base, value, run)
}

/** Gives what was read of the base to the reader. */
export function applyReader(node: ReadAsNode, base: unknown, sent: unknown, run: Run): unknown {
  let read: unknown
  try {
    read = node.read(base as never)
  } catch {
    // What a reader throws may tell of the inside; its code alone is told.
  }
  const last = run.trace?.readings.at(-1)
  if (last && run.trace && last.address === tellAddress(run.path)) {
    run.trace.readings.pop()
    note(run, last.how, last.sent, read)
  }
  if (read === undefined) tell(run, node, node.code, sent)
  return read
}
