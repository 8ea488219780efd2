/** Rules between fields, as data: what each reads, what it blames, and the code that it gives. */
import { type Address, type At, formatAddress, parseAddress } from './address.js'

interface Common {
  readonly code: string
  readonly message?: string
  /** Addresses of the fields that the rule needs. */
  readonly reads: readonly string[]
  /** Addresses at which its error is told. */
  readonly blames: readonly string[]
}
interface AscendingRule extends Common {
  readonly rule: 'ascending'
  readonly orEqual: boolean
}
interface EqualRule extends Common {
  readonly rule: 'equal'
}
interface AtLeastOneRule extends Common {
  readonly rule: 'atLeastOne'
}
export interface CheckRule extends Common {
  readonly rule: 'check'
  readonly holds: (...values: never[]) => boolean
}
export type AnyRule = AscendingRule | EqualRule | AtLeastOneRule | CheckRule

/** A rule as a declaration gives it: its code, and the addresses that it reads and blames. */
export type Rule = Common

/** Own words for a rule's error, and another place for it. */
export interface Blame {
  code?: string
  message?: string
  blames?: readonly string[]
}

type Reads<T> = readonly Address<T>[]
type Values<T, R extends Reads<T>> = { [I in keyof R]: At<T, R[I]> }

/** Makes the rules of an endpoint whose accepted input is `T`. */
export interface RuleMaker<T> {
  /** low < high (or ≤ with `orEqual`). Blames `high`. */
  ascending<A extends Address<T>, B extends Address<T>>(
    low: A,
    high: NonNullable<At<T, B>> extends NonNullable<At<T, A>> ? B : never,
    options?: Blame & { orEqual?: boolean },
  ): Rule
  /** Both the same. Blames the second. */
  equal<A extends Address<T>, B extends Address<T>>(first: A, second: B, options?: Blame): Rule
  /** One of them was sent, or more. Blames their nearest common parent. */
  atLeastOne(...addresses: Reads<T>): Rule
  /** Any condition; false blames `blames`, or the last address read. Called only when all that it reads is present and sound. */
  check<const R extends Reads<T>>(rule: {
    reads: R
    blames?: Reads<T>
    code: string
    message?: string
    holds: (...values: Values<T, R>) => boolean
  }): Rule
}

const words = ({ message }: { message?: string | undefined }) => (message === undefined ? {} : { message })

/** The longest address that all of them lie in; the first of them where they share no part. */
function commonParent(addresses: readonly string[]): string {
  const paths = addresses.map((address) => parseAddress(address) ?? [])
  const first = paths[0] ?? []
  let shared = 0
  while (shared < first.length - 1 && paths.every((path) => path[shared] === first[shared])) shared++
  return shared === 0 ? (addresses[0] ?? '') : formatAddress(first.slice(0, shared))
}

/** The types stand in `RuleMaker`; at run time one maker serves every endpoint. */
export const ruleMaker = {
  ascending: (
    low: string,
    high: string,
    { code = 'out_of_order', blames = [high], orEqual = false, message }: Blame & { orEqual?: boolean } = {},
  ) => ({
    rule: 'ascending',
    code,
    reads: [low, high],
    blames,
    orEqual,
    ...words({ message }),
  }),
  equal: (first: string, second: string, { code = 'unequal', blames = [second], message }: Blame = {}) => ({
    rule: 'equal',
    code,
    reads: [first, second],
    blames,
    ...words({ message }),
  }),
  atLeastOne: (...addresses: string[]) => ({
    rule: 'atLeastOne',
    code: 'none_present',
    reads: addresses,
    blames: [commonParent(addresses)],
  }),
  check: ({
    reads,
    blames = reads.slice(-1),
    code,
    message,
    holds,
  }: {
    reads: readonly string[]
    blames?: readonly string[]
    code: string
    message?: string
    holds: CheckRule['holds']
  }) => ({
    rule: 'check',
    code,
    reads,
    blames,
    holds,
    ...words({ message }),
  }),
} satisfies { [K in AnyRule['rule']]: (...args: never[]) => AnyRule }
