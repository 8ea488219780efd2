/**
 * The words of errors. Each completes the sentence that the address begins: “query.limit *must be at most 50*”.
 * A catalogue has a text for each code, or for a code and its variant (`wrong_type.flag`), with places for what
 * failed: `{limit}`, and `{limit|character|characters}` for the word that goes with one or with more.
 */

import { type Fault, Unshown } from '../compile/run.js'
import { writeInstant } from '../compile/times.js'
import type { AnyCondition } from '../declare/conditions.js'
import type { Catalogue } from '../declare/hooks.js'
import { english } from './english.js'

/** The message of a fault: own words as they are, else the catalogue's and what was sent. */
export function wordFault(fault: Fault, catalogue: Catalogue = english): string {
  const { code, variant = fault.node?.kind, about } = fault
  const sent =
    fault.sent === undefined ? undefined : fault.sent instanceof Unshown ? catalogue[`sent.${fault.sent.kind}`] : quote(fault.sent)
  const values: Values = { limit: fault.limit, sent }
  if (about) {
    Object.assign(values, about)
    if ('value' in about) values.other = `${about.other} (${quote(about.value)})`
    if ('when' in about) values.when = wordCondition(about.when as AnyCondition, catalogue)
  }
  const own = ownWords(fault)
  if (own !== undefined) return fill(own, values)
  const message = fill(catalogue[`${code}.${variant}`] ?? catalogue[code] ?? 'is not accepted', values)
  return sent === undefined || catalogue.sent === undefined ? message : fill(catalogue.sent, { message, sent })
}

/** A condition as the clause that a message ends with. */
function wordCondition(condition: AnyCondition, catalogue: Catalogue): string {
  const say = (key: string, values: Values) => fill(catalogue[key] ?? '', values)
  switch (condition.condition) {
    case 'all':
    case 'any':
      return condition.of.map((one) => wordCondition(one, catalogue)).join(catalogue[`when.${condition.condition}`])
    case 'not': {
      const { of } = condition
      const known = of.condition === 'present' || of.condition === 'is' ? catalogue[`when.not.${of.condition}`] : undefined
      return known ? fill(known, { ...of }) : say('when.not', { value: wordCondition(of, catalogue) })
    }
    case 'accepts':
      return say('when.accepts', { value: condition.type })
    case 'in':
      return say('when.in', { address: condition.address, value: condition.values })
    default:
      return say(`when.${condition.condition}`, { ...condition })
  }
}

type Values = { [name: string]: unknown }

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

/** A place in a template: the value of a name, or one of two words by its number. */
interface Place {
  readonly place: string
  readonly name: string
  readonly one: string | undefined
  readonly more: string | undefined
}
const templates = new Map<string, readonly (string | Place)[]>()
/** Own words may be made anew for each error, so not every text is kept. */
const mostTemplates = 2000

function partsOf(template: string): readonly (string | Place)[] {
  const known = templates.get(template)
  if (known) return known
  const parts: (string | Place)[] = []
  let end = 0
  for (const found of template.matchAll(/\{([a-z]+)(?:\|([^|}]*)\|([^|}]*))?\}/gi)) {
    const [place, name = '', one, more] = found
    if (found.index > end) parts.push(template.slice(end, found.index))
    parts.push({ place, name, one, more })
    end = found.index + place.length
  }
  if (end < template.length) parts.push(template.slice(end))
  if (templates.size < mostTemplates) templates.set(template, parts)
  return parts
}

/** Puts values in the places of a template; a name without a value stays as it stands. */
export function fill(template: string, values: { readonly [name: string]: unknown }): string {
  let text = ''
  for (const part of partsOf(template)) {
    if (typeof part === 'string') text += part
    else if (!Object.hasOwn(values, part.name) || values[part.name] === undefined) text += part.place
    else text += part.one === undefined ? show(values[part.name]) : Number(values[part.name]) === 1 ? part.one : part.more
  }
  return text
}

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
  if (text.length <= longest) return text
  const points = [...text.slice(0, 2 * longest + 2)]
  return points.length > longest ? `${points.slice(0, longest - 1).join('')}…` : text
}
