/**
 * The texts of a request's parts, by name, as their declarations carry them: OpenAPI's styles, split before decoding.
 */

import { type Decoded, decodePercent, malformed } from '../grammar/percent.js'
import { splitOutside } from '../grammar/quoted.js'
import type { Node } from '../kinds/kind.js'
import { type ListNode, separators } from '../kinds/list.js'
import type { RecordNode } from '../kinds/record.js'
import { sentShape } from '../kinds/shape.js'
import type { TupleNode } from '../kinds/tuple.js'
import { put } from '../terms/own.js'

/** The values of a part: a text for a name that came once, a list for one that came again or carries several. */
export type Values = { [name: string]: unknown }

const isList = (node: Node | undefined): node is ListNode | TupleNode =>
  node !== undefined && (node.kind === 'list' || node.kind === 'tuple')
const shapeOf = ({ fields }: RecordNode, name: string) =>
  Object.hasOwn(fields, name) ? sentShape(fields[name] as Node) : undefined

/** How path and header carry a declared field. */
export interface Carried {
  readonly name: string
  /** Whether the value is a list, whose elements are joined by commas (`simple`). */
  readonly isList: boolean
}

/** How these fields of a part are carried, in the order of their names. */
export const carriedBy = (declared: RecordNode, names = Object.keys(declared.fields)): Carried[] =>
  names.map((name) => ({ name, isList: isList(shapeOf(declared, name)) }))

/** The path's parameters, from their raw segments. Both are in the order of the template. */
export function pathValues(parameters: readonly Carried[], segments: readonly string[]): Values {
  const values: Values = {}
  for (let i = 0; i < parameters.length; i++) {
    const { name, isList } = parameters[i] as Carried
    const segment = segments[i] as string
    put(values, name, isList ? segment.split(',').map(decodePercent) : decodePercent(segment))
  }
  return values
}

/** How a list's elements are joined in one value; `undefined` if the name is repeated instead. */
function separatorOf(node: ListNode | TupleNode): RegExp | undefined {
  const { style = 'form', explode = style === 'form' } = node
  return explode ? undefined : separators[style].read
}

const decode = (text: string): Decoded => decodePercent(text.includes('+') ? text.replaceAll('+', ' ') : text)
/** The steps of `name[key][key]`; `undefined` for any other name. */
function stepsIn(name: string): readonly string[] | undefined {
  const open = name.indexOf('[')
  if (open < 1 || !name.endsWith(']')) return undefined
  const steps = [name.slice(0, open), ...name.slice(open + 1, -1).split('][')]
  return steps.some((step) => /[[\]]/.test(step)) ? undefined : steps
}

/**
 * The pairs of a query or a form, with `+` for a blank; `undefined` if there are none. Names that cannot be decoded
 * are reported.
 */
export function pairValues(query: string, declared: RecordNode, reportMalformed: () => void): Values | undefined {
  if (query === '') return undefined
  const values: Values = {}
  for (let start = 0; start <= query.length; ) {
    const ampersand = query.indexOf('&', start)
    const end = ampersand < 0 ? query.length : ampersand
    if (end > start) {
      const pair = query.slice(start, end)
      const equals = pair.indexOf('=')
      const name = decode(equals < 0 ? pair : pair.slice(0, equals))
      if (name === malformed) reportMalformed()
      else addPair(values, name, equals < 0 ? undefined : pair.slice(equals + 1), declared)
    }
    start = end + 1
  }
  return values
}

function addPair(values: Values, name: string, raw: string | undefined, declared: RecordNode): void {
  const steps = name.includes('[') ? stepsIn(name) : undefined
  const holder = steps && shapeOf(declared, steps[0] as string)
  // Any other name with brackets is a name like others.
  if (steps && (holder?.kind === 'record' || holder?.kind === 'table')) addMember(values, steps, raw, holder)
  else add(values, name, raw, shapeOf(declared, name))
}

/** Adds what lies in an object (`deepObject`), in objects of its own, as deep as its name says. */
function addMember(values: Values, steps: readonly string[], raw: string | undefined, declared: Node): void {
  let object = values
  let holder: Node | undefined = declared
  for (let i = 0; i < steps.length - 1; i++) {
    const step = steps[i] as string
    if (i > 0) holder = memberOf(holder, step)
    if (!Object.hasOwn(object, step)) put(object, step, {})
    const next = object[step]
    // Where the name came without brackets too, it is no object: the field says so.
    if (typeof next !== 'object' || next === null || Array.isArray(next)) return
    object = next as Values
  }
  const last = steps.at(-1) as string
  add(object, last, raw, memberOf(holder, last))
}

const memberOf = (holder: Node | undefined, name: string): Node | undefined =>
  holder?.kind === 'table' ? sentShape(holder.value) : holder?.kind === 'record' ? shapeOf(holder, name) : undefined

/** Adds the value of a form's part, which is not encoded, to what came under its name. */
export function addFormValue(values: Values, name: string, value: unknown, declared: RecordNode): void {
  const shape = shapeOf(declared, name)
  if (Object.hasOwn(values, name)) put(values, name, gather(values[name], value))
  else put(values, name, isList(shape) && value !== '' ? [value] : value)
}

/**
 * Adds what a raw value carries to what came under its name. A bare name, without `=`, is a flag that is up, or an
 * empty text.
 */
function add(values: Values, name: string, raw: string | undefined, shape: Node | undefined): void {
  const separator = isList(shape) ? separatorOf(shape) : undefined
  const sent =
    raw === undefined
      ? shape?.kind === 'flag'
        ? 'true'
        : ''
      : separator && raw !== ''
        ? raw.split(separator).map(decode)
        : decode(raw)
  if (Object.hasOwn(values, name)) put(values, name, gather(values[name], sent))
  else put(values, name, isList(shape) && sent !== '' && !Array.isArray(sent) ? [sent] : sent)
}

/** Adds to what came before; a list of it grows in place, so that a name sent often costs no more than its length. */
export function gather(before: unknown, more: unknown): unknown[] {
  const all = Array.isArray(before) ? before : [before]
  if (Array.isArray(more)) for (const one of more) all.push(one)
  else all.push(more)
  return all
}

/** The declared header fields; the lines of a list are joined and split at commas (RFC 9110, section 5.6). */
export function headerValues(headers: readonly (readonly [string, string])[], fields: readonly Carried[]): Values {
  const values: Values = {}
  for (let at = 0; at < fields.length; at++) {
    const { name, isList } = fields[at] as Carried
    let sent: unknown
    for (let i = 0; i < headers.length; i++) {
      const line = headers[i] as readonly [string, string]
      if (line[0] === name) sent = sent === undefined ? line[1] : gather(sent, line[1])
    }
    if (sent !== undefined) put(values, name, isList ? elementsOf(sent) : sent)
  }
  return values
}

const elementsOf = (lines: unknown) =>
  gather([], lines)
    .flatMap((line) => splitOutside(String(line), ','))
    .map((one) => one.trim())
    .filter((one) => one !== '')
