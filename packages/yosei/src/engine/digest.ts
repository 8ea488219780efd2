/** A short text that changes when a declaration does. It is made quickly, and hides nothing. */
import type { EndpointNode } from '../declare/endpoint.js'
import { childrenOf, shapeOf } from '../kinds/brought.js'
import type { Node } from '../kinds/kind.js'
import { isFieldNode } from '../terms/standard.js'

/** What a declaration has behind itself, and makes when it is asked. Examples and defaults may look like declarations. */
export const behind = (value: object): readonly unknown[] =>
  isFieldNode(value) && shapeOf(value as Node) === 'behind' ? childrenOf(value as Node).map(([, child]) => child) : []

/** Of all that is declared, titles too: functions count by the place at which they stand, patterns by their source. */
export function digestOf({ origin: _, ...endpoint }: EndpointNode): string {
  let a = 0xdeadbeef | 0
  let b = 0x41c6ce57
  const add = (text: string) => {
    for (let i = 0; i < text.length; i++) {
      const code = text.charCodeAt(i)
      a = Math.imul(a ^ code, 2654435761)
      b = Math.imul(b ^ code, 1597334677)
    }
    // A text and what comes after it are two.
    a = Math.imul(a ^ 0x110000, 2654435761)
    b = Math.imul(b ^ 0x110000, 1597334677)
  }
  const met = new Map<object, number>()
  /** In a row of its own, since declarations may be deep. */
  const due: unknown[] = [endpoint]
  while (due.length > 0) {
    const value = due.pop()
    if (typeof value !== 'object' || value === null || value instanceof RegExp || value instanceof Date) {
      add(
        typeof value === 'function'
          ? 'function'
          : `${typeof value} ${value instanceof Date ? value.getTime() : String(value)}`,
      )
      continue
    }
    const known = met.get(value)
    if (known !== undefined) {
      add(`again ${known}`)
      continue
    }
    met.set(value, met.size)
    const names = Object.keys(value)
    add(`${Array.isArray(value) ? 'list' : 'object'} ${names.length}`)
    due.push(...behind(value))
    for (const name of names) {
      add(name)
      due.push((value as { readonly [name: string]: unknown })[name])
    }
  }
  return (a >>> 0).toString(36) + (b >>> 0).toString(36)
}
