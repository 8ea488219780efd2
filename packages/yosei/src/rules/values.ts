/** Conditions on the values at an address. */
import { valueAt } from '../terms/address.js'
import type { Holding } from './condition.js'
import { concrete, eachOnce, isNone, type Matter, pathOf } from './matter.js'
import { type Order, orderAt } from './measure.js'

/** Holds where a value that is there passes the test. */
export function valuesHold(
  address: string,
  { root, input, scope }: Matter,
  test: (value: unknown, order: Order) => boolean,
): Holding {
  const path = pathOf(address, scope)
  const order = orderAt(root, path)
  return eachOnce(path, (indices) =>
    concrete(input, path, indices).some((place) => {
      const value = valueAt(input, place)
      return !isNone(value) && test(value, order)
    }),
  )
}
