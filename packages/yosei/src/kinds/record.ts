/** Named fields, each with its own declaration. */
import type { Declared } from '../terms/declared.js'
import { aRule, fields, listOf, oneOf, required } from '../terms/option-types.js'
import { isEmpty, put } from '../terms/own.js'
import { type Below, belowOf, readBelow, takesAtOnce } from './below.js'
import { below, choose, isPlain, property } from './code.js'
import type { CodeOf, EmitContext, KindOf, KindTable, Node, SoundOf } from './kind.js'
import { access, key, quote } from './quote.js'
import { type Fault, isNamed, type Named, nameTold, notOfKind, type Run, reportBelow, type Source } from './run.js'
import { miss } from './scalar.js'
import { suggest } from './suggest.js'

declare module './kind.js' {
  interface Kinds {
    record: RecordNode
  }
}
export interface RecordNode extends Declared {
  readonly kind: 'record'
  readonly fields: { readonly [name: string]: Node }
  readonly unlisted?: 'refuse' | 'drop' | 'keep'
  /** Rules between its fields, which it brings along wherever it is used: see the room of rules. */
  readonly rules?: readonly object[]
}

export const recordWords = {
  'wrong_type.record': 'must be an object',
  unlisted: 'is not known here',
  'unlisted.near': 'is not known here; {nearest} is',
  'unlisted.repeated': 'is not known here; {nearest} is: write {mend}',
  'unlisted.belongs': 'is not known here; it belongs in {home}',
  'form.record': 'an object',
  'form.names': 'an object with {value}',
}

export const record: KindOf<RecordNode> = {
  words: recordWords,
  measures: () => ['object'],
  shape: 'object',
  children: ({ fields }) => Object.entries(fields),
  hasEnd: ({ fields }, ends) => Object.values(fields).every(ends),
  read: (node, value, source, run) => readRecord(node, value, source, run, []),
  binds,
  takesNull: () => false,
  encode: ({ fields }, value, { encode }) =>
    mapNames(value, (name, one) => (Object.hasOwn(fields, name) ? encode(fields[name] as Node, one) : one)),
  mask: ({ fields }, value, below) =>
    mapNames(
      value,
      (name, one) => (Object.hasOwn(fields, name) ? below(fields[name] as Node, one) : undefined),
      undefined,
    ),
}

/** Whether its options make sense. */
export const recordSound: SoundOf<RecordNode> = {
  options: { fields: required(fields), unlisted: oneOf('refuse', 'drop', 'keep'), rules: listOf(aRule) },
  check: () => undefined,
}

/** The same names with other values; what has no names stays as it is, or becomes `otherwise`. */
export function mapNames(
  value: unknown,
  map: (name: string, value: unknown) => unknown,
  otherwise: unknown = value,
): unknown {
  if (!isNamed(value)) return otherwise
  const mapped: { [name: string]: unknown } = {}
  for (const [name, one] of Object.entries(value)) if (one !== undefined) put(mapped, name, map(name, one))
  return mapped
}

/** The names of a record in their order, and what each is read by, for values of one source. */
interface Plan {
  readonly names: readonly string[]
  readonly fields: readonly Below[]
}
const plans = /* @__PURE__ */ new WeakMap<RecordNode, { [S in Source]?: Plan }>()

function planOf(node: RecordNode, source: Source, kinds: KindTable): Plan {
  let known = plans.get(node)
  if (!known) {
    known = {}
    plans.set(node, known)
  }
  known[source] ??= {
    names: Object.keys(node.fields),
    fields: Object.values(node.fields).map((field) => belowOf(field, source, kinds)),
  }
  return known[source]
}

function binds(node: RecordNode, source: Source, kinds: KindTable) {
  let plan: Plan | undefined
  return (value: unknown, run: Run) => {
    if (!isPlainObject(value)) return miss
    plan ??= planOf(node, source, kinds)
    return readFields(plan, node, value as Named, run, [])
  }
}

/** `implied` are the tags of the unions that the record is a branch of: read there, and copied here. */
export function readRecord(
  node: RecordNode,
  value: unknown,
  source: Source,
  run: Run,
  implied: readonly string[],
): object | undefined {
  if (!isNamed(value)) return notOfKind(node, value, run, pairsTold(node, value, source, run))
  return readFields(planOf(node, source, run.interpreter.kinds), node, value, run, implied)
}

function readFields(plan: Plan, node: RecordNode, sent: Named, run: Run, implied: readonly string[]): object {
  const { names } = plan
  const read: { [name: string]: unknown } = {}
  for (const tag of implied) put(read, tag, sent[tag])
  const isQuick = takesAtOnce(run)
  let next = 0
  let others = 0
  // Most clients send names in the order of the declaration. To walk them is much faster than to ask for each.
  if (inheritsNothing(sent, run))
    for (const name in sent) {
      for (; next < names.length && names[next] !== name && !Object.hasOwn(sent, names[next] as string); next++)
        addField(plan, next, undefined, read, run, isQuick)
      if (names[next] === name) addField(plan, next++, sent[name], read, run, isQuick)
      else others++
    }
  else others = Number.POSITIVE_INFINITY
  for (; next < names.length; next++) {
    const name = names[next] as string
    addField(plan, next, Object.hasOwn(sent, name) ? sent[name] : undefined, read, run, isQuick)
  }
  if (others > implied.length) keepOrReport(node, sent, read, implied, run)
  return read
}

function addField(
  plan: Plan,
  at: number,
  value: unknown,
  read: { [name: string]: unknown },
  run: Run,
  isQuick: boolean,
) {
  const name = plan.names[at] as string
  const one = readBelow(plan.fields[at] as Below, name, value, run, isQuick)
  if (one === undefined) return
  if (name === '__proto__') put(read, name, one)
  else read[name] = one
}

const isPlainObject = (value: unknown) => {
  const prototype = Object.getPrototypeOf(value)
  return prototype === Object.prototype || prototype === null
}

/** A name on the prototype of every object would be walked as one that was sent. */
function inheritsNothing(value: object, run: Run): boolean {
  const prototype = Object.getPrototypeOf(value)
  if (prototype !== Object.prototype) return isEmpty(prototype ?? undefined)
  run.isPolluted ??= !isEmpty(Object.prototype)
  return !run.isPolluted
}

/** In a query or a form a record is written name by name. */
function pairsTold({ fields }: RecordNode, value: unknown, source: Source, { path, secrecy }: Run): Partial<Fault> {
  const [part, name, ...deeper] = path
  const [first] = Object.keys(fields)
  if (source !== 'text' || typeof value !== 'string' || secrecy > 0 || first === undefined) return {}
  if (typeof name !== 'string' || deeper.some((key) => typeof key === 'number')) return {}
  if (part !== 'query' && part !== 'body') return {}
  return { hint: 'pairs', about: { mend: `${name}${[...deeper, first].map((key) => `[${key}]`).join('')}=…` } }
}

/** Deals with the names that are not declared: each is reported, kept or dropped. */
export function keepOrReport(node: RecordNode, sent: object, read: object, implied: readonly string[], run: Run): void {
  const unlisted = node.unlisted ?? run.unlisted
  if (unlisted === 'drop') return
  const field = belowOf(kept, 'json', run.interpreter.kinds)
  for (const [name, value] of Object.entries(sent)) {
    if (Object.hasOwn(node.fields, name) || implied.includes(name)) continue
    if (unlisted === 'refuse') reportUnlisted(node, name, implied, run)
    else put(read as { [name: string]: unknown }, name, readBelow(field, nameTold(run, name), value, run, false))
  }
}

/** What is kept of an unlisted name. */
const kept: Node = { kind: 'anything', need: 'optional' }

function reportUnlisted(node: RecordNode, name: string, implied: readonly string[], run: Run): void {
  const isHidden = run.secrecy > 0
  const list = isHidden || run.path.join() !== 'query' ? undefined : listMeant(node, name)
  const nearest =
    list ??
    (run.suggestions > 0 && !isHidden ? suggest(name, [...Object.keys(node.fields), ...implied], run) : undefined)
  const about =
    list === undefined
      ? { variant: 'near', about: { nearest } }
      : { variant: 'repeated', about: { nearest, mend: `${list}=1&${list}=2` } }
  reportBelow(run, node, 'unlisted', [nameTold(run, name)], nearest === undefined ? {} : about)
}

/** The list that other ways to write a query call `ids[]`, or `ids[0]`. */
function listMeant({ fields }: RecordNode, name: string): string | undefined {
  const list = /^([^[\]]{1,64})\[\d{0,9}\]$/.exec(name)?.[1]
  const field = list !== undefined && Object.hasOwn(fields, list) ? fields[list] : undefined
  return field?.kind === 'list' && (field.explode ?? true) ? list : undefined
}

export const recordCode: CodeOf<RecordNode> = {
  absent: 'told',
  write: (whole, node) => choose(whole, isPlain(whole.read), () => writeRecord(whole, node, [])),
}

/** Counts the names of an object instead of looking each up: one too many is an unlisted one. */
export function writeRecord(
  { writer, read, place, emit }: EmitContext,
  node: RecordNode,
  implied: readonly (readonly [tag: string, value: string])[],
): void {
  const unlisted = node.unlisted ?? place.unlisted
  const fields = Object.entries(node.fields)
  const needed = fields.filter(([, field]) => field.need === 'required').length + implied.length
  const count = writer.name('n')
  if (unlisted !== 'drop') writer.line(`let ${count} = ${needed}`)
  const values = fields.map(([name, field]): [string, Node, string] => {
    const counted = unlisted === 'drop' ? undefined : { name: count, needed: field.need === 'required' }
    return [name, field, emit(field, property(read, name), below(place, quote(name), name), counted)]
  })
  const made = writer.name('o')
  // What may be absent is added behind what is always there, in the order of the declaration.
  const firstOptional = values.findIndex(([, field]) => mayBeAbsent(field))
  const always = firstOptional < 0 ? values : values.slice(0, firstOptional)
  const literal = [
    ...implied.map(([tag, value]) => `${key(tag)}: ${quote(value)}`),
    ...always.map(([name, , value]) => `${key(name)}: ${value}`),
  ]
  writer.line(`const ${made} = ${literal.length > 0 ? `{ ${literal.join(', ')} }` : '{}'}`)
  for (const [name, field, value] of values.slice(always.length)) {
    const add = name === '__proto__' ? `put(${made}, ${quote(name)}, ${value})` : `${made}${access(name)} = ${value}`
    writer.line(mayBeAbsent(field) ? `if (${value} !== undefined) ${add}` : add)
  }
  if (unlisted !== 'drop') {
    // Counted without a list of the names being made.
    writer.line(`for (const _ in ${read}) ${count}--`)
    const tags = writer.bind(implied.map(([tag]) => tag))
    writer.line(
      `if (${count} !== 0) unlistedIn(run, ${writer.bind(node)}, ${read}, ${made}, ${tags}, ${writer.path(place)})`,
    )
  }
  writer.line(`${read} = ${made}`)
}

const mayBeAbsent = ({ kind, need, readOnly }: Node): boolean =>
  kind === 'later' || need === 'optional' || (Boolean(readOnly) && need !== 'defaulted')
