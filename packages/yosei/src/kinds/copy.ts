/** Copies of JSON values. */
import { put } from '../terms/own.js'
import { element } from './run.js'

/**
 * A deep copy; `undefined` where the value nests deeper than `depth`, or holds itself. What is met twice is copied
 * once.
 */
export function copyJson(value: unknown, depth: number, copies = new Map<object, unknown>()): unknown {
  if (typeof value !== 'object' || value === null || value instanceof Date) return value
  if (depth === 0) return undefined
  if (copies.has(value)) return copies.get(value)
  // While it is being copied it stands for itself as `undefined`: a value that holds itself has no copy.
  copies.set(value, undefined)
  const copy: unknown[] | { [name: string]: unknown } = Array.isArray(value) ? [] : {}
  const isList = Array.isArray(value)
  for (const key of isList ? value.keys() : Object.keys(value)) {
    const own = (value as Record<string, unknown>)[key]
    const sent = isList ? element(own) : own
    const one = copyJson(sent, depth - 1, copies)
    if (one === undefined && sent !== undefined) return undefined
    put(copy as { [name: string]: unknown }, String(key), one)
  }
  copies.set(value, copy)
  return copy
}
