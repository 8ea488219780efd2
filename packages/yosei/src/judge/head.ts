/** The head of a request, for code of a service that looks at it. */

import { type AnyMessage, fieldOf, lowerCase } from '../read/message.js'
import type { Head, HeaderFields } from '../terms/head.js'
import { put } from '../terms/own.js'
import type { Opened } from './open.js'

/** What is known before the body has come; the signal is added by who asks. */
export function headOf({ message, destination, segments }: Opened): Omit<Head, 'signal'> {
  const { name, endpoint, parameters } = destination
  const path: { [name: string]: string } = {}
  for (const [index, { name }] of parameters.entries()) put(path, name, segments[index] ?? '')
  return {
    method: message.method,
    target: message.target,
    endpoint: name,
    template: endpoint.template,
    tags: endpoint.tags,
    path,
    headers: new HeadFields(message),
  }
}

/** A fetch `Headers` would cost as much as the judgement, and throws for a value that HTTP forbids. */
export class HeadFields implements HeaderFields {
  readonly #lines: AnyMessage['headers']
  constructor({ headers }: Pick<AnyMessage, 'headers'>) {
    this.#lines = headers
  }
  get(name: string): string | null {
    return fieldOf(this.#lines, lowerCase(name)) ?? null
  }
  has(name: string): boolean {
    return fieldOf(this.#lines, lowerCase(name)) !== undefined
  }
  [Symbol.iterator]() {
    return this.#lines[Symbol.iterator]()
  }
}
