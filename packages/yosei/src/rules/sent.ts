/** Something was sent there. */

import type { Address } from '../terms/address.js'
import { sound } from '../terms/mistake.js'
import { anAddress } from '../terms/option-types.js'
import type { Condition, ConditionInService, ConditionOf } from './condition.js'
import { concrete, eachOnce, isPresent, pathOf } from './input.js'

declare module './condition.js' {
  interface Conditions {
    sent: { readonly condition: 'sent'; readonly address: string }
  }
}
export interface SentMaker<T> {
  /** Something was sent there. */
  sent(address: Address<T>): Condition
}

export const sent: ConditionOf<{ readonly condition: 'sent'; readonly address: string }> = {
  make: (address: string) => ({ condition: 'sent', address }),
  addresses: ({ address }) => [address],
  holding({ address }, matter) {
    const path = pathOf(address, matter.scope)
    return eachOnce([path], (steps) => concrete(matter.input, path, steps).some((place) => isPresent(matter, place)))
  },
  told: (condition) => condition,
  words: ({ address }, say) => say('when.sent', { address }),
  negated: ({ address }, say) => say('when.not.sent', { address }),
}

export const sentInService: ConditionInService<{ readonly condition: 'sent'; readonly address: string }> = {
  takes: [anAddress],
  mistake: sound,
  code: ({ address }, terms) => terms.isSent(address),
}
