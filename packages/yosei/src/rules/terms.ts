/** What the code of rules is written in: expressions for what they look at, where nothing was found wrong. */
import type { Node, Test } from '../kinds/kind.js'
import type { Writer } from '../kinds/writer.js'
import type { Path } from '../terms/address.js'

/** How values compare in code: by their own operators, as instants, or by a function. */
export type Sort = 'number' | 'text' | 'instant' | 'other'

/**
 * Expressions are `undefined` if code cannot say it, so that the rule is interpreted. Values are those of the element
 * that the rule is judged at.
 */
export interface Terms {
  readonly writer: Writer
  /** What was read at an address; `undefined` or null where nothing is. */
  value(address: string): string | undefined
  /** The same at a path. */
  valueAt(path: Path): string | undefined
  /** The same of any address, and of every element together. */
  all(address: string): string
  /** What was read in the place that holds an address. */
  holder(address: string): string | undefined
  /** Whether something was sent at an address. */
  isSent(address: string): string | undefined
  /** Whether nothing was sent, or null, in the place of the record that holds all these addresses. */
  isParentAbsent(addresses: readonly string[]): string | undefined
  /** How the values at an address compare. */
  sort(address: string): Sort
  /** Whether `a` stands to `b` as the operator says; both are there, `a` at the address. */
  compare(address: string, a: string, operator: Operator, b: string, other: Sort): string
  /**
   * Writes what is done with each value at an address, in loops through the lists on its way, and with what lies in the
   * same element; whether code can say it.
   */
  each(address: string, visit: (value: string, inside: Terms) => boolean): boolean
  /** Whether a test holds for a value at the address: the one of this element, or any of a list. */
  some(address: string, test: (value: string, inside: Terms) => string | undefined): string | undefined
  when(condition: { readonly condition: string }): string | undefined
  /** Whether a value that was read certainly passes a field. */
  passes(address: string, field: Node): string | undefined
  /** Whether it passes a field or not. */
  suits(address: string, field: Node): string | undefined
  /** What is right of a value that is put into a scalar, and as what it is put there. */
  held(field: Node, value: string): Test | undefined
  /** A path of an address at this element, as it is declared. */
  path(address: string): Path
  readonly root: Node
}
export type Operator = '<' | '<=' | '>' | '>=' | '===' | '!=='
