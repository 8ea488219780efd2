/** What rules and conditions are judged on, and how they find their way in it. */
import { compareDecimals } from '../grammar/numbers.js'
import type { Node } from '../kinds/kind.js'
import { nodesAt } from '../kinds/locate.js'
import type { Fault, Run } from '../kinds/run.js'
import { EACH, type Path, parseAddress, valueAt } from '../terms/address.js'
import { canonical } from '../terms/canonical.js'
import type { Parts } from '../terms/parts.js'

export interface Matter {
  /** Declares the parts. */
  readonly root: Node
  readonly sent: Parts
  readonly input: Parts
  /** What the client would rather read. */
  readonly accept: string | undefined
  /** The record whose rules these are; empty for those of an endpoint. */
  readonly base: Path
  readonly run?: Run
}

const paths = new Map<string, Path>()

/** The path of a declared address, taken apart once. */
export function pathOf(address: string, base: Path = []): Path {
  const path = paths.get(address) ?? (parseAddress(address) as Path)
  paths.set(address, path)
  return base.length === 0 ? path : [...base, ...path]
}

/** The paths that an address with `[]` stands for in this input; the first indices may be settled already. */
export function concrete(input: Parts, path: Path, settled: readonly number[] = []): Path[] {
  const at = path.indexOf(EACH)
  if (at < 0) return [path]
  const elements = valueAt(input, path.slice(0, at))
  const indices = settled.length > 0 ? settled.slice(0, 1) : Array.isArray(elements) ? [...elements.keys()] : []
  return indices.flatMap((index) =>
    concrete(input, [...path.slice(0, at), index, ...path.slice(at + 1)], settled.slice(1)),
  )
}

/** The indices of another path under those `[]` that both have in common. */
export function indicesShared(path: Path, other: Path): number[] {
  const indices: number[] = []
  for (let i = 0; i < Math.min(path.length, other.length); i++) {
    if (path[i] === EACH && typeof other[i] === 'number') indices.push(other[i] as number)
    else if (path[i] !== other[i]) break
  }
  return indices
}

/** What depends on the indices alone that a path shares with another: worked out once for each of them. */
export function eachOnce<T>(path: Path, work: (indices: readonly number[]) => T): (other: Path) => T {
  const known = new Map<string, T>()
  return (other) => {
    const indices = indicesShared(path, other)
    const key = indices.join()
    if (known.has(key)) return known.get(key) as T
    const worked = work(indices)
    known.set(key, worked)
    return worked
  }
}

/** Whether anything was sent there. An empty text counts as absent where text is read. */
export function isPresent(sent: Parts, path: Path): boolean {
  const found = [valueAt(sent, path)].flat(path.includes(EACH) ? Number.POSITIVE_INFINITY : 0)
  return found.some((value) => value !== undefined && !(value === '' && path[0] !== 'body'))
}

export const isNone = (value: unknown): value is undefined | null => value === undefined || value === null

export const isExact = (root: Node, path: Path): boolean => nodesAt(root, path).some((node) => node.kind === 'decimal')

/** Below, at or above zero as `a` comes before, with or after `b`; NaN where they have no order and differ. */
export function order(a: unknown, b: unknown, exact: boolean): number {
  if (exact && isPlainDecimal(a) && isPlainDecimal(b)) return compareDecimals(String(a), String(b))
  if (a instanceof Date && b instanceof Date) return a.getTime() - b.getTime()
  if (typeof a === 'object' || typeof b === 'object') return canonical(a) === canonical(b) ? 0 : Number.NaN
  return a === b ? 0 : (a as number) < (b as number) ? -1 : (a as number) > (b as number) ? 1 : Number.NaN
}
const isPlainDecimal = (value: unknown) =>
  typeof value === 'string' || typeof value === 'number' || typeof value === 'bigint'

/** The error of a rule at a place. */
export const faultOf = (
  rule: { readonly code: string; readonly message?: string },
  path: Path,
  rest: Partial<Fault> = {},
): Fault => ({ path, stage: 'rules', code: rule.code, messages: rule.message, ...rest })
