/** Conditions, as data: when a rule applies, or a lookup is asked. */
import type { Address, At } from '../terms/address.js'

export type AnyCondition =
  | { readonly condition: 'present'; readonly address: string }
  | { readonly condition: 'is' | 'above' | 'below'; readonly address: string; readonly value: unknown }
  | { readonly condition: 'in'; readonly address: string; readonly values: readonly unknown[] }
  | { readonly condition: 'accepts'; readonly type: string }
  | { readonly condition: 'all' | 'any'; readonly of: readonly AnyCondition[] }
  | { readonly condition: 'not'; readonly of: AnyCondition }

/** A condition as a declaration gives it. */
export interface Condition {
  readonly condition: string
}

export type Comparable = number | bigint | string | Date
/** The value at an address: of one element where it lies under a `[]`, since conditions look at elements one by one. */
type One<T, A extends string> = Unwrapped<NonNullable<At<T, A>>, A>
type Unwrapped<V, A extends string> = A extends `${string}[]${infer Rest}`
  ? V extends readonly (infer E)[]
    ? Unwrapped<NonNullable<E>, Rest>
    : never
  : V

export interface ConditionMaker<T> {
  /** Something was sent there. */
  present(address: Address<T>): Condition
  is<A extends Address<T>>(address: A, value: One<T, A>): Condition
  in<A extends Address<T>>(address: A, values: readonly One<T, A>[]): Condition
  above<A extends Address<T>>(address: A, limit: One<T, A> & Comparable): Condition
  below<A extends Address<T>>(address: A, limit: One<T, A> & Comparable): Condition
  /** The client takes this media type (RFC 9110, section 12.5.1). */
  accepts(type: string): Condition
  all(...conditions: readonly Condition[]): Condition
  any(...conditions: readonly Condition[]): Condition
  not(condition: Condition): Condition
}

export const conditionMaker = {
  present: (address: string) => ({ condition: 'present', address }),
  is: (address: string, value: unknown) => ({ condition: 'is', address, value }),
  in: (address: string, values: readonly unknown[]) => ({ condition: 'in', address, values }),
  above: (address: string, value: unknown) => ({ condition: 'above', address, value }),
  below: (address: string, value: unknown) => ({ condition: 'below', address, value }),
  accepts: (type: string) => ({ condition: 'accepts', type }),
  all: (...of: AnyCondition[]) => ({ condition: 'all', of }),
  any: (...of: AnyCondition[]) => ({ condition: 'any', of }),
  not: (of: AnyCondition) => ({ condition: 'not', of }),
} satisfies { [K in AnyCondition['condition']]: (...args: never[]) => AnyCondition }

/** The addresses that a condition looks at. */
export function addressesIn(condition: AnyCondition): readonly string[] {
  switch (condition.condition) {
    case 'all':
    case 'any':
      return condition.of.flatMap(addressesIn)
    case 'not':
      return addressesIn(condition.of)
    case 'accepts':
      return []
    default:
      return [condition.address]
  }
}
