/** Lookups: questions to the outside world. And turns: one request per key at a time. */

import type { AnyCondition, Condition } from '../rules/condition.js'
import { type ConditionMaker, conditionMaker } from '../rules/conditions.js'
import type { Reads, Values } from '../rules/rule.js'
import type { Address } from '../terms/address.js'
import type { Span } from '../terms/declared.js'
import { frozen } from '../terms/frozen.js'
import type { Refusal } from '../terms/hooks.js'

/** A lookup as a declaration gives it. */
export interface Lookup<Services, Found> {
  readonly '~services'?: Services
  readonly '~found'?: Found
}

/** What a question may lean on besides the values. */
interface About {
  /** Fires when the lookup is over its time, or the client has gone. */
  readonly signal: AbortSignal
  /** Who is asking, as `identify` said. */
  readonly who: unknown
  /** What the lookups found that this one follows. */
  readonly found: { readonly [name: string]: unknown }
}

/** Makes the lookups of an endpoint whose accepted input is `T`. */
export interface LookupMaker<T> extends ConditionMaker<T> {
  /**
   * Asks the outside world. Found: a value other than `undefined`, `null` and `false`; it is given to later lookups and
   * the handler under the lookup's name. Not found (or found, with `absent: true`): the refusal, at the first read
   * address.
   */
  lookup<Services, const R extends Reads<T>, F, const W extends Condition | undefined = undefined>(lookup: {
    /** It is asked when all of these are present. */
    reads: R
    ask: (services: Services, values: Values<T, R>, about: About) => Promise<F> | F
    /** 422 `not_found` where none is given; 409 `already_there` with `absent`. */
    refusal?: Refusal
    /** Whether it is wrong that something is found. */
    absent?: boolean
    /** Lookups that must have been answered before. */
    follows?: readonly string[]
    /** It is asked only while this holds. */
    when?: W
    /** Time for the answer; 2s by default. */
    within?: Span
    /** The field that what was found is put into, where it was not sent. */
    fill?: Address<T>
  }): Lookup<Services, Exclude<F, undefined | null | false> | (W extends Condition ? undefined : never)>
}

export interface LookupNode {
  readonly reads: readonly string[]
  readonly ask: (services: never, values: never, about: About) => unknown
  readonly refusal?: Refusal
  readonly absent?: boolean
  readonly follows?: readonly string[]
  readonly when?: AnyCondition
  readonly within?: Span
  readonly fill?: string
}

export const lookupMaker: typeof conditionMaker & {
  // Named, since an inferred type would be written out whole in the declarations that are shipped.
  readonly lookup: (lookup: LookupNode) => LookupNode
} = { ...conditionMaker, lookup: (lookup: LookupNode) => frozen({ ...lookup }) }

/**
 * One request per key at a time, from before the lookups until the handler has settled. The scope is shared by name.
 */
export interface Turn<T> {
  /** The name of the scope: endpoints that name the same one take turns with each other. */
  of: string
  /** The fields whose values are the key. */
  by: Reads<T>
  /** How long to wait for the turn; `0s` by default: a second request is refused at once. */
  wait?: Span
  /**
   * After how long a turn ends whose holder has gone without a word; 30s by default. It is renewed while the handler
   * runs.
   */
  lease?: Span
  /** After how long a handler loses its turn; 5m by default. Its signal fires then. */
  longest?: Span
  /** How many may wait for one key; 100 by default. */
  waiters?: number
}
export interface TurnNode {
  readonly of: string
  readonly by: readonly string[]
  readonly wait?: Span
  readonly lease?: Span
  readonly longest?: Span
  readonly waiters?: number
}
