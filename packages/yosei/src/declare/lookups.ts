/** Lookups: questions to the outside world. And turns: one request per key at a time. */

import { onWith } from '../rules/brought.js'
import type { AnyCondition, Condition, One } from '../rules/condition.js'
import type { ConditionMaker, conditionMaker } from '../rules/conditions.js'
import type { Blamable, Reads, Rule, Values } from '../rules/rule.js'
import type { RuleMaker, ruleMaker } from '../rules/rules.js'
import type { At } from '../terms/address.js'
import type { Span } from '../terms/declared.js'
import type { All } from '../terms/endpoint.js'
import { frozen } from '../terms/frozen.js'
import type { Refusal, Refused } from '../terms/hooks.js'
import type { Mode } from '../terms/policy.js'

/** A lookup as a declaration gives it: what it asks, what it finds, and the address that it always fills. */
export interface Lookup<Services = unknown, Found = unknown, Filled extends string = string> {
  /** A type only. */
  readonly '~services'?: Services
  /** A type only. */
  readonly '~found'?: Found
  /** A type only. */
  readonly '~filled'?: Filled
}
export type Lookups = { readonly [name: string]: Lookup }
type FoundIn<L> = { readonly [K in keyof L]: L[K] extends Lookup<unknown, infer F> ? F : never }
/** What all of some lookups ask. */
export type AskedBy<L> =
  All<{ [K in keyof L]: L[K] extends Lookup<infer S> ? { all: S } : never }[keyof L]> extends { all: infer S }
    ? S
    : unknown

/** What a question may lean on besides the values. */
interface About<Who, Found> {
  /** Fires when the lookup is over its time, or the client has gone. */
  readonly signal: AbortSignal
  /** The clock of the judgement. */
  readonly now: Date
  /** The caller, as `identify` said. */
  readonly who: Who
  /** What the lookups found that this one follows, by the names that it gives them. */
  readonly found: Found
}
type WhoIn<T> = T extends { readonly who: infer Who } ? Who : unknown
type Sure<V extends readonly unknown[]> = { [I in keyof V]: Exclude<V[I], undefined> }
/** What counts as found, if nothing else is said. */
type Thing<F> = Exclude<F, undefined | null | false | Refused>
/** Whether a lookup is asked of every accepted request. */
type IsAlwaysAsked<V extends readonly unknown[], W> = W extends Condition
  ? false
  : undefined extends V[number]
    ? false
    : true

/** Makes the lookups of an endpoint whose accepted input is `T`. */
export interface LookupMaker<T> extends ConditionMaker<T> {
  /**
   * Asks a service. A value other than `undefined`, `null` and `false` is found, if `counts` agrees. If nothing is
   * found, the request is rejected with `refusal`; with `absent`, it is the other way round.
   *
   * @example
   * lookups: (on) => {
   *   const telescope = on.lookup({ reads: ['path.id'], ask: ({ db }: Services, [id]) => db.telescope(id) })
   *   const free = on.lookup({
   *     reads: ['body.window'],
   *     follows: { telescope },
   *     ask: ({ db }: Services, [window], { found }) => db.isFree(found.telescope, window),
   *   })
   *   return { telescope, free }
   * }
   */
  lookup<
    Services,
    const R extends Reads<T>,
    F,
    const W extends Condition | undefined = undefined,
    const Absent extends boolean = false,
    const L extends Lookups = {},
    const A extends Blamable<T> = never,
    const M extends Mode | undefined = undefined,
  >(lookup: {
    /** It is asked when all of these are present. */
    reads: R
    ask: (services: Services, values: Sure<Values<T, R>>, about: About<WhoIn<T>, FoundIn<L>>) => Promise<F> | F
    /** Whether an answer is what was looked for: `(slots) => slots.length > 0`. */
    counts?: ((answer: NoInfer<Thing<F>>) => boolean) | undefined
    /** 422 `not_found` where none is given; 409 `already_there` with `absent`. */
    refusal?: Refusal<Blamable<T>> | undefined
    /** Whether it is wrong that something is found. */
    absent?: Absent | undefined
    /** Lookups that must have been answered before. */
    follows?: L | undefined
    /** It is asked only while this holds. */
    when?: W
    /** Time for the answer; 2s by default. */
    within?: Span | undefined
    /** The field that what was found is put into, if it was not sent. */
    fill?: A | undefined
    /** `observe`: a request that it would reject goes on, and the journal logs it. What it finds may be `undefined`. */
    mode?: M
    /** Asks once for all elements of a list. */
    batch?: false | undefined
  }): Lookup<
    Services,
    | (Absent extends true ? undefined : Thing<F> | (IsAlwaysAsked<Values<T, R>, W> extends true ? never : undefined))
    | Missing<M>,
    M extends 'observe'
      ? never
      : IsAlwaysAsked<Values<T, R>, W> extends true
        ? Absent extends true
          ? never
          : NoInfer<A>
        : never
  >
  /**
   * Asks once for all distinct values of a list. `ask` gets one array for each address in a list, and answers with a Map by
   * value, or with an array in the same order. Elements for which nothing is found are rejected, each at its place.
   *
   * @example
   * on.lookup({ batch: true, reads: ['body.lines[].sku'], ask: ({ db }: Services, [skus]) => db.products(skus) })
   */
  lookup<
    Services,
    const R extends Reads<T>,
    F,
    const Absent extends boolean = false,
    const L extends Lookups = {},
    const M extends Mode | undefined = undefined,
  >(lookup: {
    /** One question for all elements. */
    batch: true
    /** It is asked for those elements that have all of these. One of them at least is in a list. */
    reads: R
    ask: (services: Services, values: Batched<T, R>, about: About<WhoIn<T>, FoundIn<L>>) => Promise<F> | F
    /** Whether an answer for one element is what was looked for. */
    counts?: ((answer: NoInfer<Thing<EachOf<F>>>) => boolean) | undefined
    /** 422 `not_found` where none is given; 409 `already_there` with `absent`. */
    refusal?: Refusal<Blamable<T>> | undefined
    /** Whether it is wrong that something is found. */
    absent?: Absent | undefined
    /** Lookups that must have been answered before. */
    follows?: L | undefined
    /** It is asked for those elements that meet this. */
    when?: Condition | undefined
    /** Time for the answer; 2s by default. */
    within?: Span | undefined
    /** As of any lookup. */
    mode?: M
  }): Lookup<
    Services,
    | (Absent extends true ? undefined : BatchFinds<KeysOf<T, R>, Thing<EachOf<F>>>)
    | Missing<M>
    | (undefined extends Values<T, R>[number] ? undefined : never),
    never
  >
  /**
   * Rules over what only lookups know: a zone, a limit, a choice. They are made and judged when all of these lookups have
   * answered, with what they found. Their errors come together with the refusals of lookups.
   *
   * @example
   * const depot = on.lookup({ reads: ['body.depot'], ask: ({ db }: Services, [id]) => db.depot(id) })
   * return { depot, hours: on.after({ depot }, ({ depot }, on) => [on.openAt('body.pickup', depot)]) }
   */
  after<const L extends Lookups>(follows: L, rules: (found: Answered<L>, on: RuleMaker<T>) => readonly Rule[]): After
}
/** Rules that wait for lookups: they find nothing themselves. */
export interface After extends Lookup<unknown, never, never> {
  /** A type only. */
  readonly '~after': true
}
/** What is only observed may find nothing. */
type Missing<M> = M extends 'observe' ? undefined : never
/** What lookups found that have been answered. */
type Answered<L> = {
  readonly [K in keyof L]: [Exclude<FoundIn<L>[K], undefined>] extends [never]
    ? undefined
    : Exclude<FoundIn<L>[K], undefined>
}
/** What a batch is asked about: of an address in a list an array. */
type Batched<T, R extends Reads<T>> = {
  [I in keyof R]: R[I] extends `${string}${'[]' | '{}'}${string}`
    ? NonNullable<One<T, R[I]>>[]
    : NonNullable<At<T, R[I]>>
}
/** What `get` takes: the values of addresses in lists. */
type KeysOf<T, R extends readonly string[]> = R extends readonly [
  infer A extends string,
  ...infer Rest extends readonly string[],
]
  ? A extends `${string}${'[]' | '{}'}${string}`
    ? [NonNullable<One<T, A>>, ...KeysOf<T, Rest>]
    : KeysOf<T, Rest>
  : []
/** One answer of a batch. */
type EachOf<F> =
  F extends ReadonlyMap<unknown, infer V> ? V : F extends readonly (infer E)[] ? E : F extends Refused ? never : F

/** What a lookup with `batch` found. */
export interface BatchFinds<V extends readonly unknown[], F> extends Iterable<F> {
  /** What was found for these values, by the library's own equality: 1.0 is 1.00. */
  get(...values: V): F | undefined
  /** Of how many it was asked. */
  readonly size: number
}

export interface LookupNode {
  readonly reads: readonly string[]
  readonly ask: (services: never, values: never, about: About<unknown, { readonly [name: string]: unknown }>) => unknown
  readonly counts?: (answer: never) => boolean
  readonly refusal?: Refusal
  readonly absent?: boolean
  /** By the names that its question knows them by. */
  readonly follows?: { readonly [name: string]: LookupNode }
  readonly when?: AnyCondition
  readonly within?: Span
  readonly fill?: string
  readonly batch?: boolean
  readonly mode?: Mode
  /** Whether it is asked for rules, with what was found and what makes rules; they are judged then. */
  readonly givesRules?: true
}

export const lookupMaker: typeof conditionMaker & {
  // Named, since an inferred type would be written out whole in the declarations that are shipped.
  readonly lookup: (lookup: LookupNode) => LookupNode
  readonly after: (follows: LookupNode['follows'] & {}, rules: GivesRules) => LookupNode
} = /* @__PURE__ */ onWith({
  lookup: (lookup: LookupNode) => frozen({ ...lookup }),
  after: (follows: LookupNode['follows'] & {}, rules: GivesRules): LookupNode =>
    frozen({ reads: [], follows, ask: rules as never, givesRules: true }),
}) as never
type GivesRules = (found: never, on: typeof ruleMaker) => unknown

/**
 * One request per key at a time, from before the lookups until the handler has settled. The scope is shared by name.
 */
export interface Turn<T> {
  /** The name of the scope: endpoints that name the same one take turns with each other. */
  of: string
  /** The fields whose values are the key. */
  by: Reads<T>
  /** How long to wait for the turn; `0s` by default: a second request is refused at once. */
  wait?: Span | undefined
  /**
   * After how long a turn ends whose holder has gone without a word; 30s by default. It is renewed while the handler
   * runs.
   */
  lease?: Span | undefined
  /** After how long a handler loses its turn; 5m by default. Its signal fires then. */
  longest?: Span | undefined
  /** How many may wait for one key; 100 by default. */
  waiters?: number | undefined
}
export interface TurnNode {
  readonly of: string
  readonly by: readonly string[]
  readonly wait?: Span
  readonly lease?: Span
  readonly longest?: Span
  readonly waiters?: number
}
