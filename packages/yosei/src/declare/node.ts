/**
 * The tree: one frozen node for each declared field. Builders make nodes and nothing else does;
 * everything that reads a declaration switches over `Node['kind']`, so that the compiler finds
 * each reader that a new kind forgot.
 */

import type { AnyRule } from './rules.js'

/** Least and greatest length or count, both inclusive. */
export type Bounds = readonly [min: number, max: number]
/** `30s`, `15m`, `36h`, `7d`: how a duration is written in a declaration. On the wire it is ISO 8601. */
export type Span = `${number}${'ms' | 's' | 'm' | 'h' | 'd'}`
/** `64kB`, `5MB` (powers of ten), or a number of bytes. */
export type Size = number | `${number}${'B' | 'kB' | 'MB' | 'GB'}`
/** An RFC 3339 instant, a Date, or an instant relative to the clock of the judgement. */
export type Moment = string | Date | `+${Span}` | `-${Span}`
/** The formats of JSON Schema's open vocabulary. */
export type Format =
  | 'email'
  | 'uuid'
  | 'uri'
  | 'uri-reference'
  | 'hostname'
  | 'ipv4'
  | 'ipv6'
  | 'date'
  | 'time'
  | 'date-time'
  | 'duration'
  | 'json-pointer'
  | 'regex'
  | 'idn-email'
  | 'idn-hostname'
  | 'iri'
  | 'iri-reference'
  | 'uri-template'
  | 'relative-json-pointer'

export type Need = 'required' | 'optional' | 'defaulted'

/** Own words: one text whatever is wrong, or by code, or a function of the limit and what was sent. */
export type Messages =
  | string
  | { readonly [code: string]: string | ((about: { readonly limit?: unknown; readonly sent?: unknown }) => string) }

/** What every node has. */
interface Declared {
  readonly need: Need
  readonly nullable?: boolean
  readonly default?: unknown
  readonly title?: string
  readonly description?: string
  readonly examples?: readonly unknown[]
  readonly deprecated?: boolean
  readonly readOnly?: boolean | 'drop'
  readonly secret?: boolean
  readonly messages?: Messages
  readonly coerce?: boolean
  readonly name?: string
}

/** What may be done to a text before it is checked, in the order in which it is done. */
export const tidyings = ['NFC', 'NFKC', 'trim', 'squeeze', 'lower', 'upper'] as const
export type Tidying = (typeof tidyings)[number]

export interface TextNode extends Declared {
  readonly kind: 'text'
  readonly length?: Bounds
  readonly pattern?: RegExp
  readonly format?: Format
  readonly tidy?: readonly Tidying[]
  readonly keepEmpty?: boolean
}
interface Limits<T> {
  readonly min?: T
  readonly max?: T
  readonly above?: T
  readonly below?: T
  readonly step?: T
}
export interface NumberNode extends Declared, Limits<number> {
  readonly kind: 'integer' | 'number'
}
export interface BigIntegerNode extends Declared, Limits<bigint> {
  readonly kind: 'bigInteger'
}
export interface DecimalNode extends Declared {
  readonly kind: 'decimal'
  readonly digits?: number
  readonly scale?: number
  readonly min?: string
  readonly max?: string
}
export interface FlagNode extends Declared {
  readonly kind: 'flag'
}
export interface InstantNode extends Declared {
  readonly kind: 'instant'
  readonly from?: Moment
  readonly until?: Moment
}
export interface DayNode extends Declared {
  readonly kind: 'day'
  readonly from?: string
  readonly until?: string
  readonly zone?: string
}
export interface DurationNode extends Declared {
  readonly kind: 'duration'
  readonly min?: Span
  readonly max?: Span
}
export interface ChoiceNode extends Declared {
  readonly kind: 'choice'
  readonly values: readonly (string | number)[]
  readonly titles?: { readonly [value: string]: string }
}
export interface ConstantNode extends Declared {
  readonly kind: 'constant'
  readonly value: string | number | boolean | null
}
export interface ListNode extends Declared {
  readonly kind: 'list'
  readonly item: Node
  readonly length?: Bounds
  readonly distinct?: boolean | string
  readonly style?: 'form' | 'spaceDelimited' | 'pipeDelimited'
  readonly explode?: boolean
}
export interface TupleNode extends Declared {
  readonly kind: 'tuple'
  readonly items: readonly Node[]
}
export interface RecordNode extends Declared {
  readonly kind: 'record'
  readonly fields: { readonly [name: string]: Node }
  readonly unlisted?: 'refuse' | 'drop' | 'keep'
  /** Rules between its fields, which it brings along wherever it is used. */
  readonly rules?: readonly AnyRule[]
}
export interface TableNode extends Declared {
  readonly kind: 'table'
  readonly value: Node
  readonly length?: Bounds
  readonly names?: RegExp
}
export interface TaggedNode extends Declared {
  readonly kind: 'tagged'
  readonly tag: string
  readonly branches: { readonly [value: string]: Node }
}
export interface EitherNode extends Declared {
  readonly kind: 'either'
  readonly branches: readonly Node[]
}
export interface LaterNode extends Declared {
  readonly kind: 'later'
  readonly make: () => Node
}
export interface ReadAsNode extends Declared {
  readonly kind: 'readAs'
  readonly base: Node
  readonly read: (value: never) => unknown
  readonly code: string
  readonly message?: string
  readonly write?: (value: never) => unknown
}
interface AnythingNode extends Declared {
  readonly kind: 'anything'
}
export interface FileNode extends Declared {
  readonly kind: 'file'
  readonly bytes?: Size
  readonly types?: readonly string[]
}

/** Nodes without nodes of their own, read from one JSON scalar or one text. */
export type ScalarNode =
  | TextNode
  | NumberNode
  | BigIntegerNode
  | DecimalNode
  | FlagNode
  | InstantNode
  | DayNode
  | DurationNode
  | ChoiceNode
  | ConstantNode
export type Node =
  | ScalarNode
  | ListNode
  | TupleNode
  | RecordNode
  | TableNode
  | TaggedNode
  | EitherNode
  | LaterNode
  | ReadAsNode
  | AnythingNode
  | FileNode

const made = new WeakMap<LaterNode, Node>()

/** The node behind `later`, made once. */
export function resolve(node: LaterNode): Node {
  const known = made.get(node) ?? node.make()
  made.set(node, known)
  return known
}

/** The node that decides what a value looks like when it is sent: behind every `later` and `readAs`. */
export function sentShape(node: Node): Exclude<Node, LaterNode | ReadAsNode> {
  let at = node
  for (let steps = 0; at.kind === 'later' || at.kind === 'readAs'; steps++) {
    if (steps > 100) throw new RangeError('later never comes to a value')
    at = at.kind === 'later' ? resolve(at) : at.base
  }
  return at
}

/** The nodes right below a node, each with its step in an address; branches of a union stand at the place of the union. */
export function childrenOf(node: Node): readonly (readonly [step: string | number | undefined, child: Node])[] {
  switch (node.kind) {
    case 'list':
      return [[-1, node.item]]
    case 'tuple':
      return node.items.map((item, index) => [index, item] as const)
    case 'record':
      return Object.entries(node.fields)
    case 'table':
      return [['*', node.value]]
    case 'tagged':
      return Object.values(node.branches).map((branch) => [undefined, branch] as const)
    case 'either':
      return node.branches.map((branch) => [undefined, branch] as const)
    case 'readAs':
      return [[undefined, node.base]]
    case 'later':
      return [[undefined, resolve(node)]]
    default:
      return []
  }
}
