/** A value must also pass another field. Blames what fails in it. */

import { childrenOf } from '../kinds/brought.js'
import type { Node } from '../kinds/kind.js'
import { isSecret, tellsSecret } from '../kinds/locate.js'
import type { Fault } from '../kinds/run.js'
import { type Address, type Path, valueAt } from '../terms/address.js'
import { aField, anAddress } from '../terms/option-types.js'
import type { Field, Out } from '../terms/types.js'
import type { Condition, ConditionInService, ConditionOf, One } from './condition.js'
import { concrete, eachOnce, isNone, pathOf, type RuleInput } from './input.js'
import {
  type LooseBlame,
  none,
  type Rule,
  type RuleInService,
  type RuleOf,
  type Wording,
  worded,
  wordOptions,
} from './rule.js'

declare module './rule.js' {
  interface Rules {
    fits: Fits
  }
}
declare module './condition.js' {
  interface Conditions {
    suits: Suits
  }
}
/** A field whose values the address can have; of a record, some of its fields. */
type Fitting<T, A extends string, F extends Field> = [Out<F> & One<T, A>] extends [never] ? never : F
export interface FitsMaker<T> {
  /**
   * What was read must also pass this field: absent values do. It changes nothing, so nothing in the field may: `default`,
   * `tidy`, `readAs` and `readOnly` are mistakes. Of a record it may name some fields alone.
   *
   * @example
   * on.while(on.is('body.country', 'NL'), [on.fits('body.postcode', text({ pattern: /^\d{4} ?[A-Z]{2}$/ }))])
   */
  fits<const A extends Address<T>, F extends Field>(address: A, field: Fitting<T, A, F>, options?: Wording): Rule
}
export interface SuitsMaker<T> {
  /** Whether what was read passes this field too, as with `fits`. */
  suits<const A extends Address<T>, F extends Field>(address: A, field: Fitting<T, A, F>): Condition
}
export interface Fits extends Rule {
  readonly rule: 'fits'
  readonly address: string
  readonly field: Node
}
export interface Suits {
  readonly condition: 'suits'
  readonly address: string
  readonly field: Node
}

/** The rule `fits`, for `use`. */
export const fits: RuleOf<Fits> = {
  words: {},
  make: (address: string, field: Node, { code = '', ...rest }: LooseBlame = {}) => ({
    rule: 'fits',
    code,
    address,
    field,
    reads: [address],
    blames: [address],
    ...worded(rest),
  }),
  each: ({ address }) => [address],
  waits: ({ reads }) => reads,
  elements: none,
  judgesKnown: false,
  derives: false,
  names: none,
  judge(rule, matter) {
    const { address, field, code, message, status } = rule
    const { input, scope } = matter
    return concrete(input, pathOf(address, scope)).flatMap((path) => {
      const value = valueAt(input, path)
      if (isNone(value)) return []
      return faultsAt(path, field, value, matter).map((fault) => ({
        ...fault,
        path: [...path, ...fault.path],
        stage: 'rules' as const,
        by: rule,
        ...(code === '' ? {} : { code, saidAs: fault.saidAs ?? fault.code }),
        ...(message === undefined ? {} : { messages: message }),
        ...(status === undefined ? {} : { status }),
      }))
    })
  },
}

export const fitsInService: RuleInService<Fits> = {
  takes: [anAddress, aField, wordOptions],
  compares: false,
  mistake: ({ field }) => mistakeOfField(field),
  code({ address, field }, terms) {
    const [value, passes] = [terms.value(address), terms.passes(address, field)]
    return value === undefined || passes === undefined ? undefined : `(${value} == null || ${passes})`
  },
  sentence: ({ blames }) => ({ code: 'rule', variant: 'fits', at: blames }),
}

/** What the field finds wrong. What is a secret if it was read stays one; a rule inside may speak of it elsewhere. */
function faultsAt(path: Path, field: Node, value: unknown, { root, sent, fit }: RuleInput): readonly Fault[] {
  const given = valueAt(sent, path)
  if (isSecret(root, path)) return fit(field, value, given, true)
  const open = fit(field, value, given, false)
  if (open.length === 0 || !tellsSecret(root, path)) return open
  const hidden = fit(field, value, given, true)
  return open.map((fault, at) => {
    const veiled = hidden[at] as Fault
    if (isSecret(root, [...path, ...fault.path])) return veiled
    return fault.stage === 'rules' ? { ...veiled, path: fault.path } : fault
  })
}

export const suits: ConditionOf<Suits> = {
  make: (address: string, field: Node) => ({ condition: 'suits', address, field }),
  addresses: ({ address }) => [address],
  holding: ({ address, field }, matter) => passes(address, field, matter),
  told: (condition) => condition,
  words: ({ address }, say) => say('when.suits', { address }),
  negated: () => undefined,
}

export const suitsInService: ConditionInService<Suits> = {
  takes: [anAddress, aField],
  mistake: ({ field }) => mistakeOfField(field),
  code({ address, field }, terms) {
    const [value, suits] = [terms.value(address), terms.suits(address, field)]
    return value === undefined || suits === undefined ? undefined : `(${value} != null && ${suits})`
  },
}

function passes(address: string, field: Node, { input, sent, scope, fit }: RuleInput) {
  const path = pathOf(address, scope)
  return eachOnce([path], (steps) =>
    concrete(input, path, steps).some((place) => {
      const value = valueAt(input, place)
      return !isNone(value) && fit(field, value, valueAt(sent, place), true).length === 0
    }),
  )
}

/** What would change what was read has no place where it is only looked at. */
function mistakeOfField(field: Node, seen = new Set<Node>()): readonly [what: string, mend: string] | undefined {
  if (seen.has(field)) return undefined
  seen.add(field)
  const changes =
    field.kind === 'readAs'
      ? 'readAs'
      : field.need === 'defaulted'
        ? 'default'
        : field.readOnly
          ? 'readOnly'
          : field.kind === 'text' && field.tidy
            ? 'tidy'
            : undefined
  if (changes) return [`its field has ${changes}, and changes nothing`, `Take ${changes} away`]
  for (const [, child] of childrenOf(field)) {
    const wrong = mistakeOfField(child, seen)
    if (wrong) return wrong
  }
  return undefined
}
