/** Ways into values: to look whether something is there, to put something there, to change what is there. */

import { childrenOf } from '../kinds/brought.js'
import type { Node } from '../kinds/kind.js'
import { leadsTo } from '../kinds/locate.js'
import { resolve } from '../kinds/resolve.js'
import { isNamed } from '../kinds/run.js'
import { sentShape } from '../kinds/shape.js'
import { EACH, EACH_NAME, type Path, valueAt } from '../terms/address.js'
import { put } from '../terms/own.js'
import { gone } from './demands.js'
import { type Making, make, readOnlyOf, sourceAt } from './make.js'
import { least } from './pick.js'

/** A step into a value, or to the branch of a union that it has to have. */
export type Step = { readonly into: string | number } | { readonly branch: string }

/** A value with one at the end of a way, and what holds that; the rest stays as it is. */
export function reach(node: Node, way: readonly Step[], value: unknown, making: Making): unknown {
  const own = { ...making, source: sourceAt(node, making.source), pick: least }
  if (node.kind === 'later') return reach(resolve(node), way, value, { ...own, depth: own.depth + 1 })
  if (node.kind === 'readAs')
    return way.length === 0 ? (value ?? make(node, making)) : reach(node.base, way, value, own)
  const [step, ...rest] = way
  if (!step) return readOnlyOf(node) ? value : (value ?? make(node, making))
  if ('branch' in step) {
    if (node.kind === 'tagged') {
      const branch = node.branches[step.branch] as Node
      const isThere = valueAt(value, [node.tag]) === step.branch
      return { [node.tag]: step.branch, ...(reach(branch, rest, isThere ? value : undefined, own) as object) }
    }
    const { branches } = node as Node & { readonly kind: 'either' }
    return reach(branches[Number(step.branch)] as Node, rest, undefined, own)
  }
  const { into } = step
  if (node.kind === 'list' || node.kind === 'tuple') {
    const elements = Array.isArray(value) ? [...value] : (make(node, own) as unknown[])
    const itemAt = (index: number) => (node.kind === 'list' ? node.item : (node.items[index] as Node))
    const index = into as number
    // No element stands behind a gap.
    while (elements.length < index) elements.push(make(itemAt(elements.length), { ...own, pick: making.random }))
    elements[index] = reach(itemAt(index), rest, elements[index], own)
    return elements
  }
  const held = { ...((isNamed(value) ? value : make(node, own)) as { [name: string]: unknown }) }
  if (node.kind === 'table') {
    const name = nameIn(node, into, held, own)
    put(held, name, reach(node.value, rest, valueAt(held, [name]), own))
  } else if (node.kind === 'record')
    put(held, into as string, reach(node.fields[into] as Node, rest, valueAt(held, [into]), own))
  return held
}

/** Whether a value has something at the end of a way; of unions that are tried it is not known. */
export function isThere(node: Node, way: readonly Step[], value: unknown): boolean {
  if (node.kind === 'later') return isThere(resolve(node), way, value)
  if (node.kind === 'readAs') return isThere(node.base, way, value)
  const [step, ...rest] = way
  if (!step) return value !== undefined
  if ('branch' in step)
    return (
      node.kind === 'tagged' &&
      valueAt(value, [node.tag]) === step.branch &&
      isThere(node.branches[step.branch] as Node, rest, value)
    )
  const key = step.into === EACH_NAME ? Object.keys((value ?? {}) as object)[0] : step.into
  const child = childrenOf(node).find(([one]) => one !== undefined && leadsTo(one, step.into))
  return key !== undefined && child !== undefined && isThere(child[1], rest, valueAt(value, [key]))
}

function nameIn(node: Node & { readonly kind: 'table' }, into: string | number, held: object, making: Making): string {
  if (into !== EACH_NAME) return String(into)
  const [first] = Object.keys(held)
  if (first !== undefined) return first
  const one = make({ ...node, length: [1, 1] }, making) as object
  return Object.keys(one)[0] as string
}

/** The way to a place in a value, whose unions are as they are there; `undefined` if nothing is declared there. */
export function wayTo(
  node: Node,
  path: Path,
  value: unknown,
  /** Unions whose branches are looked at: one may hold itself. */
  within: ReadonlySet<Node> = new Set(),
): readonly Step[] | undefined {
  const shape = sentShape(node)
  const [key, ...rest] = path
  if (key === undefined) return []
  if (shape.kind === 'either' || shape.kind === 'tagged') {
    if (shape.kind === 'tagged' && key === shape.tag && rest.length === 0) return [{ into: key }]
    if (within.has(shape)) return undefined
    const names = Object.keys(shape.branches)
    const chosen = shape.kind === 'tagged' ? valueAt(value, [shape.tag]) : undefined
    for (const name of [...names].sort((a, b) => Number(b === chosen) - Number(a === chosen))) {
      const found = wayTo(
        (shape.branches as { readonly [name: string]: Node })[name] as Node,
        path,
        value,
        new Set(within).add(shape),
      )
      if (found) return [{ branch: name }, ...found]
    }
    return undefined
  }
  for (const [step, child] of childrenOf(shape)) {
    if (step === undefined || !leadsTo(step, key)) continue
    const found = wayTo(child, rest, valueAt(value, [key]))
    if (found) return [{ into: key === EACH ? 0 : key }, ...found]
  }
  return undefined
}

/** The path that a way leads to in a value. */
export function pathIn(way: readonly Step[], tree: unknown): Path {
  const path: (string | number)[] = []
  let value = tree
  for (const step of way) {
    if (!('into' in step)) continue
    const key = step.into === EACH_NAME ? (Object.keys((value ?? {}) as object)[0] ?? '') : step.into
    path.push(key)
    value = valueAt(value, [key])
  }
  return path
}

/** The same value with another at a path; where that is `gone`, without it. */
export function replaced(value: unknown, path: Path, by: unknown): unknown {
  const [key, ...rest] = path
  if (key === undefined) return by
  if (Array.isArray(value)) {
    const copy = [...value]
    if (rest.length === 0 && by === gone) copy.splice(key as number, 1)
    else copy[key as number] = replaced(copy[key as number], rest, by)
    return copy
  }
  const copy: { [name: string]: unknown } = { ...(value as object) }
  if (rest.length === 0 && by === gone) delete copy[key]
  else put(copy, String(key), replaced(valueAt(copy, [key]), rest, by))
  return copy
}
