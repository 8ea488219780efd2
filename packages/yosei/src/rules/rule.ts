/**
 * Rules between fields. Each has a file of its own in this room, which adds its node to `Rules` and says all that holds
 * for it alone: its call, and a `RuleOf`. The table `rules` holds them all, so that the compiler names what a new rule
 * forgot.
 */

import type { Said } from '../catalogue/english.js'
import type { Node } from '../kinds/kind.js'
import type { Fault } from '../kinds/run.js'
import type { Address, At } from '../terms/address.js'
import type { Catalogue } from '../terms/hooks.js'
import type { Mistake } from '../terms/mistake.js'
import {
  type AnyOptions,
  aMode,
  aName,
  anAddress,
  aStatus,
  aText,
  listOf,
  type Options,
  type OptionType,
} from '../terms/option-types.js'
import type { Parts } from '../terms/parts.js'
import type { Mode } from '../terms/policy.js'
import type { AnyCondition } from './condition.js'
import type { RuleInput, Scope } from './input.js'
import type { Measure } from './measure.js'
import type { Terms } from './terms.js'

/** A rule as a declaration gives it: its code, and the addresses that it reads and blames. */
export interface Rule {
  /** The code of its error. */
  readonly code: string
  /** The words of its error. */
  readonly message?: string
  /** The status of its error. */
  readonly status?: number
  /** Addresses of the fields that the rule needs. */
  readonly reads: readonly string[]
  /** The addresses of its error. */
  readonly blames: readonly string[]
  /** `observe`: it is only logged. */
  readonly mode?: Mode
  /** It holds only while these do. */
  readonly during?: readonly AnyCondition[]
}

// biome-ignore lint/suspicious/noEmptyInterface: filled by the files of the rules.
export interface Rules {}
export type RuleName = keyof Rules
export type AnyRule = Rules[RuleName]

/** Where an error can be reported: at every address of an input `T`, but for those of the caller. */
export type Blamable<T> = Exclude<Address<T>, 'who' | `who.${string}`>
/** Own words for a rule's error, and another place for it. */
export interface Blame<T> {
  /** The code of the error, in place of the rule's. */
  code?: string | undefined
  /** From 400 to 499. By default, 422. */
  status?: number | undefined
  /** The words of the error, in place of the rule's. */
  message?: string | undefined
  /** `observe`: a request that breaks the rule goes on, and the journal logs it. */
  mode?: Mode | undefined
  /** The addresses of the error, in place of the rule's. */
  blames?: readonly Blamable<T>[] | undefined
}
/** The same where the rule alone knows the place. */
export type Wording = Omit<Blame<never>, 'blames'>
/** Words, and how elements are grouped. */
export interface InGroups<T> extends Wording {
  /**
   * Elements that share these values are judged among themselves, whichever list they are in. Those that lack one are one
   * group. An address with `[]` at its end: each of those elements alone.
   */
  by?: readonly Address<T>[] | undefined
}
/** The same without static types. */
export type LooseBlame = Omit<Blame<unknown>, 'blames'> & { readonly blames?: readonly string[] | undefined }
export type LooseGroups = LooseBlame & { readonly by?: readonly string[] | undefined }
/** One thing found wrong by an own rule, at an exact place. */
export interface Found {
  /** The address of the error. */
  readonly at: string
  /** Its code, in place of the rule's. */
  readonly code?: string
  /** Its words, in place of the rule's. */
  readonly message?: string
}

export type Reads<T> = readonly Address<T>[]
export type Values<T, R extends Reads<T>> = { [I in keyof R]: At<T, R[I]> }

/**
 * A rule as the sentence that its error would be: the code by which the catalogue words it, and what goes into its
 * places.
 */
type Sentence = Said & {
  readonly about?: { readonly [name: string]: unknown }
  /** Where it would stand. */
  readonly at: readonly string[]
}

/** What the words of a rule depend on. */
interface AboutAddresses {
  /** Whether an address holds moments, days or times. */
  isTime(address: string): boolean
  isSecret(address: string): boolean
}

/** What is reported of a rule that does not hold, if it is judged at one place alone: what can be is made beforehand. */
interface Report<R extends Rule> {
  /** What it needs to know, as code; `undefined` if its code does not say for certain that it does not hold. */
  values(rule: R, terms: Terms): readonly string[] | undefined
  at(rule: R, root: Node, scope: Scope): (input: Parts, ...values: unknown[]) => readonly Fault[]
}

export interface RuleOf<R extends Rule> {
  /** The English of its errors, if no kind of field has it. */
  readonly words: Catalogue
  make(...given: never[]): R
  /** The addresses by whose common lists it is judged, element by element; none if it looks at lists as a whole. */
  each(rule: R): readonly string[]
  /** The addresses that it waits for, until all of them are present. */
  waits(rule: R): readonly string[]
  /** The addresses whose elements it looks at together; of those, conditions around it select some. */
  elements(rule: R): readonly string[]
  /** Whether it judges those elements that could be read, whatever is wrong with others. */
  readonly judgesKnown: boolean
  /** Whether a function of its own gets what it reads: lists as a whole, so how many elements there are counts. */
  readonly callsOwn?: boolean
  /** The addresses at which a value may be wrong in itself, since all that counts is whether it was sent. */
  minds?(rule: R): readonly string[]
  /** Whether it makes values of others, before any rule judges. */
  readonly derives: boolean
  /** Addresses that it names besides those that it reads and blames. */
  names(rule: R): readonly string[]
  /** What does not hold. */
  judge(rule: R, matter: RuleInput): readonly Fault[]
}

/** What a service alone needs of a rule: how it is declared, written as code, and documented. No page has it. */
export interface RuleInService<R extends Rule> {
  /** What its call takes, in order; the last may be for all that are left. */
  readonly takes: readonly (OptionType | AnyOptions)[]
  readonly hasRest?: boolean
  /** Whether it asks if values are the same. */
  readonly compares: boolean
  /** What makes no sense about it, and the mend. */
  mistake(
    rule: R,
    measuresOf: (address: string) => readonly Measure[],
    isDeclared: (address: string) => boolean,
  ): Mistake | undefined
  /**
   * Whether it certainly holds, as code; what comes of its own function, if it has one, is kept by `own`. `undefined`
   * where it is interpreted.
   */
  code(rule: R, terms: Terms): string | undefined
  /** How its code tells that itself; without it, a rule that its code finds not to hold is judged once more. */
  readonly tells?: Report<R>
  sentence(rule: R, about: AboutAddresses): Sentence
}

/** What `Blame` takes. */
export const blameOptions: Options<Blame<unknown>> = {
  code: aName,
  status: aStatus,
  message: aText,
  mode: aMode,
  blames: listOf(anAddress),
}

/** The same where the rule alone knows the place. */
export const wordOptions: Options<Wording> = { code: aName, status: aStatus, message: aText, mode: aMode }

/** The same with groups. */
export const groupOptions: Options<InGroups<unknown>> = { ...wordOptions, by: listOf(anAddress) }

export const worded = ({
  message,
  status,
  mode,
}: {
  readonly message?: string | undefined
  readonly status?: number | undefined
  readonly mode?: Mode | undefined
}): Pick<Rule, 'message' | 'status' | 'mode'> => ({
  ...(message === undefined ? {} : { message }),
  ...(status === undefined ? {} : { status }),
  ...(mode === undefined ? {} : { mode }),
})
/** The addresses that a call was given, and its last argument if that holds options. */
export function withOptions(given: readonly (string | LooseBlame)[]): readonly [readonly string[], LooseBlame] {
  const last = given.at(-1)
  return typeof last === 'object' ? [given.slice(0, -1) as string[], last] : [given as readonly string[], {}]
}
export const none = (): readonly string[] => []
