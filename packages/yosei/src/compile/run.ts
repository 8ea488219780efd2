/** What one judgement carries through the tree: where it is, what it found wrong, and what it read. */
import { formatAddress, type Path } from '../declare/address.js'
import type { Messages, Node } from '../declare/node.js'

/** Where in the way of a request an error was found. */
export type Stage = 'match' | 'admit' | 'read' | 'shape' | 'rules'

/** One thing found wrong. Its words are made only when somebody asks for them. */
export interface Fault {
  readonly path: Path
  readonly stage: Stage
  readonly code: string
  /** Chooses between the ways in which a catalogue words one code: `wrong_type.instant`. */
  readonly variant?: string
  /** Own words instead of the catalogue's. */
  readonly messages?: Messages | undefined
  /** What the words speak of; `limit` is the limit that failed. */
  readonly about?: { readonly [name: string]: unknown }
  /** What was sent, where it may be echoed; else the kind of it, where that is what is wrong. */
  readonly sent?: unknown
  readonly sentKind?: string
}

/** How a value was read: for the moment when one surprises somebody. */
export interface Reading {
  readonly address: string
  readonly sent: unknown
  readonly read: unknown
  readonly how: 'as is' | 'from text' | 'default' | 'dropped'
}

/** One stage, or one rule, and how it went. */
export interface Step {
  readonly stage: Stage
  readonly name?: string
  readonly outcome: 'passed' | 'failed' | 'not run'
  readonly because?: string
}

/**
 * Where values come from: JSON with types of its own; JSON in which text is read as well; or text alone, where an empty
 * text counts as not sent.
 */
export type Source = 'json' | 'coerced' | 'text'

export interface Run {
  /** The clock of the judgement, in milliseconds since 1970. */
  readonly now: number
  faults: Fault[]
  /** Faults beyond the most that are kept. */
  beyond: number
  /** Where the walk is now. */
  readonly path: (string | number)[]
  /** Readings and steps, where they were asked for. */
  readonly trace: { readings: Reading[]; readonly steps: Step[] } | undefined
  /** What happens to undeclared names where a record does not say. */
  undeclared: 'reject' | 'drop' | 'keep'
  /** Names are compared for suggestions only so often in one judgement. */
  suggestions: number
  /** How many secrets the walk is inside of. */
  secrecy: number
  /** How deep the walk is in declarations that hold themselves, and how often it may still enter one. */
  depth: number
  entries: number
}

/** The most that is kept of one judgement: a body made to be wrong in a million places must not fill the memory. */
const mostFaults = 1000
const mostReadings = 10_000

export function addFault(run: Run, fault: Fault): void {
  if (run.faults.length < mostFaults) run.faults.push(fault)
  else run.beyond++
}

/** The deepest nesting of values whose declaration holds itself, or says nothing about them. */
export const deepest = 64

export const startRun = (now: number, trace: boolean): Run => ({
  now,
  faults: [],
  beyond: 0,
  path: [],
  trace: trace ? { readings: [], steps: [] } : undefined,
  undeclared: 'reject',
  suggestions: 8,
  secrecy: 0,
  depth: 0,
  entries: 100_000,
})

interface About {
  /** The value that is wrong: kept only where it may be echoed. */
  readonly value?: unknown
  /** The limit that failed. */
  readonly limit?: unknown
  /** Which words of the code: those of the node's kind where nothing is said. */
  readonly variant?: string
  readonly stage?: Stage
  readonly about?: { readonly [name: string]: unknown }
  /** Own words, where they are not the node's. */
  readonly messages?: Messages | undefined
}

/** Tells an error of the value where the walk is, or of one below it. */
export function tell(
  run: Run,
  node: Node,
  code: string,
  { value, limit, variant = node.kind, stage = 'shape', about, messages = node.messages }: About = {},
  ...below: (string | number)[]
): undefined {
  addFault(run, {
    path: [...run.path, ...below],
    stage,
    code,
    variant,
    messages,
    about: { ...about, ...(limit === undefined ? {} : { limit }) },
    ...(value === undefined
      ? {}
      : run.secrecy === 0 && isEchoed(node, value)
        ? { sent: value }
        : code === 'wrong_type'
          ? { sentKind: kindOf(value) }
          : {}),
  })
}

/** Only declared scalars are ever echoed. */
function isEchoed(node: Node, value: unknown): boolean {
  if (typeof value === 'object' && value !== null) return false
  switch (node.kind) {
    case 'list':
    case 'tuple':
    case 'record':
    case 'table':
    case 'tagged':
    case 'either':
    case 'anything':
    case 'later':
      return false
    case 'readAs':
      return isEchoed(node.base, value)
    default:
      return true
  }
}

const kindOf = (value: unknown) => (Array.isArray(value) ? 'list' : value === null ? 'null' : typeof value)

/** Notes a reading, where they were asked for. A secret is noted without its value. */
export function note(run: Run, how: Reading['how'], sent: unknown, read: unknown): void {
  if (!run.trace || run.trace.readings.length === mostReadings) return
  const shown = (value: unknown) => (run.secrecy > 0 && value !== undefined ? '(secret)' : value)
  run.trace.readings.push({ address: formatAddress(run.path), sent: shown(sent), read: shown(read), how })
}
