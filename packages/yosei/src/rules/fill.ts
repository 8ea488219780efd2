/** Not a rule but a value: made of others where none was sent, before any rule judges. */

import type { Node } from '../kinds/kind.js'
import { nodesAt, tellsSecret } from '../kinds/locate.js'
import { quote } from '../kinds/quote.js'
import { addReading, asking, masked } from '../kinds/run.js'
import { type At, isEach, parseAddress, tellAddress, valueAt } from '../terms/address.js'
import type { Asking, WhoIn } from '../terms/asking.js'
import { anAddress, aSyncFunction, listOf } from '../terms/option-types.js'
import { put } from '../terms/own.js'
import { once, pathOf } from './input.js'
import { callOwn, ownCode } from './own.js'
import { type Blamable, none, type Reads, type Rule, type RuleInService, type RuleOf } from './rule.js'

declare module './rule.js' {
  interface Rules {
    fill: Fill
  }
}
/** The value at an address; of one element where another address lies in the same lists. */
type AtFrom<T, A extends string, R extends string> = A extends `${infer List}[].${infer InA}`
  ? R extends `${List}[].${infer InR}`
    ? AtFrom<NonNullable<At<T, List>> extends readonly (infer E)[] ? NonNullable<E> : never, InA, InR>
    : At<T, R>
  : At<T, R>
type Filling<T, A extends string, R extends Reads<T>> = { [I in keyof R]: AtFrom<T, A, R[I]> }
type Filled<T, A extends string> = NonNullable<AtFrom<T, A, A>>
/** A rule behind which something is always there at the addresses `A`. */
export interface FillingRule<A extends string> extends Rule {
  /** A type only. */
  readonly '~fills'?: A
}
/** The addresses at which rules always put something. */
export type FilledBy<R> = R extends readonly (infer One)[]
  ? One extends FillingRule<infer A>
    ? string extends A
      ? never
      : A
    : never
  : never

export interface FillMaker<T> {
  /**
   * Makes a value from others if it was not sent, before any rule runs. `undefined` leaves it unsent. The last argument
   * has the clock and the caller.
   */
  fill<const A extends Blamable<T>, const R extends Reads<T>, M extends Filled<T, A> | undefined>(
    address: A,
    reads: R,
    make: (...values: [...Filling<T, A, R>, Asking<WhoIn<T>>]) => M,
  ): FillingRule<undefined extends M ? never : A>
}
export interface Fill extends Rule {
  readonly rule: 'fill'
  readonly address: string
  readonly make: (...values: never[]) => unknown
}

/** The rule `fill`, for `use`. */
export const fill: RuleOf<Fill> = {
  words: {},
  make: (address: string, reads: readonly string[], make: Fill['make']) => ({
    rule: 'fill',
    code: '',
    address,
    make,
    reads,
    blames: [],
  }),
  each: ({ address }) => [address],
  waits: none,
  elements: none,
  judgesKnown: false,
  callsOwn: true,
  derives: true,
  names: ({ address }) => [address],
  judge(rule, matter) {
    const { root, input, scope, hold, run, own } = matter
    const path = pathOf(rule.address, scope)
    const name = path.at(-1) as string
    const object = valueAt(input, path.slice(0, -1))
    if (typeof object !== 'object' || object === null || valueAt(object, [name]) !== undefined) return []
    const gathered = (address: string) => {
      const read = pathOf(address, scope)
      // A list beside the one that is filled is gathered once for all elements.
      return once(
        matter,
        address,
        () => [read],
        () => valueAt(input, read),
      )
    }
    const call = () => (own ? own.result : rule.make(...(rule.reads.map(gathered) as never[]), asking(run) as never))
    const given = callOwn(rule, root, scope, call)
    const made = hold(path, given)
    if (made === undefined) return []
    put(object as { [name: string]: unknown }, name, made)
    if (run.trace) {
      const isHidden = [rule.address, ...rule.reads].some((one) => tellsSecret(root, pathOf(one, scope)))
      const read = isHidden ? masked : made
      addReading(run.trace, { address: tellAddress(path), sent: undefined, read, how: 'filled' })
    }
    return []
  },
}

export const fillInService: RuleInService<Fill> = {
  takes: [anAddress, listOf(anAddress), aSyncFunction('(value) => value')],
  compares: false,
  mistake: ({ address }) =>
    parseAddress(address)?.some((key) => typeof key === 'number' && !isEach(key))
      ? [`${address} is one element of a list`, 'Fill in each of them: write []']
      : undefined,
  code(rule, terms) {
    const { address, reads } = rule
    const [value, holder] = [terms.value(address), terms.holder(address)]
    const name = terms.path(address).at(-1)
    const field = nodesAt(terms.root, terms.path(address))
    if (value === undefined || holder === undefined || typeof name !== 'string' || field.length !== 1) return undefined
    const values = reads.map((read) => terms.value(read) ?? terms.all(read))
    const make = ownCode(rule, terms, rule.make)
    const made = `(own = ${make}(${[...values, 'asking(run)'].join(', ')})) === undefined`
    // What the field takes as it is needs no reading.
    const held = terms.held(field[0] as Node, 'own')
    const isPut = held ? `(${held.test} && put1(${holder}, ${quote(name)}, ${held.value ?? 'own'}))` : 'false'
    return `${holder} == null || ${value} !== undefined || ${made} || ${isPut}`
  },
  sentence: ({ address, reads }) => ({ code: 'rule', variant: 'fill', about: { addresses: reads }, at: [address] }),
}
