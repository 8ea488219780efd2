/** Any condition of one's own; false blames `blames`, or the last address read. */

import { asking } from '../kinds/run.js'
import { valueAt } from '../terms/address.js'
import type { Asking, WhoIn } from '../terms/asking.js'
import { atOnce } from '../terms/at-once.js'
import { sound } from '../terms/mistake.js'
import { aMode, aName, anAddress, aStatus, aSyncFunction, aText, listOf, required } from '../terms/option-types.js'
import type { Mode } from '../terms/policy.js'

import { blamedAt, faultOf, pathOf } from './input.js'
import { callOwn, named, ownCode } from './own.js'
import {
  type Blamable,
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
    check: Check
  }
}
export interface CheckMaker<T> {
  /**
   * Your own condition. If `holds` gives `false`, the error is at `blames`, or at the last address that it reads. It
   * runs only if everything that it reads is valid. Optional fields that were not sent are `undefined`. The last
   * argument has the clock and the caller.
   */
  check<const R extends Reads<T>>(rule: {
    reads: R
    blames?: readonly Blamable<T>[] | undefined
    code: string
    message?: string | undefined
    status?: number | undefined
    mode?: Mode | undefined
    holds: (...values: [...Values<T, R>, Asking<WhoIn<T>>]) => boolean
  }): Rule
}
export interface Check extends Rule {
  readonly rule: 'check'
  readonly holds: (...values: never[]) => boolean
}

const tells: RuleInService<Check>['tells'] & {} = {
  values: none,
  at(rule, _, scope) {
    const blamed = rule.blames.map((address) => pathOf(address, scope))
    return (input) => blamed.flatMap((one) => blamedAt(input, one).map((path) => faultOf(rule, path, { about: {} })))
  },
}

/** The rule `check`, for `use`. */
export const check: RuleOf<Check> = {
  words: {},
  make: ({ blames, message, status, ...rule }: Omit<Check, 'rule' | 'blames'> & { blames?: readonly string[] }) => ({
    rule: 'check',
    blames: blames ?? rule.reads.slice(-1),
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
  judge(rule, matter) {
    const { root, input, scope, run, own, speaksOf } = matter
    const places = rule.blames.flatMap((address) => blamedAt(input, pathOf(address, scope)).filter(speaksOf))
    if (places.length === 0) return []
    const values = rule.reads.map((address) => valueAt(input, pathOf(address, scope)))
    const call = () => (own ? own.result : rule.holds(...(values as never[]), asking(run) as never))
    const isRight = callOwn(rule, root, scope, call)
    return isRight ? [] : places.map((place) => faultOf(rule, place, { about: {} }))
  },
}

export const truthOf = (rule: Check) => (value: unknown) => Boolean(atOnce(value, named(rule)))

export const checkInService: RuleInService<Check> = {
  takes: [
    {
      reads: required(listOf(anAddress)),
      code: required(aName),
      status: aStatus,
      message: aText,
      mode: aMode,
      blames: listOf(anAddress),
      holds: required(aSyncFunction('(value) => value > 1')),
    },
  ],
  compares: false,
  mistake: sound,
  code(rule, terms) {
    const values = rule.reads.map((address) => terms.value(address) ?? terms.all(address))
    const { writer } = terms
    const [holds, isTrue] = [ownCode(rule, terms, rule.holds), writer.make(truthOf, rule)]
    return `((own = ${holds}(${[...values, 'asking(run)'].join(', ')})) === true || ${isTrue}(own))`
  },
  tells,
  sentence: ({ blames }) => ({ code: 'rule', variant: 'own', at: blames }),
}
