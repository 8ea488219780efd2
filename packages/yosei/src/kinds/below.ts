/**
 * What lies below records, tables and lists, prepared once for each declaration: scalars that are right are taken before
 * the interpreter walks to them, and containers know what they hold. Whatever is wrong or rare is read where it stands.
 */
import { type KindTable, kindOf, type Node } from './kind.js'
import { readNode } from './reading.js'
import type { Run, Source } from './run.js'
import { type Accept, miss, type ScalarKind } from './scalar.js'
import { keepsEmpty } from './shape.js'

export interface Below {
  readonly node: Node
  readonly source: Source
  /** Takes a value before the walk is there. */
  readonly accept: Accept | undefined
  readonly isOptional: boolean
  readonly nullable: boolean
  /** What counts as not sent. */
  readonly nothing: '' | undefined
  /** Reads an object or array where the walk is; a miss is read by the interpreter. */
  readonly read: ((value: unknown, run: Run) => unknown) | undefined
}

const known = /* @__PURE__ */ new WeakMap<Node, { [S in Source]?: Below }>()

export function belowOf(node: Node, outer: Source, kinds: KindTable): Below {
  let bySource = known.get(node)
  if (!bySource) {
    bySource = {}
    known.set(node, bySource)
  }
  bySource[outer] ??= prepared(node, outer, kinds)
  return bySource[outer]
}

function prepared(node: Node, outer: Source, kinds: KindTable): Below {
  const source = node.coerce === undefined || outer === 'text' ? outer : node.coerce ? 'coerced' : 'json'
  const { accepts, binds } = kindOf(kinds, node) as Partial<ScalarKind<Node>>
  return {
    node,
    source: outer,
    accept: node.readOnly ? undefined : accepts?.(node, source),
    isOptional: node.need === 'optional',
    nullable: node.nullable === true,
    nothing: source === 'text' && !keepsEmpty(node) ? '' : undefined,
    read: node.readOnly || node.secret ? undefined : binds?.(node, source, kinds),
  }
}

/** Whether a value may be taken before the walk is there: it may not if its address matters. */
export const takesAtOnce = (run: Run): boolean => !(run.trace || run.kept || run.sources || run.rounded)

/** Reads what lies below the value where the walk is. */
export function readBelow(below: Below, step: string | number, value: unknown, run: Run, isQuick: boolean): unknown {
  if (below.accept && isQuick) {
    const isAbsent = value === undefined || value === below.nothing
    if (isAbsent && below.isOptional) return undefined
    if (value === null && below.nullable) return null
    const taken = isAbsent ? miss : below.accept(value, run)
    if (taken !== miss) return taken
  }
  run.path.push(step)
  const bound =
    below.read && isQuick && !run.tries && typeof value === 'object' && value !== null ? below.read(value, run) : miss
  const made = bound === miss ? readNode(below.node, value, below.source, run) : bound
  run.path.pop()
  return made
}
