/** Values as a client sends them: the inverse of reading. */
import { kindOf, type Node } from '../kinds/kind.js'
import { kinds } from '../kinds/kinds.js'
import { readNode } from '../kinds/reading.js'
import { deepest, type Fault } from '../kinds/run.js'
import { startRun } from './interpret.js'

/**
 * The JSON form of a value: dates as RFC 3339, durations as ISO 8601, big integers as text, and behind `readAs` what
 * its `write` gives. What is in that form already stays as it is; so does what fits nowhere, for the judgement to
 * reject.
 */
export function encode(node: Node, value: unknown, depth = deepest * 4): unknown {
  if (value === undefined || value === null || depth === 0) return value
  return kindOf(kinds, node).encode(node, value, {
    kinds,
    encode: (below, one) => encode(below, one, depth - 1),
    takes,
  })
}

const takes = (node: Node, value: unknown) => faultsOf(node, value).length === 0

/** What is wrong with a JSON value, but for limits that the clock moves. */
export function faultsOf(node: Node, value: unknown): readonly Fault[] {
  const run = startRun(0, false)
  readNode(node, value, 'json', run)
  return run.faults.filter(({ code }) => code !== 'too_early' && code !== 'too_late')
}
