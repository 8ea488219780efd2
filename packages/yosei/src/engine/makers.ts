/** What constants of code are made by, and what of the library they are, by name: prepared code looks them up where it runs. */
import { weightOf } from '../grammar/accept.js'
import { compareDecimals } from '../grammar/numbers.js'
import { monthsLater, readDay } from '../grammar/times.js'
import { childrenOf } from '../kinds/brought.js'
import { valuesBySent, valuesOf } from '../kinds/choice.js'
import { constantOf, textOf } from '../kinds/constant.js'
import { dayLimit, weekdayTest } from '../kinds/day.js'
import { instantLimit } from '../kinds/instant.js'
import type { Node } from '../kinds/kind.js'
import { formatCheck } from '../kinds/text.js'
import { isAcyclic, refer } from '../rules/acyclic.js'
import { apartTest } from '../rules/apart.js'
import { atLeastOneCode } from '../rules/at-least-one.js'
import { atMostOneCode } from '../rules/at-most-one.js'
import { sameAt } from '../rules/by.js'
import { truthOf } from '../rules/check.js'
import { exactlyOneCode } from '../rules/exactly-one.js'
import { orderAt } from '../rules/measure.js'
import { openTest } from '../rules/open-at.js'
import { guarded } from '../rules/own.js'
import { togetherCode } from '../rules/together.js'
import { merged } from '../terms/option-types.js'
import { called } from './compiler.js'
import { scalarReader, startDefault } from './emit.js'
import { reportAt } from './emit-rules.js'
import { sendable } from './interpret.js'

type Called = (...given: never[]) => unknown

const childOf = (node: Node, index: number) => childrenOf(node)[index]?.[1]

export const makers = {
  apartTest,
  childOf,
  dayLimit,
  formatCheck,
  guarded,
  instantLimit,
  openTest,
  orderAt,
  reportAt,
  sameAt,
  scalarReader,
  sendable,
  startDefault,
  textOf,
  truthOf,
  constantOf,
  valuesBySent,
  valuesOf,
  weekdayTest,
  // Called as they are.
  atLeastOneCode,
  atMostOneCode,
  compareDecimals,
  exactlyOneCode,
  isAcyclic,
  monthsLater,
  readDay,
  refer,
  togetherCode,
  weightOf,
} satisfies { readonly [name: string]: Called }

/** A function that is made when it is first called. */
function apart(make: () => Called): Called {
  let made: Called | undefined
  return (...given) => {
    made ??= make()
    return made(...given)
  }
}

/** What prepared code calls by name. */
export const library = /* @__PURE__ */ merged(called, { apart, makers })
