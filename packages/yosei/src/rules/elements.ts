/** What rules have in common that hold the elements of one list against each other. */
import { EACH, firstEach, formatAddress, lastEach, type Path, parseAddress, valueAt } from '../terms/address.js'
import { byGroup, deepest, elementsIn, type Group, grouping } from './by.js'
import { concrete, listsShared, pathOf, type RuleInput } from './input.js'

/** The path of the list whose elements hold the values of an address, and the way from an element to its value. */
function inList(address: string): { readonly list: Path; readonly rest: Path } | undefined {
  const path = parseAddress(address) ?? []
  const at = path.lastIndexOf(EACH)
  return at < 0 ? undefined : { list: path.slice(0, at), rest: path.slice(at + 1) }
}

/** The list of some addresses, if it is one and the same. */
function listOfAll(addresses: readonly string[]): string | undefined {
  const lists = new Set(addresses.map((address) => inList(address)).map((one) => one && formatAddress(one.list)))
  const [list] = lists
  return lists.size === 1 ? list : undefined
}

/** Where an element of that list is blamed. */
export function elementOf(addresses: readonly string[]): string {
  const list = listOfAll(addresses)
  return list === undefined ? (addresses[0] ?? '') : `${list}[]`
}

/** The list that holds the values of an address and none of the limits, or the address itself. */
export function listBlamed(address: string, limits: readonly string[]): string {
  const path = parseAddress(address) ?? []
  const shared = limits.length > 0 ? listsShared([path, ...limits.map((limit) => parseAddress(limit) ?? [])]).length : 0
  const each = firstEach(path, shared)
  return each < 0 ? address : formatAddress(path.slice(0, each))
}

/** The address of what holds the last list or table of an address. */
export function aroundLast(address: string): string {
  const path = parseAddress(address) ?? []
  return formatAddress(path.slice(0, Math.max(1, lastEach(path))))
}

/** What makes no sense about addresses whose elements are compared with each other. */
export function mistakeOfElements(addresses: readonly string[]): readonly [what: string, mend: string] | undefined {
  if (listOfAll(addresses) === undefined)
    return [
      `${addresses.join(' and ')} name no fields of one list`,
      "Write them as 'body.rows[].name', in the same list",
    ]
  const many = addresses.find((address) => firstEach(restOf(address)) >= 0)
  return many === undefined
    ? undefined
    : [`${many} names many values in each element`, "Name one field of the element, as 'body.rows[].name'"]
}

/** An element of the list, with its values at the addresses. */
export interface Element {
  readonly path: Path
  readonly group: Group
  readonly values: readonly unknown[]
}

/**
 * The elements of the list that some addresses share, in the groups that are judged each among themselves: those that the
 * rule speaks of, and can read.
 */
export function groupsOf(
  addresses: readonly string[],
  by: readonly string[] | undefined,
  matter: RuleInput,
): readonly (readonly Element[])[] {
  const { input, scope, isWrong, speaksOf } = matter
  const rests = addresses.map(restOf)
  const groupOf = grouping(by, matter)
  const found: Element[] = []
  for (const list of concrete(input, pathOf(listOfAll(addresses) as string, scope))) {
    const elements = valueAt(input, list)
    if (!Array.isArray(elements)) continue
    for (const [index, element] of elements.entries()) {
      const path = [...list, index]
      const group = groupOf(path)
      if (!group || !speaksOf(path) || rests.some((rest) => isWrong([...path, ...rest]))) continue
      const values = rests.map((rest) => (rest.length === 0 ? element : valueAt(element, rest)))
      found.push({ path, group, values })
    }
  }
  return byGroup(by, found).map((one) => one.elements)
}

/** By what lists such a rule is judged: the one that it looks at, or the elements that group it. */
export const eachBy = (addresses: readonly string[], by: readonly string[] | undefined): readonly string[] =>
  by === undefined ? [listOfAll(addresses) ?? ''] : elementsIn(by).length > 0 ? [deepest(elementsIn(by))] : []

/** The way from an element to what an address names in it. */
export const restOf = (address: string): Path => inList(address)?.rest ?? []
