/** Lookups that ask one question for all elements of a list: what is asked, and which elements nothing was found for. */
import type { BatchFinds, LookupNode } from '../declare/lookups.js'
import { measuresOf } from '../kinds/brought.js'
import type { Node } from '../kinds/kind.js'
import { nodesAt, shapesOf } from '../kinds/locate.js'
import { sameAs } from '../kinds/same.js'
import { deepest } from '../rules/by.js'
import { holdingOf } from '../rules/conditions.js'
import { beside, concrete, everywhere, isNone, pathOf, type RuleInput } from '../rules/input.js'
import { firstEach, lastEach, type Path, valueAt } from '../terms/address.js'

export interface Batch {
  /** What makes each question another than the others. */
  readonly keys: readonly string[]
  /** What `ask` gets: of an address in a list an array, as long as there are questions. */
  readonly values: readonly unknown[]
  /** What each question is about, if that is one value. */
  readonly about: readonly unknown[] | undefined
  keyOf(...values: readonly unknown[]): string
  /** What the elements that ask a question ask about. */
  placesOf(key: string): readonly Path[]
}

const isMany = (path: Path) => firstEach(path) >= 0
const toFirstList = (path: Path) => (isMany(path) ? path.slice(0, firstEach(path) + 1) : path)

/** The questions of a lookup; `undefined` if something that it reads was not sent. */
export function batchOf(lookup: LookupNode, matter: RuleInput): Batch | undefined {
  const { input, root } = matter
  const paths = lookup.reads.map((address) => pathOf(address, everywhere))
  const many = paths.filter(isMany)
  const lead = pathOf(deepest(lookup.reads), everywhere)
  if (paths.some((path) => valueAt(input, toFirstList(path)) === undefined)) return undefined
  const keyOf = keyFor(many.map((path) => nodesAt(root, path)))
  const { columns, asks, placeOf } = elementsOf(lookup, matter, many, lead)
  const [column = []] = columns
  const keyAt = (element: number) =>
    many.length === 1 ? keyOf(column[element]) : keyOf(...columns.map((one) => one[element]))
  /** The first element that asks each question. */
  const first = new Map<string, number>()
  for (let element = 0; element < column.length; element++) {
    if (!asks(element)) continue
    const key = keyAt(element)
    if (!first.has(key)) first.set(key, element)
  }
  const asking = [...first.values()]
  const values = paths.map((path) => {
    const own = columns[many.indexOf(path)]
    return own ? asking.map((element) => own[element]) : valueAt(input, path)
  })
  let byKey: Map<string, Path[]> | undefined
  const placesByKey = () => {
    const found = new Map([...first.keys()].map((key): [string, Path[]] => [key, []]))
    for (const element of column.keys()) if (asks(element)) found.get(keyAt(element))?.push(placeOf(element))
    return found
  }
  const placesOf = (key: string) => {
    byKey ??= placesByKey()
    return byKey.get(key) ?? []
  }
  const about = many.length === 1 ? (values[paths.indexOf(many[0] as Path)] as readonly unknown[]) : undefined
  return { keys: [...first.keys()], values, about, keyOf, placesOf }
}

interface Elements {
  /** At each address, the value of each element. */
  readonly columns: readonly (readonly unknown[])[]
  asks(element: number): boolean
  /** The first of what an element asks about. */
  placeOf(element: number): Path
}
function elementsOf({ when }: LookupNode, matter: RuleInput, many: readonly Path[], lead: Path): Elements {
  const { input } = matter
  const at = (path: Path, place: Path) => (path === lead ? place : beside(path, place))
  let places: readonly Path[] | undefined
  const placeOf = (element: number) => {
    places ??= concrete(input, lead)
    return at(many[0] as Path, places[element] as Path)
  }
  // Most ask about one value of each element: places are looked for only if something is wrong there.
  const alone = many.length === 1 && !when && firstEach(lead) === lastEach(lead) ? valueAt(input, lead) : undefined
  if (Array.isArray(alone)) return { columns: [alone], asks: (element) => !isNone(alone[element]), placeOf }
  const holds = when && holdingOf(when, matter)
  const found = concrete(input, lead)
  places = found
  const columns = many.map((path) => found.map((place) => valueAt(input, at(path, place))))
  const areAsked = found.map((place, index) => !columns.some((one) => isNone(one[index])) && (!holds || holds(place)))
  return { columns, asks: (element) => areAsked[element] === true, placeOf }
}

/** What makes questions about values that are declared so the same. */
function keyFor(declared: readonly (readonly Node[])[]): Batch['keyOf'] {
  const [only] = declared
  if (!only || declared.length > 1) {
    const same = declared.map(sameAs)
    return (...values) => JSON.stringify(values.map((value, index) => same[index]?.(value)))
  }
  // Plain texts are the same if they are equal.
  if (only.flatMap(shapesOf).every((shape) => measuresOf(shape).every((measure) => measure === 'text')))
    return (value) => value as string
  return sameAs(only)
}

/** What was found of each question, in their order. */
export function answersOf({ keys, about, keyOf }: Batch, answer: unknown): readonly unknown[] {
  if (Array.isArray(answer) && answer.length === keys.length) return answer
  if (answer instanceof Map && about) {
    let byKey: Map<string, unknown> | undefined
    const alike = (key: string) => {
      byKey ??= new Map(Array.from(answer, ([value, one]) => [keyOf(value), one]))
      return byKey.get(key)
    }
    return about.map((value, index) => {
      const one = answer.get(value)
      return one !== undefined || answer.has(value) ? one : alike(keys[index] as string)
    })
  }
  throw new TypeError(
    `a lookup with batch answers with a Map, or with an array of as many answers as there were questions (${keys.length})`,
  )
}

/** What a batch found, by what was asked: equal as rules compare. */
export class Finds implements BatchFinds<readonly unknown[], unknown> {
  readonly #batch: Batch
  readonly #found: readonly unknown[]
  #byKey?: ReadonlyMap<string, unknown>
  constructor(batch: Batch, found: readonly unknown[]) {
    this.#batch = batch
    this.#found = found
  }
  get(...values: readonly unknown[]): unknown {
    this.#byKey ??= new Map(this.#batch.keys.map((key, at) => [key, this.#found[at]]))
    return this.#byKey.get(this.#batch.keyOf(...values))
  }
  get size(): number {
    return this.#found.length
  }
  [Symbol.iterator](): IterableIterator<unknown> {
    return this.#found.values()
  }
}
