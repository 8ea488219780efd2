/**
 * Conditions: when a rule applies, or a lookup is asked. Each has a file of its own in this room, which adds its node
 * to `Conditions` and says all that holds for it alone: its call, and a `ConditionOf`. The table `conditions` holds
 * them all.
 */
import type { At } from '../terms/address.js'
import type { Mistake } from '../terms/mistake.js'
import type { OptionType } from '../terms/option-types.js'
import type { RuleInput } from './input.js'
import type { Measure } from './measure.js'
import type { Terms } from './terms.js'

// biome-ignore lint/suspicious/noEmptyInterface: filled by the files of the conditions.
export interface Conditions {}
export type ConditionName = keyof Conditions
export type AnyCondition = Conditions[ConditionName]

/** A condition as a declaration gives it. */
export interface Condition {
  /** The name of the condition. */
  readonly condition: string
}

/** What conditions compare. */
export type Comparable = number | bigint | string | Date
/** The value at an address: of one element where it lies under a `[]` or a `{}`, since conditions look at elements one by one. */
export type One<T, A extends string> = Unwrapped<NonNullable<At<T, A>>, A>
/** The value in a list of lists, one for each `[]` and `{}` of an address. */
type Unwrapped<V, A extends string> = A extends `${infer Head}${'[]' | '{}'}${infer Rest}`
  ? A extends `${Head}[]${Rest}` | `${Head}{}${Rest}`
    ? V extends readonly (infer E)[]
      ? Unwrapped<NonNullable<E>, Rest>
      : never
    : never
  : V

/** Says a text of the catalogue, with what goes into its places. */
type Say = (key: string, about: { readonly [name: string]: unknown }) => string

export interface ConditionOf<C extends Condition> {
  make(...given: never[]): C
  /** The addresses that it looks at. */
  addresses(condition: C, addressesIn: (condition: AnyCondition) => readonly string[]): readonly string[]
  /** Whether it holds, for what is blamed: see `Holding`. */
  holding(condition: C, matter: RuleInput, holding: (condition: AnyCondition) => Holding): Holding
  /** The same with each value as a client writes it. */
  told(
    condition: C,
    value: (address: string, value: unknown) => unknown,
    told: (condition: AnyCondition) => AnyCondition,
  ): C
  /** The clause that a message ends with. */
  words(condition: C, say: Say, clause: (condition: AnyCondition) => string): string
  /** The clause that says that it does not hold, if the catalogue has a short one. */
  negated(condition: C, say: Say): string | undefined
}

/** What a service alone needs of a condition. */
export interface ConditionInService<C extends Condition> {
  /** What its call takes, in order; the last may be for all that are left. */
  readonly takes: readonly OptionType[]
  readonly hasRest?: boolean
  /** What makes no sense about it, and the mend. */
  mistake(
    condition: C,
    measuresOf: (address: string) => readonly Measure[],
    mistakeIn: (condition: AnyCondition) => Mistake | undefined,
  ): Mistake | undefined
  /** Whether it holds for the element that a rule is judged at, as code. */
  code(condition: C, terms: Terms): string | undefined
}

/**
 * Whether a condition holds for what is blamed: of lists that both lie in, it looks at the element that is blamed; of
 * others at all elements, and any of them will do. Such an answer holds for all that is blamed, so it is found once.
 */
export type Holding = (blamed: readonly (string | number)[]) => boolean
