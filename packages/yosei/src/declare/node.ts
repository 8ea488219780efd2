/**
 * The tree: one frozen node for each declared field. Builders make nodes and nothing else does;
 * everything that reads a declaration switches over `Node['kind']`, so that the compiler finds
 * each reader that a new kind forgot.
 */

/** Least and greatest length or count, both inclusive. */
export type Bounds = readonly [min: number, max: number]
/** `30s`, `15m`, `36h`, `7d`: how a duration is written in a declaration. On the wire it is ISO 8601. */
export type Span = `${number}${'ms' | 's' | 'm' | 'h' | 'd'}`
/** An RFC 3339 instant, a Date, or an instant relative to the clock of the judgement. */
export type Moment = string | Date | `+${Span}` | `-${Span}`
export type Format = 'email'

export type Presence = 'required' | 'optional' | 'defaulted'

interface Declared {
  readonly presence: Presence
  readonly nullable?: boolean
  readonly default?: unknown
  readonly title?: string
  readonly description?: string
  readonly secret?: boolean
}

export interface TextNode extends Declared {
  readonly kind: 'text'
  readonly length?: Bounds
  readonly pattern?: RegExp
  readonly format?: Format
  readonly trim?: boolean
  readonly keepEmpty?: boolean
}
export interface NumberNode extends Declared {
  readonly kind: 'integer' | 'number'
  readonly min?: number
  readonly max?: number
  readonly above?: number
  readonly below?: number
  readonly step?: number
}
export interface FlagNode extends Declared {
  readonly kind: 'flag'
}
export interface InstantNode extends Declared {
  readonly kind: 'instant'
  readonly from?: Moment
  readonly until?: Moment
}
export interface ChoiceNode extends Declared {
  readonly kind: 'choice'
  readonly values: readonly (string | number)[]
  readonly titles?: { readonly [value: string]: string }
}
export interface ListNode extends Declared {
  readonly kind: 'list'
  readonly item: Node
  readonly length?: Bounds
  readonly distinct?: boolean | string
}
export interface RecordNode extends Declared {
  readonly kind: 'record'
  readonly fields: { readonly [name: string]: Node }
  readonly undeclared?: 'reject' | 'drop' | 'keep'
}

export type Node = TextNode | NumberNode | FlagNode | InstantNode | ChoiceNode | ListNode | RecordNode
