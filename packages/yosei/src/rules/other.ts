/** Another field's value, if a condition takes one. */

import { Place } from '../kinds/phrase.js'
import { type Address, type Path, parseAddress } from '../terms/address.js'
import { isPlain } from '../terms/option-types.js'
import type { One } from './condition.js'
import { strays } from './input.js'
import { type Measure, unlike } from './measure.js'

/** The value at another address, of the type `V`. */
export interface Other<V = unknown> {
  readonly other: string
  readonly '~value'?: V
}
/** What stands in for a value `V`: any of its type. */
export type Instead<V> = Other<
  V extends string ? string : V extends number | bigint ? number | bigint : V extends boolean ? boolean : V
>
export interface OtherMaker<T> {
  /**
   * The value of another field, in place of a value in a condition. A condition on a value that was not sent does not
   * hold.
   *
   * @example
   * on.needed('body.reason', on.above('body.seats', on.other('body.room.seats')))
   */
  other<A extends Address<T>>(address: A): Other<One<T, A>>
}
export const other = { make: (address: string): Other => ({ other: address }) }

export const isOther = (value: unknown): value is Other =>
  isPlain(value) && (typeof value.other === 'string' || value.other instanceof Place) && Object.keys(value).length === 1

/** The addresses among the values that a condition takes. */
export const othersIn = (values: readonly unknown[]): readonly string[] =>
  values.filter(isOther).map((value) => value.other)

/** A value for words: an address in place of what stands there. */
export const named = (value: unknown): unknown => (isOther(value) ? value.other : value)

/** As it is seen from outside of the record whose rule it is. */
export const toldOther = ({ other }: Other, at: (address: string) => Path, value: (path: Path) => unknown): Other => {
  const path = at(other)
  return { other: new Place(path, value(path)) } as unknown as Other
}

/** What makes no sense about a condition on an address that takes those of others. */
export function mistakeOfOthers(
  condition: { readonly condition: string; readonly address: string },
  values: readonly unknown[],
  hasOrder: boolean,
  measuresOf: (address: string) => readonly Measure[],
): readonly [what: string, mend: string] | undefined {
  const { address } = condition
  const path = parseAddress(address) ?? []
  for (const one of othersIn(values)) {
    const other = parseAddress(one) ?? []
    if (strays(path, other) && strays(other, path))
      return [
        `${address} and ${one} lie in two lists, whose elements are no pairs`,
        'Compare within one list, or write a check',
      ]
    const wrong = unlike(condition.condition, [address, one], measuresOf, hasOrder)
    if (wrong) return wrong
  }
  return undefined
}
