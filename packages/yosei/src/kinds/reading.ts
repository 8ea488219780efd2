/** Reading what lies below: once for each place where branches of unions meet, and without end never. */
import type { Met, Node } from './kind.js'
import { addFault, addReading, countFaults, mostFaults, type Run, type Source, type Try } from './run.js'

/** Reads a value by its declaration. `undefined`: absent, or it could not be read, and then a fault says why. */
export function readNode(node: Node, value: unknown, source: Source, run: Run): unknown {
  return run.tries ? recall(run.tries, node, value, source, run) : read(node, value, source, run)
}

function read(node: Node, value: unknown, source: Source, run: Run): unknown {
  if (!node.secret) return run.interpreter.interpret(node, value, source, run)
  run.secrecy++
  const read = run.interpreter.interpret(node, value, source, run)
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

export function attemptOnce(
  tries: NonNullable<Run['tries']>,
  node: Node,
  value: unknown,
  source: Source,
  run: Run,
): Try {
  let values = tries.get(node)
  if (!values) {
    values = new Map()
    tries.set(node, values)
  }
  const known = values.get(value)
  const attempt = known && isSameTry(known, value, source, run) ? known : attemptAt(node, value, source, run)
  values.set(value, attempt)
  return attempt
}

/** A map takes 0 and −0 for one. */
const isSameTry = ({ value, path, source, isSecret }: Try, tried: unknown, now: Source, run: Run) =>
  Object.is(value, tried) &&
  source === now &&
  isSecret === run.secrecy > 0 &&
  path.length === run.path.length &&
  path.every((key, index) => key === run.path[index])

/** What a declaration makes of the value where the walk is, kept apart from what was found before. */
function attemptAt(node: Node, value: unknown, source: Source, run: Run): Try {
  const { faults, beyond, trace } = run
  const readings = trace?.readings ?? []
  run.faults = []
  run.beyond = 0
  if (trace) trace.readings = []
  const made = read(node, value, source, run)
  const attempt: Try = {
    value,
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
export function take(run: Run, { faults, beyond, readings }: Try): void {
  for (const fault of faults) addFault(run, fault)
  run.beyond += beyond
  if (run.trace) for (const reading of readings) addReading(run.trace, reading)
}

/**
 * Reads a value by a declaration that holds itself. What a program hands over may hold one object in many places, and
 * so stand for far more than it is: what was right of it once is right. If more is wrong than anybody is reported, what
 * was wrong with it is not looked at again: its first fault is reported here too, since a union goes by it.
 */
export function readOnce(run: Run, by: unknown, value: unknown, read: () => unknown): unknown {
  if (!run.met || typeof value !== 'object' || value === null) return read()
  const values = run.met.get(by) ?? new Map<object, Met>()
  run.met.set(by, values)
  const known = values.get(value)
  if (known && 'read' in known) return known.read
  if (known && run.found > mostFaults) {
    const { fault, depth } = known
    addFault(run, { ...fault, path: [...run.path, ...fault.path.slice(depth)] })
    return undefined
  }
  const [before, at] = [countFaults(run), run.faults.length]
  const made = read()
  const fault = run.faults[at]
  if (countFaults(run) === before) values.set(value, { read: made })
  else if (fault) values.set(value, { fault, depth: run.path.length })
  return made
}
