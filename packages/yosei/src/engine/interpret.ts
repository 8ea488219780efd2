/**
 * Walks a node and a value side by side: checks, reads and copies in one pass, and tells all that is wrong. And the way
 * back, from values to what a client would send, so that what a service puts in itself is read like what is sent.
 */
import { malformed } from '../grammar/percent.js'
import { childrenOf, kinds } from '../kinds/brought.js'
import { isByClock } from '../kinds/clock.js'
import type { EitherNode } from '../kinds/either.js'
import { kindOf, type Node } from '../kinds/kind.js'
import { nodesAt } from '../kinds/locate.js'
import { readNode } from '../kinds/reading.js'
import {
  clock,
  deepest,
  type Fault,
  masked,
  newRun,
  note,
  type Run,
  report,
  reportBelow,
  reportOther,
  type Source,
} from '../kinds/run.js'
import { anywhere, keepsEmpty } from '../kinds/shape.js'
import { namedBranch } from '../kinds/tell-apart.js'
import { Unreadable } from '../read/unreadable.js'
import { formatAddress, type Path, tellAddress } from '../terms/address.js'
import type { Code } from '../terms/codes.js'
import { wordFault } from '../words/messages.js'

/** Starts a judgement. `now` is its clock, in milliseconds since 1970. */
export const startRun = (now?: number, trace = false): Run => newRun(interpreter, now, trace)

const interpreter = { kinds, interpret }

/** What holds for every kind: what is absent, null, set by the server or broken; the kind reads the rest. */
function interpret(node: Node, value: unknown, around: Source, run: Run): unknown {
  const outer = run.sources?.get(formatAddress(run.path)) ?? around
  const source = node.coerce === undefined || outer === 'text' ? outer : node.coerce ? 'coerced' : 'json'
  const kind = kindOf(kinds, node)
  if (run.kept && run.secrecy > 0 && value === masked) return asItWas(node, run.kept, run)
  if (kind.shape === 'behind') return kind.read(node, value, source, run)
  if (value === undefined || (value === '' && source === 'text' && !keepsEmpty(node))) return absent(node, run)
  if (node.readOnly === 'drop' && !run.asSent) {
    const read = absent(node, run, true)
    note(run, 'dropped', value, read)
    return read
  }
  if (node.readOnly) {
    report(run, node, 'read_only')
    return absent(node, run)
  }
  if (value === null && (node.nullable || !kind.takesNull(node))) return readNull(node, run)
  if (value === malformed) {
    note(run, 'from text', undefined, undefined)
    return reportBelow(run, node, 'bad_encoding', [], { stage: 'read' })
  }
  if (source === 'text' && kind.shape === 'object' && Array.isArray(value) && value.length > 1) {
    note(run, 'from text', undefined, undefined)
    return report(run, node, 'sent_twice', value.length)
  }
  if (value instanceof Unreadable) return reportUnreadable(node, value, run)
  return kind.read(node, value, source, run)
}

/** What a journal has masked: wrong as it was then, or right. */
function asItWas(node: Node, kept: NonNullable<Run['kept']>, run: Run): undefined {
  run.masked = [...run.masked, run.path.slice()]
  for (const code of kept.get(tellAddress(run.path)) ?? []) report(run, node, code as Code)
}

/** A line, or a part of a form, that is no JSON. */
function reportUnreadable(node: Node, { faults }: Unreadable, run: Run): undefined {
  note(run, 'as is', undefined, undefined)
  for (const { code, below = [], ...fault } of faults)
    reportBelow(run, node, code as Code, below, { stage: 'read', ...fault })
}

function absent(node: Node, run: Run, noted = false): unknown {
  const defaulted = node.need === 'defaulted'
  const read = defaulted ? defaultOf(node, run) : undefined
  if (!noted) note(run, defaulted ? 'default' : 'as is', undefined, read)
  // Of a choice it is reported what would be right.
  if (node.need === 'required')
    reportOther(run, node, 'missing', undefined, node.kind === 'choice' ? node.values : undefined)
  return read
}

function readNull(node: Node, run: Run): null | undefined {
  note(run, 'as is', null, node.nullable ? null : undefined)
  return node.nullable ? null : report(run, node, 'null_not_allowed')
}

/**
 * The JSON form of a value: dates as RFC 3339, durations as ISO 8601, big integers as text, and behind `readAs` what
 * its `write` gives. What is in that form already stays as it is; so does what fits nowhere, for the judgement to
 * reject.
 */
export function encode(node: Node, value: unknown, now?: number, depth = deepest * 4): unknown {
  if (value === undefined || value === null || depth === 0) return value
  return kindOf(kinds, node).encode(node, value, {
    kinds,
    encode: (below, one) => encode(below, one, now, depth - 1),
    takes: (below, one) => faultsOf(below, one, now).length === 0,
  })
}

/** What is wrong with a JSON value, but for limits that the clock moves. */
export function faultsOf(node: Node, value: unknown, now?: number): readonly Fault[] {
  const run = startRun(now)
  readNode(node, value, 'json', run)
  return run.faults.filter(({ code }) => code !== 'too_early' && code !== 'too_late')
}

const none: Path = []
const fixed = new WeakMap<Node, { readonly read: unknown }>()

/**
 * The default of a node, read as if a program had sent it: made for each request, since a handler may change what it
 * gets; but for scalars that are always the same.
 */
export function defaultOf(node: Node, run: Run, below: Path = none): unknown {
  const path = below === none ? run.path : [...run.path, ...below]
  if (typeof node.default === 'function') return held(node, node.default(), run, path)
  if (typeof node.default === 'object' || isByClock(node)) return held(node, node.default, run, path)
  const known = fixed.get(node) ?? { read: held(node, node.default, run, path) }
  fixed.set(node, known)
  return known.read
}

/**
 * What a service puts in itself, compared with what is declared at its path, and as it would be read.
 *
 * @throws TypeError if the field does not take it: that is a bug of the service, and never passed on.
 */
export function hold(root: Node, path: Path, value: unknown, run: Run): unknown {
  let wrong: unknown
  for (const node of nodesAt(root, path)) {
    try {
      return held(node, value, run, path)
    } catch (error) {
      wrong ??= error
    }
  }
  if (wrong !== undefined) throw wrong
  return value
}

/**
 * The same for what stays as it is, and may have names that are not declared.
 *
 * @throws TypeError
 */
export function holdAsIs(node: Node, path: Path, value: unknown, outer: Run): void {
  const run = startRun(clock(outer))
  run.unlisted = 'keep'
  held(node, value, run, path)
}

/** The branch of a union that a value was read by: as noted when it was, else told by the value. */
export function branchTaken(node: EitherNode, value: object, outer: Run): Node | undefined {
  const { branches } = node
  return (
    outer.taken?.get(node)?.get(value) ??
    namedBranch(branches, value, 'json', kinds) ??
    branches.find((branch) => {
      const run = startRun(clock(outer))
      run.unlisted = outer.unlisted
      run.deepest = outer.deepest
      readNode(branch, encode(branch, value, clock(run)), 'json', run)
      return run.faults.length === 0
    })
  )
}

function held(node: Node, value: unknown, outer: Run, path: Path): unknown {
  if (value === undefined || !isWritable(node)) return value
  const run = startRun(clock(outer))
  run.unlisted = outer.unlisted
  run.deepest = outer.deepest
  outer.taken ??= new Map()
  run.taken = outer.taken
  const read = readNode(sendable(node), encode(node, value, clock(run)), 'json', run)
  const [fault] = run.faults
  if (fault)
    throw new TypeError(`${formatAddress([...path, ...fault.path])} was put in by the service, but ${wordFault(fault)}`)
  return read
}

/** A field as if clients could set it. */
export function sendable(node: Node): Node {
  if (!node.readOnly) return node
  const known = sendables.get(node)
  if (known) return known
  const { readOnly: _, ...rest } = node
  sendables.set(node, rest as Node)
  return rest as Node
}
const sendables = new WeakMap<Node, Node>()

const holdsReader = anywhere((node) => node.kind === 'readAs' && !node.write)
/** Whether a value that was read can be turned into what a client would send: not behind a reader that cannot write. */
const isWritable = (node: Node): boolean => !holdsReader(node, childrenOf)
