/** What one judgement carries through the tree: where it is, what it found wrong, and what it read. */
import { formatAddress, type Path } from '../declare/address.js'
import type { Node } from '../declare/node.js'

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
  readonly message?: string
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

/** Where values come from: JSON with types of its own, or text. */
export type Source = 'json' | 'text'

export interface Run {
  /** The clock of the judgement, in milliseconds since 1970. */
  readonly now: number
  readonly faults: Fault[]
  /** Where the walk is now. */
  readonly path: (string | number)[]
  readonly readings: Reading[] | undefined
  /** Names are compared for suggestions only so often in one judgement. */
  suggestions: number
}

export const startRun = (now: number, trace: boolean): Run => ({
  now,
  faults: [],
  path: [],
  readings: trace ? [] : undefined,
  suggestions: 8,
})

/** Tells an error of the value where the walk is. Only declared scalars that are no secret are kept for echoing. */
export function tell(
  run: Run,
  node: Node,
  code: string,
  value?: unknown,
  limit?: unknown,
  variant: string = node.kind,
  stage: Stage = 'shape',
): void {
  const echoed = !node.secret && node.kind !== 'list' && node.kind !== 'record' && typeof value !== 'object'
  run.faults.push({
    path: run.path.slice(),
    stage,
    code,
    variant,
    about: limit === undefined ? {} : { limit },
    ...(value === undefined ? {} : echoed ? { sent: value } : code === 'wrong_type' ? { sentKind: kindOf(value) } : {}),
  })
}

const kindOf = (value: unknown) => (Array.isArray(value) ? 'list' : value === null ? 'null' : typeof value)

/** Notes a reading, where they were asked for. A secret is noted without its value. */
export function note(run: Run, node: Node, how: Reading['how'], sent: unknown, read: unknown): void {
  if (!run.readings) return
  const shown = (value: unknown) => (node.secret && value !== undefined ? '(secret)' : value)
  run.readings.push({ address: formatAddress(run.path), sent: shown(sent), read: shown(read), how })
}
