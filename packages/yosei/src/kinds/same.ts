/**
 * What makes a value the same as another, by what its field declares: 1.0 is 1.00, and a moment is the same wherever its
 * offset puts it. Rules, lists without repeats, turns, and questions that are asked once go by it.
 */
import { isDecimal, plainDecimal } from '../grammar/numbers.js'
import { readInstant, readTime } from '../grammar/times.js'
import { canonical } from '../terms/canonical.js'
import { measuresOf } from './brought.js'
import type { Measure, Node } from './kind.js'
import { nodesBelow, shapesOf } from './locate.js'
import { isNamed } from './run.js'

/** A text that two values share just when they are the same. */
type Same = (value: unknown) => string

const known = new WeakMap<Node, Same>()

/** How values are distinguished that were read by one of some declarations. */
export function sameAs(nodes: readonly Node[]): Same {
  const [only] = nodes
  if (!only) return canonical
  if (nodes.length > 1) return makeSame(nodes)
  const found = known.get(only) ?? makeSame(nodes)
  known.set(only, found)
  return found
}

function makeSame(nodes: readonly Node[]): Same {
  const shapes = nodes.flatMap(shapesOf)
  const measures = new Set(shapes.flatMap(measuresOf))
  // What a service makes itself says what makes it the same.
  if (measures.has('own') || measures.has('file')) return canonical
  const below = new Map<string | number, Same>()
  const sameBelow = (key: string | number): Same => {
    const found = below.get(key) ?? sameAs(nodesBelow(nodes, key))
    if (below.size < mostKept) below.set(key, found)
    return found
  }
  const areAlike = shapes.every(({ kind }) => kind === 'list')
  return (value) => {
    if (Array.isArray(value)) {
      const parts = areAlike ? value.map(sameBelow(0)) : value.map((one, index) => sameBelow(index)(one))
      return `[${parts.join()}]`
    }
    if (!isNamed(value) || value instanceof Date) return sameScalar(measures, value)
    const names = Object.keys(value).filter((name) => value[name] !== undefined)
    return `{${names
      .sort()
      .map((name) => `${JSON.stringify(name)}:${sameBelow(name)(value[name])}`)
      .join()}}`
  }
}

/** Names of tables come from clients, so not all are kept. */
const mostKept = 100

function sameScalar(measures: ReadonlySet<Measure>, value: unknown): string {
  if (typeof value === 'boolean') return String(value)
  if (typeof value !== 'string')
    return measures.has('number') && isDecimal(String(value)) ? `#${plainDecimal(String(value))}` : canonical(value)
  if (measures.has('number') && isDecimal(value)) return `#${plainDecimal(value)}`
  const moment = measures.has('instant') ? readInstant(value) : measures.has('time') ? readTime(value) : undefined
  return typeof moment === 'number' ? `@${moment}` : canonical(value)
}
