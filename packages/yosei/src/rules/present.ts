/** Something was sent there. */

import type { Address } from '../terms/address.js'
import { sound } from '../terms/mistake.js'
import { anAddress } from '../terms/taken.js'
import type { Condition, ConditionOf } from './condition.js'
import { concrete, eachOnce, isPresent, pathOf } from './matter.js'

declare module './condition.js' {
  interface Conditions {
    present: { readonly condition: 'present'; readonly address: string }
  }
}
export interface PresentMaker<T> {
  /** Something was sent there. */
  present(address: Address<T>): Condition
}

export const present: ConditionOf<{ readonly condition: 'present'; readonly address: string }> = {
  make: (address: string) => ({ condition: 'present', address }),
  takes: [anAddress],
  addresses: ({ address }) => [address],
  mistake: sound,
  code: ({ address }, terms) => terms.isSent(address),
  holding({ address }, matter) {
    const path = pathOf(address, matter.scope)
    return eachOnce([path], (steps) => concrete(matter.input, path, steps).some((place) => isPresent(matter, place)))
  },
  told: (condition) => condition,
  words: ({ address }, say) => say('when.present', { address }),
  negated: ({ address }, say) => say('when.not.present', { address }),
}
