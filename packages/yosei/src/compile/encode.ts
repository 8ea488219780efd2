/** Values as a client sends them: the inverse of reading. */
import { type Node, type ReadAsNode, resolve } from '../declare/node.js'
import { put } from '../read/own.js'
import { interpret } from './interpret.js'
import { deepest, startRun } from './run.js'
import { writeDuration, writeInstant } from './times.js'

/**
 * The JSON form of a value: dates as RFC 3339, durations as ISO 8601, big integers as text, and behind `readAs` what its
 * `write` gives. What is in that form already stays as it is; so does what fits nowhere, for the judgement to reject.
 */
export function encode(node: Node, value: unknown, depth = deepest * 4): unknown {
  if (value === undefined || value === null || depth === 0) return value
  switch (node.kind) {
    case 'instant':
      return value instanceof Date && !Number.isNaN(value.getTime()) ? writeInstant(value) : value
    case 'duration':
      return typeof value === 'number' && value >= 0 ? writeDuration(value) : value
    case 'bigInteger':
      return typeof value === 'bigint' ? String(value) : value
    case 'list':
      return Array.isArray(value) ? value.map((one) => encode(node.item, one, depth - 1)) : value
    case 'tuple':
      return Array.isArray(value) ? value.map((one, index) => encodeOne(node.items[index], one, depth)) : value
    case 'record':
      return mapObject(value, (name, one) => encodeOne(Object.hasOwn(node.fields, name) ? node.fields[name] : undefined, one, depth))
    case 'table':
      return mapObject(value, (_, one) => encode(node.value, one, depth - 1))
    case 'tagged': {
      const chosen = (value as { [name: string]: unknown })[node.tag]
      return typeof chosen === 'string' && Object.hasOwn(node.branches, chosen)
        ? encode(node.branches[chosen] as Node, value, depth - 1)
        : value
    }
    case 'either': {
      const forms = node.branches.map((branch) => [branch, encode(branch, value, depth - 1)] as const)
      return (forms.find(([branch, form]) => isTaken(branch, form)) ?? [node, value])[1]
    }
    case 'later':
      return encode(resolve(node), value, depth - 1)
    case 'readAs':
      return writeBack(node, value, depth)
    default:
      return value
  }
}

const encodeOne = (node: Node | undefined, value: unknown, depth: number) => (node ? encode(node, value, depth - 1) : value)

function mapObject(value: unknown, map: (name: string, value: unknown) => unknown): unknown {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return value
  const mapped: { [name: string]: unknown } = {}
  for (const [name, one] of Object.entries(value)) if (one !== undefined) put(mapped, name, map(name, one))
  return mapped
}

/** A value that the base takes as it is goes out as it is; another is written back first. */
function writeBack(node: ReadAsNode, value: unknown, depth: number): unknown {
  const asIs = encode(node.base, value, depth - 1)
  if (!node.write || isTaken(node, asIs)) return asIs
  return encode(node.base, node.write(value as never), depth - 1)
}

/** Whether a declaration takes a JSON value, whatever the clock says. */
const isTaken = (node: Node, value: unknown) => faultsOf(node, value).length === 0

/** What is wrong with a JSON value, but for limits that the clock moves. */
export function faultsOf(node: Node, value: unknown) {
  const run = startRun(0, false)
  interpret(node, value, 'json', run)
  return run.faults.filter(({ code }) => code !== 'too_early' && code !== 'too_late')
}
