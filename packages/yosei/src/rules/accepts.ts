/** The client takes a media type (RFC 9110, section 12.5.1). */

import { weightOf } from '../grammar/accept.js'
import { quote } from '../kinds/quote.js'
import { sound } from '../terms/mistake.js'
import { aText } from '../terms/option-types.js'
import type { Condition, ConditionInService, ConditionOf } from './condition.js'

declare module './condition.js' {
  interface Conditions {
    accepts: { readonly condition: 'accepts'; readonly type: string }
  }
}
export interface AcceptsMaker {
  /** The client takes this media type (RFC 9110, section 12.5.1). */
  accepts(type: string): Condition
}

export const accepts: ConditionOf<{ readonly condition: 'accepts'; readonly type: string }> = {
  make: (type: string) => ({ condition: 'accepts', type }),
  addresses: () => [],
  holding({ type }, { accept }) {
    const isOptionType = accept === undefined || weightOf(type, accept) > 0
    return () => isOptionType
  },
  told: (condition) => condition,
  words: ({ type }, say) => say('when.accepts', { value: type }),
  negated: () => undefined,
}

export const acceptsInService: ConditionInService<{ readonly condition: 'accepts'; readonly type: string }> = {
  takes: [aText],
  mistake: sound,
  code: ({ type }, { writer }) => `(accept === undefined || ${writer.bind(weightOf)}(${quote(type)}, accept) > 0)`,
}
