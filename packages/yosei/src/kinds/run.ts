/** What one judgement carries through the tree: where it is, what it found wrong, and what it read. */
import { type Path, tellAddress } from '../terms/address.js'
import type { Messages } from '../terms/declared.js'
import type { Reading, Stage, Step } from '../terms/verdict.js'
import { type KindTable, kindOf, type Node } from './kind.js'

/** One thing found wrong. Its words are made only when somebody asks for them. */
export interface Fault {
  readonly path: Path
  readonly stage: Stage
  readonly code: string
  /** The declaration that was not met: it may have own words. */
  readonly node?: Node | undefined
  /** The limit that failed. */
  readonly limit?: unknown
  /** What was sent, where it may be echoed; or the kind of it, where that is what is wrong. */
  readonly sent?: unknown
  /** Chooses between the ways in which a catalogue words one code, `wrong_type.instant`: the node's kind if nothing is said. */
  readonly variant?: string | undefined
  /** What else the words speak of. */
  readonly about?: { readonly [name: string]: unknown } | undefined
  /** Own words that are not the node's. */
  readonly messages?: Messages | undefined
}

/** Stands for the address of a path in the words of an error: written when they are. */
export class Place {
  constructor(readonly path: Path) {}
}

/** Stands for a value that may not be echoed. */
export class Unshown {
  constructor(readonly kind: string) {}
}

/**
 * Where values come from: JSON with types of its own; JSON in which text is read as well; or text alone, where an empty
 * text counts as not sent.
 */
export type Source = 'json' | 'coerced' | 'text'

/** Reads a value by its declaration. `undefined`: absent, or it could not be read, and then a fault says why. */
export type Interpret = (node: Node, value: unknown, source: Source, run: Run) => unknown

export interface Run {
  readonly kinds: KindTable
  /** The interpreter, for one node: see `readNode`. */
  readonly interpret: Interpret
  /** Where the judgement is, should it fail. */
  stage: 'shape' | 'rules'
  /** The clock of the judgement, in milliseconds since 1970: see `clock`. */
  now: number | undefined
  faults: Fault[]
  /** Faults beyond the most that are kept. */
  beyond: number
  /** How often anything was found wrong, also in what a union tried and gave up. */
  found: number
  /** Where the walk is now; for a scalar that code has found wrong, its path as a whole. */
  path: (string | number)[]
  /** The path of the walk itself, which goes on. */
  readonly walk: (string | number)[]
  /** Readings and steps, where they were asked for. */
  readonly trace: { readings: Reading[]; readonly steps: Step[] } | undefined
  /** What happens to unlisted names where a record does not say. */
  unlisted: 'refuse' | 'drop' | 'keep'
  /** Names are compared for suggestions only so often in one judgement. */
  suggestions: number
  /** How many secrets the walk is inside of. */
  secrecy: number
  /** The deepest nesting of values whose declaration holds itself, or says nothing about them. */
  deepest: number
  /** How deep the walk is in declarations that hold themselves. */
  depth: number
  /** What came of each declaration and value inside a union that is tried branch by branch: see `recall`. */
  tries: Map<Node, Map<unknown, Try>> | undefined
  /** Objects that declarations which hold themselves have read, where a program may have put one into many places. */
  met: Map<unknown, Map<object, { readonly read: unknown } | undefined>> | undefined
}

/** What one declaration made of one value at one place. */
export interface Try {
  readonly path: Path
  readonly source: Source
  readonly isSecret: boolean
  readonly read: unknown
  readonly faults: readonly Fault[]
  readonly beyond: number
  readonly readings: readonly Reading[]
}

/** The most that is kept of one judgement: a body made to be wrong in a million places must not fill the memory. */
export const mostFaults = 1000
const mostReadings = 10_000

export function addFault(run: Run, fault: Fault): void {
  run.found++
  if (run.faults === noFaults) run.faults = []
  if (run.faults.length === mostFaults) run.beyond++
  else run.faults.push(fault)
}

/** Where no limit is set. */
export const deepest = 64

/** Until a run finds something wrong. Never added to: see `addFault`. */
const noFaults: Fault[] = []

/** The time of a judgement: the same throughout, and looked at only where a limit depends on it. */
export function clock(run: Run): number {
  run.now ??= Date.now()
  return run.now
}

export function newRun(kinds: KindTable, interpret: Interpret, now?: number, trace = false): Run {
  const walk: (string | number)[] = []
  return {
    kinds,
    interpret,
    stage: 'shape',
    now,
    faults: noFaults,
    beyond: 0,
    found: 0,
    path: walk,
    walk,
    trace: trace ? { readings: [], steps: [] } : undefined,
    unlisted: 'refuse',
    suggestions: 8,
    secrecy: 0,
    deepest,
    depth: 0,
    tries: undefined,
    met: undefined,
  }
}

/** Tells an error of the value where the walk is. The value is kept only where it may be echoed. */
export function tell(run: Run, node: Node, code: string, value?: unknown, limit?: unknown, variant?: string): undefined {
  const path = run.path === run.walk ? run.path.slice() : run.path
  addFault(run, { path, stage: 'shape', code, node, limit, sent: echo(run, node, code, value), variant })
}

/** Tells an error of what lies below the value where the walk is, or one with more to say. */
export function tellBelow(run: Run, node: Node, code: string, below: Path, more: Partial<Fault> = {}): undefined {
  addFault(run, { path: [...run.path, ...below], stage: 'shape', code, node, ...more })
}

function echo(run: Run, node: Node, code: string, value: unknown): unknown {
  if (value === undefined) return undefined
  const echoes = (one: Node): boolean => kindOf(run.kinds, one).echoes(one, echoes)
  if (run.secrecy === 0 && (typeof value !== 'object' || value === null) && echoes(node)) return value
  return code === 'wrong_type' ? new Unshown(typeOf(value)) : undefined
}

const typeOf = (value: unknown) => (Array.isArray(value) ? 'list' : value === null ? 'null' : typeof value)

/** Notes a reading, where they were asked for. A secret is noted without its value. */
export function note(run: Run, how: Reading['how'], sent: unknown, read: unknown): void {
  if (!run.trace) return
  const shown = (value: unknown) => (run.secrecy > 0 && value !== undefined ? '(secret)' : value)
  addReading(run.trace, { address: tellAddress(run.path), sent: shown(sent), read: shown(read), how })
}

export function addReading({ readings }: { readonly readings: Reading[] }, reading: Reading): void {
  if (readings.length < mostReadings) readings.push(reading)
}

/** A container that is none. What was sent instead is not noted: it may be a secret that has slipped. */
export function notOfKind(node: Node, value: unknown, run: Run): undefined {
  note(run, 'as is', undefined, undefined)
  return tell(run, node, 'wrong_type', value)
}

/** A hole or `undefined` in an array that a program made counts as null, as in JSON. */
export const element = (value: unknown): unknown => (value === undefined ? null : value)

export type Named = { readonly [name: string]: unknown }
export const isNamed = (value: unknown): value is Named => typeof value === 'object' && value !== null && !Array.isArray(value)

export const countFaults = (run: Run): number => run.faults.length + run.beyond
