/** Copies of JSON values. */
import { put } from '../terms/own.js'
import { element } from './run.js'

/** A deep copy of what JSON was parsed to; `undefined` if it nests deeper than `depth`. */
export function copyTree(value: unknown, depth: number): unknown {
  if (typeof value !== 'object' || value === null) return value
  if (depth === 0) return undefined
  if (Array.isArray(value)) {
    const copy: unknown[] = []
    for (let at = 0; at < value.length; at++) {
      const one = copyTree(value[at], depth - 1)
      if (one === undefined) return undefined
      copy.push(one)
    }
    return copy
  }
  const copy: { [name: string]: unknown } = {}
  for (const name of Object.keys(value)) {
    const one = copyTree((value as { [name: string]: unknown })[name], depth - 1)
    if (one === undefined) return undefined
    if (name === '__proto__') put(copy, name, one)
    else copy[name] = one
  }
  return copy
}

/**
 * A deep copy; `undefined` if the value nests deeper than `depth`, or holds itself. What is met twice is copied
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
