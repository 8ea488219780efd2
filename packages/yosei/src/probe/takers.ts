/** Values that a declaration takes besides the least and the greatest. One list for each kind. */
import type { Kind, Kinds, Node } from '../kinds/kind.js'
import { type Around, stray } from './demands.js'
import { type Making, make } from './make.js'

/** A value that is taken besides the least and the greatest. */
export interface Taken {
  readonly what: string
  value(right: unknown, making: Making): unknown
}
const values = <T>(all: readonly T[], what: (one: T) => string, value: (one: T, making: Making) => unknown): Taken[] =>
  all.slice(0, 50).map((one) => ({ what: what(one), value: (_, making) => value(one, making) }))
const none = () => []

/** What else each kind takes. */
const takers: { readonly [K in Kind]: (node: Kinds[K], around: Around) => readonly Taken[] } = {
  text: none,
  integer: none,
  number: none,
  bigInteger: none,
  decimal: none,
  flag: () => values([true, false], String, (one) => one),
  instant: none,
  day: none,
  timeOfDay: none,
  duration: none,
  choice: ({ values: all }) => values(all, String, (one) => one),
  constant: none,
  list: none,
  tuple: none,
  record: ({ unlisted }, around) => {
    const lets = unlisted ?? around.unlisted
    if (lets === 'refuse' || around.source === 'text') return []
    return [{ what: 'another name', value: (right) => ({ ...(right as object), [stray]: 'x' }) }]
  },
  table: none,
  tagged: ({ tag, branches }) =>
    values(
      Object.entries(branches),
      ([value]) => value,
      ([value, branch], making) => ({ [tag]: value, ...(make(branch, making) as object) }),
    ),
  either: ({ branches }) =>
    values(
      branches,
      ({ kind }) => kind,
      (branch, making) => make(branch, making),
    ),
  later: none,
  readAs: none,
  anything: none,
  schema: none,
  file: none,
}

/** What a node takes besides, and null if that may be. */
export function takenBy(node: Node, around: Around): readonly Taken[] {
  const own = (takers[node.kind] as (node: Node, around: Around) => readonly Taken[])(node, around)
  const isNull = node.nullable && around.source !== 'text'
  return isNull ? [...own, { what: 'null', value: () => null }] : own
}
