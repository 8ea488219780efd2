/** Rules between fields, as data: what each reads, what it blames, and the code that it gives. */
import { type Address, type At, EACH, formatAddress, parseAddress } from '../terms/address.js'
import type { Bounds } from '../terms/declared.js'
import { type AnyCondition, addressesIn, type Condition, type ConditionMaker, conditionMaker } from './conditions.js'

interface Common {
  readonly code: string
  readonly message?: string
  /** Addresses of the fields that the rule needs. */
  readonly reads: readonly string[]
  /** Addresses at which its error is told. */
  readonly blames: readonly string[]
}
interface ComparingRule extends Common {
  readonly rule: 'ascending' | 'equal' | 'different'
  readonly orEqual?: boolean
}
interface GroupRule extends Common {
  readonly rule: 'together' | 'exactlyOne' | 'atLeastOne' | 'atMostOne'
}
interface ConditionalRule extends Common {
  readonly rule: 'needed' | 'absent'
  readonly address: string
  readonly when: AnyCondition
}
interface SumRule extends Common {
  readonly rule: 'sumWithin'
  readonly address: string
  readonly bounds: Bounds | { readonly atMost: string }
}
interface CheckRule extends Common {
  readonly rule: 'check'
  readonly holds: (...values: never[]) => boolean
}
interface FindRule extends Common {
  readonly rule: 'find'
  readonly finds: (...values: never[]) => readonly Found[]
}
export interface FillRule extends Common {
  readonly rule: 'fill'
  readonly address: string
  readonly make: (...values: never[]) => unknown
}
export type AnyRule = ComparingRule | GroupRule | ConditionalRule | SumRule | CheckRule | FindRule | FillRule

/** A rule as a declaration gives it: its code, and the addresses that it reads and blames. */
export type Rule = Common

/** Own words for a rule's error, and another place for it. */
export interface Blame {
  code?: string
  message?: string
  blames?: readonly string[]
}
/** One thing found wrong by an own rule, at an exact place. */
export interface Found {
  readonly at: string
  readonly code?: string
  readonly message?: string
}

export type Reads<T> = readonly Address<T>[]
export type Values<T, R extends Reads<T>> = { [I in keyof R]: At<T, R[I]> }

/** Whether two addresses go through the same lists as long as both go through any: elements of two lists are no pairs. */
type Paired<A extends string, B extends string> = A extends `${infer P}[]${infer InA}`
  ? B extends `${infer Q}[]${infer InB}`
    ? [P, Q] extends [Q, P]
      ? Paired<InA, InB>
      : false
    : true
  : true
/** The second address, where one value can be the other. */
type Alike<T, A extends Address<T>, B extends Address<T>> =
  Paired<A, B> extends false
    ? never
    : [NonNullable<At<T, B>>] extends [NonNullable<At<T, A>>]
      ? B
      : [NonNullable<At<T, A>>] extends [NonNullable<At<T, B>>]
        ? B
        : never

/** Makes the rules of an endpoint whose accepted input is `T`, or of a record that is read to `T`. */
export interface RuleMaker<T> extends ConditionMaker<T> {
  /** low < high (or ≤ with `orEqual`). Blames `high`. */
  ascending<A extends Address<T>, B extends Address<T>>(
    low: A,
    high: Paired<A, B> extends false ? never : NonNullable<At<T, B>> extends NonNullable<At<T, A>> ? B : never,
    options?: Blame & { orEqual?: boolean },
  ): Rule
  /** Both the same. Blames the second. */
  equal<A extends Address<T>, B extends Address<T>>(first: A, second: Alike<T, A, B>, options?: Blame): Rule
  /** Not both the same. Blames the second. */
  different<A extends Address<T>, B extends Address<T>>(first: A, second: Alike<T, A, B>, options?: Blame): Rule
  /** All of them were sent, or none. Blames their nearest common parent, like the other rules on groups. */
  together(...addresses: Reads<T>): Rule
  exactlyOne(...addresses: Reads<T>): Rule
  /** One of them was sent, or more. */
  atLeastOne(...addresses: Reads<T>): Rule
  atMostOne(...addresses: Reads<T>): Rule
  /** Must be sent while the condition holds. */
  needed(address: Address<T>, when: Condition): Rule
  /** Must not be sent while the condition holds. */
  absent(address: Address<T>, when: Condition): Rule
  /** The sum over a list, or the value itself, lies within. Blames the list. */
  sumWithin(address: Address<T>, bounds: Bounds | { atMost: Address<T> }, options?: Blame): Rule
  /** Any condition; false blames `blames`, or the last address read. Called only when all that it reads is present and sound. */
  check<const R extends Reads<T>>(rule: {
    reads: R
    blames?: Reads<T>
    code: string
    message?: string
    holds: (...values: Values<T, R>) => boolean
  }): Rule
  /** Any search for faults, each at its exact place (`body.windows[3].closes`). */
  find<const R extends Reads<T>>(rule: {
    reads: R
    code: string
    message?: string
    finds: (...values: Values<T, R>) => readonly Found[]
  }): Rule
  /** A value derived from others when it was not sent, before any rule runs. `undefined` leaves it unsent. */
  fill<A extends Address<T>, const R extends Reads<T>>(
    address: A,
    reads: R,
    make: (...values: Values<T, R>) => NonNullable<At<T, A>> | undefined,
  ): Rule
}

const words = (message: string | undefined) => (message === undefined ? {} : { message })

/** The longest address that all of them lie in; the first of them where they share no part. */
function commonParent(addresses: readonly string[]): string {
  const paths = addresses.map((address) => parseAddress(address) ?? [])
  const first = paths[0] ?? []
  let shared = 0
  while (shared < first.length - 1 && paths.every((path) => path[shared] === first[shared])) shared++
  return shared === 0 ? (addresses[0] ?? '') : formatAddress(first.slice(0, shared))
}

/** The list that holds the values of an address, or the address itself. */
function listOf(address: string): string {
  const path = parseAddress(address) ?? []
  const each = path.indexOf(EACH)
  return each < 0 ? address : formatAddress(path.slice(0, each))
}

const comparing =
  <R extends ComparingRule['rule']>(rule: R, usual: string) =>
  (first: string, second: string, { code = usual, blames = [second], orEqual, message }: Blame & { orEqual?: boolean } = {}) => ({
    rule,
    code,
    reads: [first, second],
    blames,
    ...(rule === 'ascending' ? { orEqual: orEqual ?? false } : {}),
    ...words(message),
  })
const group =
  <R extends GroupRule['rule']>(rule: R, code: string) =>
  (...addresses: string[]) => ({ rule, code, reads: addresses, blames: [commonParent(addresses)] })
const conditional =
  <R extends ConditionalRule['rule']>(rule: R, code: string) =>
  (address: string, when: AnyCondition) => ({ rule, code, address, when, reads: [address, ...addressesIn(when)], blames: [address] })

/** The types stand in `RuleMaker`; at run time one maker serves every endpoint. */
export const ruleMaker = {
  ...conditionMaker,
  ascending: comparing('ascending', 'out_of_order'),
  equal: comparing('equal', 'unequal'),
  different: comparing('different', 'equal_not_allowed'),
  together: group('together', 'not_together'),
  exactlyOne: group('exactlyOne', 'more_than_one'),
  atLeastOne: group('atLeastOne', 'none_present'),
  atMostOne: group('atMostOne', 'more_than_one'),
  needed: conditional('needed', 'needed'),
  absent: conditional('absent', 'not_allowed_here'),
  sumWithin: (
    address: string,
    bounds: SumRule['bounds'],
    { code = 'above_max', blames = [listOf(address)], message }: Blame = {},
  ): SumRule => ({
    rule: 'sumWithin',
    code,
    address,
    bounds,
    reads: [address, ...('atMost' in bounds ? [bounds.atMost] : [])],
    blames,
    ...words(message),
  }),
  check: ({ blames, message, ...rule }: Omit<CheckRule, 'rule' | 'blames'> & { blames?: readonly string[] }): CheckRule => ({
    rule: 'check',
    blames: blames ?? rule.reads.slice(-1),
    ...rule,
    ...words(message),
  }),
  find: ({ message, ...rule }: Omit<FindRule, 'rule' | 'blames'>): FindRule => ({ rule: 'find', blames: [], ...rule, ...words(message) }),
  fill: (address: string, reads: readonly string[], make: FillRule['make']): FillRule => ({
    rule: 'fill',
    code: '',
    address,
    make,
    reads,
    blames: [],
  }),
} satisfies { [K in AnyRule['rule']]: (...args: never[]) => AnyRule } & object

/** The addresses that a rule names, for a declaration to be held against. */
export const addressesOf = (rule: AnyRule): readonly string[] => [
  ...new Set([...rule.reads, ...rule.blames, ...('address' in rule ? [rule.address] : [])]),
]

/** A rule where it applies: those of a record lie below it. */
export interface PlacedRule {
  readonly rule: AnyRule
  readonly base: readonly (string | number)[]
  /** The branch of a union that must be chosen there. */
  readonly guards: readonly { readonly path: readonly (string | number)[]; readonly value: string }[]
}
