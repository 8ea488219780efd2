/** Any search of one's own for faults, each at its exact place. */

import { asking } from '../kinds/run.js'
import { parseAddress, valueAt } from '../terms/address.js'
import type { Asking, WhoIn } from '../terms/asking.js'
import { sound } from '../terms/mistake.js'
import { aMode, aName, anAddress, aStatus, aSyncFunction, aText, listOf, required } from '../terms/option-types.js'
import type { Mode } from '../terms/policy.js'
import { faultOf, pathOf } from './input.js'
import { callOwn, ownCode } from './own.js'
import {
  type Found,
  none,
  type Reads,
  type Rule,
  type RuleInService,
  type RuleOf,
  type Values,
  worded,
} from './rule.js'

declare module './rule.js' {
  interface Rules {
    find: Find
  }
}
export interface FindMaker<T> {
  /**
   * Your own search for errors, each at its exact place (`body.windows[3].closes`). The last argument has the clock and
   * the caller.
   */
  find<const R extends Reads<T>>(rule: {
    reads: R
    code: string
    message?: string | undefined
    status?: number | undefined
    mode?: Mode | undefined
    finds: (...values: [...Values<T, R>, Asking<WhoIn<T>>]) => readonly Found[]
  }): Rule
}
export interface Find extends Rule {
  readonly rule: 'find'
  readonly finds: (...values: never[]) => readonly Found[]
}

/** The rule `find`, for `use`. */
export const find: RuleOf<Find> = {
  words: {},
  make: ({ message, status, ...rule }: Omit<Find, 'rule' | 'blames'>) => ({
    rule: 'find',
    blames: [],
    ...rule,
    ...worded({ message, status }),
  }),
  each: none,
  waits: none,
  elements: ({ reads, blames }) => [...reads, ...blames],
  judgesKnown: false,
  callsOwn: true,
  derives: false,
  names: none,
  judge(rule, { root, input, scope, run, own, speaksOf }) {
    const values = rule.reads.map((address) => valueAt(input, pathOf(address, scope)))
    const call = () => (own ? own.result : rule.finds(...(values as never[]), asking(run) as never))
    const found = callOwn(rule, root, scope, call) as readonly Found[]
    return found.flatMap(({ at, code = rule.code, message }) => {
      // Where it names no place, it is at the first field that the rule reads.
      const path = parseAddress(at)
      const place = path ? [...scope.concrete, ...path] : pathOf(rule.reads[0] ?? 'body', scope)
      if (!speaksOf(place)) return []
      return [faultOf(rule, place, { code, ...(message === undefined ? {} : { messages: message }) })]
    })
  },
}

export const findInService: RuleInService<Find> = {
  takes: [
    {
      reads: required(listOf(anAddress)),
      code: required(aName),
      status: aStatus,
      mode: aMode,
      message: aText,
      finds: required(aSyncFunction('(rows) => []')),
    },
  ],
  compares: false,
  mistake: sound,
  code(rule, terms) {
    const values = rule.reads.map((address) => terms.value(address) ?? terms.all(address))
    return `(own = ${ownCode(rule, terms, rule.finds)}(${[...values, 'asking(run)'].join(', ')})).length === 0`
  },
  sentence: ({ reads }) => ({ code: 'rule', variant: 'own', at: reads }),
}
