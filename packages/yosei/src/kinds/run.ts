/** What one judgement carries through the tree: where it is, what it found wrong, and what it read. */

import { EACH_NAME, formatAddress, type Path, tellAddress } from '../terms/address.js'
import type { Asking } from '../terms/asking.js'
import type { Code } from '../terms/codes.js'
import type { Reading } from '../terms/verdict.js'
import type { Fault, Hint, Interpreter, Node, Run } from './kind.js'
import { Unshown } from './phrase.js'

export type { Fault, Run, Source, Try } from './kind.js'

/** Stands where a secret was. */
export const masked = '(secret)'

/** The most that is kept of one judgement: a body made to be wrong in a million places must not fill the memory. */
export const mostFaults = 1000
const mostReadings = 10_000

export function addFault(run: Run, fault: Fault): void {
  run.found++
  if (run.faults === noFaults) run.faults = []
  if (run.faults.length === mostFaults) run.beyond++
  else run.faults.push(fault)
}

/** What would be wrong, if it were not only observed. */
export function addObserved(run: Run, fault: Fault): void {
  const { faults } = observedIn(run)
  if (faults.length < mostFaults) faults.push(fault)
}
export function observedIn(run: Run): Run['observed'] & {} {
  run.observed ??= { faults: [], causes: [] }
  return run.observed
}

/** Where no limit is set. */
export const deepest = 64

/** Until a run finds something wrong. Never added to: see `addFault`. */
const noFaults: Fault[] = []

const nothingMasked: Path[] = []

/** The time of a judgement: the same throughout, and looked at only where a limit depends on it. */
export function clock(run: Run): number {
  run.now ??= Date.now()
  return run.now
}

export function newRun(interpreter: Interpreter, now?: number, trace = false): Run {
  const walk: (string | number)[] = []
  return {
    interpreter,
    stage: 'shape',
    now,
    who: undefined,
    asking: undefined,
    faults: noFaults,
    beyond: 0,
    found: 0,
    isPolluted: undefined,
    path: walk,
    walk,
    trace: trace ? { readings: [], steps: [] } : undefined,
    unlisted: 'refuse',
    suggestions: 8,
    secrecy: 0,
    deepest,
    depth: 0,
    taken: undefined,
    tries: undefined,
    masked: nothingMasked,
  }
}

/** What a function of a declaration is reported besides values. */
export function asking(run: Run): Asking {
  run.asking ??= new Told(run)
  return run.asking
}

/** Most functions never look at the clock: its Date is made when they do. */
class Told implements Asking {
  readonly #run: Run
  constructor(run: Run) {
    this.#run = run
  }
  get now(): Date {
    return new Date(clock(this.#run))
  }
  get who(): unknown {
    return this.#run.who
  }
}

/** A number as it was written, if reading it lost digits. */
export const writtenAt = (run: Run): string | undefined => run.rounded?.get(formatAddress(run.path))

/** Reports an error of the value where the walk is, and nothing of the value. */
export function report(run: Run, node: Node, code: Code, limit?: unknown, variant?: string): undefined {
  addFault(run, { path: pathOf(run), stage: 'shape', code, node, limit, variant })
}

/** Reports an error of a scalar, with what was sent unless it is secret. Of a container nothing that was sent is reported. */
export function reportSent(
  run: Run,
  node: Node,
  code: Code,
  value: unknown,
  limit?: unknown,
  variant?: string,
  hint?: Hint,
  about?: Fault['about'],
): undefined {
  const isTold = run.secrecy === 0 && (typeof value !== 'object' || value === null)
  const sent = isTold ? value : code === 'wrong_type' ? new Unshown(typeOf(value)) : undefined
  addFault(run, { path: pathOf(run), stage: 'shape', code, node, limit, sent, variant, hint, about })
}

/** What was thrown by a function that has read a secret: its kind and its place, but not its words. */
export function withoutText(cause: unknown, who: string): Error {
  const name = cause instanceof Error ? cause.name : typeof cause
  const made = new Error(`${who} threw ${name}. It has read a secret, so what it says is left out`)
  const frames = cause instanceof Error ? /(?:^|\n)( {4}at [\s\S]*)$/.exec(String(cause.stack))?.[1] : undefined
  made.stack = `${made.name}: ${made.message}${frames === undefined ? '' : `\n${frames}`}`
  return made
}

const pathOf = (run: Run) => (run.path === run.walk ? run.path.slice() : run.path)

/** A name that came with a request, as it is reported: inside a secret not at all. */
export const nameTold = (run: Run, name: string): string | number => (run.secrecy > 0 ? EACH_NAME : name)

/** Reports an error of a scalar that must be what is declared: of a secret not what that is. */
export function reportOther(
  run: Run,
  node: Node,
  code: Code,
  value: unknown,
  declared: unknown,
  variant?: string,
  hint?: Hint,
): undefined {
  return run.secrecy > 0
    ? reportSent(run, node, code, value, undefined, 'secret')
    : reportSent(run, node, code, value, declared, variant, hint)
}

/** Reports an error of what lies below the value where the walk is, or one with more to say. */
export function reportBelow(run: Run, node: Node, code: Code, below: Path, more: Partial<Fault> = {}): undefined {
  addFault(run, { path: [...run.path, ...below], stage: 'shape', code, node, ...more })
}

const typeOf = (value: unknown) => (Array.isArray(value) ? 'list' : value === null ? 'null' : typeof value)

/** Notes a reading, if they were asked for. A secret is noted without its value. */
export function note(run: Run, how: Reading['how'], sent: unknown, read: unknown): void {
  if (!run.trace) return
  const shown = (value: unknown) => (run.secrecy > 0 && value !== undefined ? masked : value)
  addReading(run.trace, { address: tellAddress(run.path), sent: shown(sent), read: shown(read), how })
}

export function addReading({ readings }: { readonly readings: Reading[] }, reading: Reading): void {
  if (readings.length < mostReadings) readings.push(reading)
}

/** A container that is none. What was sent instead is not noted: it may be a secret that has slipped. */
export function notOfKind(node: Node, value: unknown, run: Run, more: Partial<Fault> = {}): undefined {
  note(run, 'as is', undefined, undefined)
  addFault(run, {
    path: pathOf(run),
    stage: 'shape',
    code: 'wrong_type',
    node,
    sent: new Unshown(typeOf(value)),
    ...more,
  })
}

/** A hole or `undefined` in an array that a program made counts as null, as in JSON. */
export const element = (value: unknown): unknown => (value === undefined ? null : value)

export type Named = { readonly [name: string]: unknown }
export const isNamed = (value: unknown): value is Named =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

export const countFaults = (run: Run): number => run.faults.length + run.beyond
