/** Conditions on the values at an address. */
import { valueAt } from '../terms/address.js'
import type { Holding } from './condition.js'
import { concrete, eachOnce, isExact, isNone, type Matter, pathOf } from './matter.js'

/** Holds where a value that is there passes the test. `exact` says that it is a decimal, and compares by its digits. */
export function valuesHold(
  address: string,
  { root, input, base }: Matter,
  test: (value: unknown, exact: boolean) => boolean,
): Holding {
  const path = pathOf(address, base)
  const exact = isExact(root, path)
  return eachOnce(path, (indices) =>
    concrete(input, path, indices).some((place) => {
      const value = valueAt(input, place)
      return !isNone(value) && test(value, exact)
    }),
  )
}
