/**
 * The words of errors. Each completes the sentence that the address begins: “query.limit *must be at most 50*”.
 * A catalogue has a text for each code, or for a code and its variant (`wrong_type.flag`), with places for what
 * failed: `{limit}`, and `{limit|character|characters}` for the word that goes with one or with more.
 */

import { type Fault, Unshown } from '../compile/run.js'
import { writeInstant } from '../compile/times.js'
import type { Catalogue } from './catalogue.js'
import { english } from './english.js'

/** The message of a fault: own words as they are, else the catalogue's and what was sent. */
export function wordFault(fault: Fault, catalogue: Catalogue = english): string {
  const { code, variant = fault.node?.kind, limit, about = {} } = fault
  const sent =
    fault.sent instanceof Unshown ? catalogue[`sent.${fault.sent.kind}`] : fault.sent === undefined ? undefined : quote(fault.sent)
  const other = 'value' in about ? `${about.other} (${quote(about.value)})` : about.other
  const values = { limit, ...about, other, sent }
  const own = ownWords(fault)
  if (own !== undefined) return fill(own, values)
  const message = fill(catalogue[`${code}.${variant}`] ?? catalogue[code] ?? 'is not accepted', values)
  return sent === undefined || catalogue.sent === undefined ? message : fill(catalogue.sent, { message, sent })
}

function ownWords({ messages, node, code, limit, sent }: Fault): string | undefined {
  const words = messages ?? (node?.kind === 'readAs' ? (node.message ?? node.base.messages) : node?.messages)
  if (typeof words === 'string' || words === undefined) return words
  const own = Object.hasOwn(words, code) ? words[code] : undefined
  if (typeof own !== 'function') return own
  try {
    return String(own({ limit, sent: sent instanceof Unshown ? undefined : sent }))
  } catch {
    // The catalogue has words where own ones fail.
    return undefined
  }
}

/** Puts values in the places of a template; a name without a value stays as it stands. */
export const fill = (template: string, values: { readonly [name: string]: unknown }) =>
  template.replace(/\{([a-z]+)(?:\|([^|}]*)\|([^|}]*))?\}/gi, (place, name: string, one?: string, more?: string) => {
    if (values[name] === undefined || !Object.hasOwn(values, name)) return place
    return (one === undefined ? show(values[name]) : Number(values[name]) === 1 ? one : more) as string
  })

function show(value: unknown): string {
  if (value instanceof Date) return writeInstant(value)
  if (Array.isArray(value)) return value.map(show).join(', ')
  return String(value)
}

const longest = 40

/** What was sent, as the sender would recognise it: shortened, and never more than a scalar. */
function quote(value: unknown): string | undefined {
  if (value instanceof Date) return writeInstant(value)
  if (typeof value === 'object' && value !== null) return undefined
  const text = typeof value === 'string' ? JSON.stringify(value) : String(value)
  const points = [...text.slice(0, 2 * longest + 2)]
  return points.length > longest ? `${points.slice(0, longest - 1).join('')}…` : text
}
