/** What rules have in common that judge elements in groups: those that share some values. */
import type { Node } from '../kinds/kind.js'
import { nodesAt } from '../kinds/locate.js'
import { Phrase, Place, quoted, type Speech } from '../kinds/phrase.js'
import { sameAs } from '../kinds/same.js'
import { formatAddress, isEach, lastEach, type Path, parseAddress, valueAt } from '../terms/address.js'
import type { Mistake } from '../terms/mistake.js'
import { beside, declaredAt, isNone, listsShared, pathOf, type RuleInput, strays } from './input.js'
import { toldAt } from './measure.js'
import type { Terms } from './terms.js'

/** Whether an address names elements themselves: each is a group of its own. */
const isElement = (address: string) => isEach(parseAddress(address)?.at(-1))
/** The addresses whose values elements of a group share. */
export const valuesIn = (by: readonly string[] = []): readonly string[] => by.filter((one) => !isElement(one))
/** The elements by which a rule is judged one by one; with a `[]` at their end. */
export const elementsIn = (by: readonly string[] = []): readonly string[] => by.filter(isElement)

/** The deepest of some addresses: the one that goes through most lists. */
export const deepest = (addresses: readonly string[]): string =>
  addresses.reduce((deep, one) => (lastEach(parseAddress(one) ?? []) > lastEach(parseAddress(deep) ?? []) ? one : deep))

/** By what elements a rule is judged that has limits: those that hold a limit, or that are groups. */
export function eachBounded(
  leads: readonly string[],
  limits: readonly string[],
  by: readonly string[] | undefined,
): readonly string[] {
  const paths = limits.length === 0 ? [] : [...leads, ...limits].map((one) => parseAddress(one) ?? [])
  const each = [formatAddress(listsShared(paths)), ...elementsIn(by)].filter((one) => one !== '')
  return each.length === 0 ? [] : [deepest(each)]
}

/** A group of elements: what is the same of them, and how it is described. */
export interface Group {
  readonly key: string
  readonly values: readonly { readonly place: Place; readonly value: unknown }[]
}

/** The group of all, if there is only one. */
const ungrouped: Group = { key: '', values: [] }

/** Of which group an element is; `undefined` if that cannot be read. Those that lack a value form one of their own. */
export function grouping(by: readonly string[] | undefined, matter: RuleInput): (element: Path) => Group | undefined {
  const { root, input, scope, isWrong } = matter
  const shared = valuesIn(by).map((address) => {
    const declared = declaredAt(address, scope)
    return { path: pathOf(address, scope), declared, same: sameAs(nodesAt(root, declared)) }
  })
  if (shared.length === 0) return () => ungrouped
  return (element) => {
    const found = shared.map(({ path, declared, same }) => {
      const place = beside(path, element)
      const value = valueAt(input, place)
      return {
        place: new Place(path),
        value: toldAt(root, declared, value),
        key: isNone(value) ? null : same(value),
        isWrong: isWrong(place),
      }
    })
    if (found.some((one) => one.isWrong)) return undefined
    return { key: JSON.stringify(found.map(({ key }) => key)), values: found }
  }
}

/** Elements by their groups. Without values that groups share there is one group, be it empty. */
export function byGroup<E extends { readonly group: Group }>(
  by: readonly string[] | undefined,
  elements: readonly E[],
): readonly { readonly group: Group; readonly elements: readonly E[] }[] {
  const groups = new Map<string, { readonly group: Group; readonly elements: E[] }>()
  if (valuesIn(by).length === 0) groups.set(ungrouped.key, { group: ungrouped, elements: [] })
  for (const one of elements) {
    const known = groups.get(one.group.key)
    if (known) known.elements.push(one)
    else groups.set(one.group.key, { group: one.group, elements: [one] })
  }
  return [...groups.values()]
}

/** What something comes to, and of which group: `7, of those with body.shifts[].worker ada`. */
class OfGroup extends Phrase {
  constructor(
    readonly added: Phrase | string,
    readonly values: Group['values'],
  ) {
    super()
  }
  words(speech: Speech): string {
    const { say, show, address } = speech
    const shared = this.values.map(({ place, value }) =>
      isNone(value)
        ? say('group.without', { address: address(place.path) })
        : `${address(place.path)} ${show(quoted(value))}`,
    )
    const added = typeof this.added === 'string' ? this.added : this.added.words(speech)
    return say('group.of', { added, group: shared.join(say('when.all', {}) || ', ') })
  }
}
export const ofGroup = ({ values }: Group, added: Phrase | string): Phrase | string =>
  values.length === 0 ? added : new OfGroup(added, values)

export const sameAt = (root: Node, path: Path) => sameAs(nodesAt(root, path))

/** What tells groups apart, as code, at an element; `undefined` if code cannot say it. */
function groupCode(by: readonly string[] | undefined, inside: Terms): string | undefined {
  const { writer } = inside
  const keys = valuesIn(by).map((address) => {
    const value = inside.value(address)
    if (value === undefined) return undefined
    const name = writer.name('g')
    writer.line(`const ${name} = ${value}`)
    const sort = inside.sort(address)
    const same = () => writer.make(sameAt, inside.root, inside.path(address))
    const key = sort === 'instant' ? `${name}.getTime()` : sort === 'other' ? `${same()}(${name})` : name
    return { name, key, isText: sort === 'text' || sort === 'other' }
  })
  if (keys.includes(undefined)) return undefined
  const known = keys as readonly { name: string; key: string; isText: boolean }[]
  const [only] = known
  if (only && known.length === 1) return `(${only.name} == null ? null : ${only.key})`
  const written = known.map(({ name, key, isText }) =>
    isText ? `(${name} == null ? "-" : ${key}.length + ":" + ${key})` : `(${name} == null ? "-" : "" + ${key})`,
  )
  return written.join(' + " " + ')
}

/** What is gathered of the elements of each group, as code. */
export interface Gathered {
  /** Writes what an element adds to what its group has gathered; whether code can say which group that is. */
  add(inside: Terms, write: (gathered: string) => void): boolean
  /** Whether all of it is right. */
  every(test: (gathered: string) => string): string
}
/** Gathers by groups, each of which starts with what `start` makes. */
export function gather(by: readonly string[] | undefined, start: string, { writer }: Terms): Gathered {
  if (valuesIn(by).length === 0) {
    const only = writer.name('g')
    writer.line(`let ${only} = ${start}`)
    return {
      add(_, write) {
        write(only)
        return true
      },
      every: (test) => test(only),
    }
  }
  const groups = writer.name('m')
  writer.line(`const ${groups} = new Map()`)
  return {
    add(inside, write) {
      const code = groupCode(by, inside)
      if (code === undefined) return false
      const [key, known, one] = [writer.name('g'), writer.name('g'), writer.name('g')]
      writer.line(`const ${key} = ${code}, ${known} = ${groups}.get(${key})`)
      writer.line(`let ${one} = ${known} ?? ${start}`)
      write(one)
      writer.line(`if (${one} !== ${known}) ${groups}.set(${key}, ${one})`)
      return true
    },
    every(test) {
      const [holds, one] = [writer.name('h'), writer.name('g')]
      writer.line(`let ${holds} = true`)
      writer.block(`for (const ${one} of ${groups}.values()) {`, () => {
        writer.line(`if (!(${test(one)})) ${holds} = false`)
      })
      return holds
    },
  }
}

/** What makes no sense about the addresses that elements are grouped by. */
export function mistakeOfBy(by: readonly string[] | undefined, elements: readonly string[]): Mistake | undefined {
  if (by?.length === 0) return ['by names nothing', "Name what they share: by: ['body.rows[].team']"]
  const pathsOf = (one: string) => parseAddress(one) ?? []
  const stray = by?.find((one) => elements.some((element) => strays(pathsOf(one), pathsOf(element))))
  if (stray !== undefined)
    return [
      `${stray} is no one value for each ${elements[0]}`,
      'Name a field of the same element, or of one that it lies in',
    ]
  const alone = elementsIn(by).find((one) =>
    elements.every((element) => lastEach(pathsOf(element)) <= lastEach(pathsOf(one))),
  )
  return alone === undefined
    ? undefined
    : [`by ${alone} leaves each element alone`, 'Name what elements share, or the list around theirs']
}
