/** Values of one kind, in order. In a query the name is repeated, unless `style` says otherwise. */

import { EACH, valueAt } from '../terms/address.js'
import type { Bounds, Declared } from '../terms/declared.js'
import { aField, aFlag, aText, bounds, eitherOf, merged, oneOf, required } from '../terms/option-types.js'
import { type Below, belowOf, readBelow, takesAtOnce } from './below.js'
import { below, choose } from './code.js'
import type { CodeOf, KindOf, KindTable, Node, SoundOf } from './kind.js'
import { Place } from './phrase.js'
import { optionalAccess, quote } from './quote.js'
import { element, type Fault, note, notOfKind, type Run, report, reportBelow, type Source } from './run.js'
import { sameAs } from './same.js'
import { checkLength, miss } from './scalar.js'
import { formsOf, keepsEmpty, sentShape } from './shape.js'
import { fieldsNamed } from './tagged.js'
import type { Writer } from './writer.js'

declare module './kind.js' {
  interface Kinds {
    list: ListNode
  }
}
/** How a query carries several values (OpenAPI's styles). */
export interface Styled {
  readonly style?: 'form' | 'spaceDelimited' | 'pipeDelimited'
  readonly explode?: boolean
}
export interface ListNode extends Declared, Styled {
  readonly kind: 'list'
  readonly item: Node
  readonly length?: Bounds
  readonly distinct?: boolean | string
  /** Whether each element is judged alone. */
  readonly piecewise?: boolean
  /** Whether a body of it comes in lines, if no media type is said. */
  readonly lines?: boolean
}

/** How many elements there may be. */
export const countWords = {
  too_few: 'must have at least {limit} {limit|element|elements}',
  too_many: 'must have at most {limit} {limit|element|elements}',
}

export const listWords = /* @__PURE__ */ merged(countWords, {
  'wrong_type.list': 'must be a list',
  'missing.between': 'must not be empty between commas',
  'missing.betweenOthers': 'must not be empty between two others',
  repeated: 'must not repeat {other}',
  'form.list': 'a list',
})

export const list: KindOf<ListNode> = {
  words: listWords,
  measures: () => ['list'],
  shape: 'list',
  children: ({ item }) => [[EACH, item]],
  hasEnd: ({ length, item }, ends) => (length?.[0] ?? 0) === 0 || ends(item),
  read,
  binds,
  takesNull: () => false,
  encode: ({ item }, value, { encode }) => (Array.isArray(value) ? value.map((one) => encode(item, one)) : value),
  mask: ({ item }, value, below) =>
    Array.isArray(value) ? value.slice(0, 1000).map((one) => below(item, one)) : undefined,
}

export const styleOptions = { style: oneOf('form', 'spaceDelimited', 'pipeDelimited'), explode: aFlag } as const

/** Whether its options make sense. */
export const listSound: SoundOf<ListNode> = {
  options: /* @__PURE__ */ merged(
    { item: required(aField), length: bounds, distinct: eitherOf(aFlag, aText), lines: aFlag, piecewise: aFlag },
    styleOptions,
  ),
  check({ length, distinct, item }, refuse) {
    checkLength(length, refuse)
    if (typeof distinct === 'string' && fieldsNamed(sentShape(item), distinct).length === 0)
      refuse(`its elements have no field ${distinct}`, 'Let distinct name a field of the elements', 'distinct')
  },
}

/**
 * By the style of a list: what is between its elements in text, how that is written in a query, and all that a query may
 * have for it.
 */
export const separators = {
  form: { text: ',', written: ',', read: /,/ },
  spaceDelimited: { text: ' ', written: '%20', read: /%20|\+/ },
  pipeDelimited: { text: '|', written: '|', read: /\||%7c/i },
} as const

function read(node: ListNode, value: unknown, source: Source, run: Run): unknown[] | undefined {
  const sent =
    source === 'text' && typeof value === 'string'
      ? isJoined(node)
        ? value.split(separators[node.style ?? 'form'].text)
        : [value]
      : value
  return readElements(belowOf(node.item, source, run.interpreter.kinds), node, sent, run)
}

function binds(node: ListNode, source: Source, kinds: KindTable) {
  let item: Below | undefined
  return (value: unknown, run: Run) => {
    if (!Array.isArray(value)) return miss
    item ??= belowOf(node.item, source, kinds)
    return readElements(item, node, value, run)
  }
}

function readElements(item: Below, node: ListNode, sent: unknown, run: Run): unknown[] | undefined {
  if (!Array.isArray(sent)) return notOfKind(node, sent, run)
  if (sent.length === 0) note(run, 'as is', [], [])
  reportCount(node, sent.length, run)
  const isGap = (one: unknown) => one === '' && item.source === 'text' && sent.length > 1 && mindsGaps(node)
  const isQuick = takesAtOnce(run)
  const read: unknown[] = []
  // Not by `map`, which passes holes by.
  for (let i = 0; i < sent.length; i++)
    read.push(
      isGap(sent[i])
        ? reportBelow(run, node.item, 'missing', [i], { variant: node.style ? 'betweenOthers' : 'between' })
        : readBelow(item, i, element(sent[i]), run, isQuick),
    )
  if (node.distinct) reportRepeated(node, read, run)
  return read
}

/** Whether its elements come as one text, with something between them. */
export const isJoined = ({ explode, style = 'form' }: Styled) => (explode === undefined ? style !== 'form' : !explode)
/** Whether an empty value between two separators is reported as such. */
const mindsGaps = (node: ListNode) => isJoined(node) && node.item.need === 'required' && !keepsEmpty(node.item)

export function reportCount(node: Node & { readonly length?: Bounds }, count: number, run: Run): void {
  const [least, most] = node.length ?? [0, Number.POSITIVE_INFINITY]
  if (count < least) report(run, node, 'too_few', least)
  if (count > most) report(run, node, 'too_many', most)
}

export function reportRepeated(node: ListNode, read: readonly unknown[], run: Run): void {
  const by = typeof node.distinct === 'string' ? node.distinct : undefined
  const values = by === undefined ? read : read.map((one) => valueAt(one, [by]))
  const nodes = comparedIn(node)
  if (nodes.every(isByItself) && !mayRepeat(values)) return
  const same = sameAs(nodes)
  const wrong = wrongElements(run, by)
  const seen = new Map<string, number>()
  const steps = by === undefined ? [] : [by]
  for (const [index, value] of values.entries()) {
    if (value === undefined || wrong.has(index)) continue
    const key = same(value)
    const earlier = seen.get(key)
    if (earlier === undefined) seen.set(key, index)
    else
      reportBelow(run, node, 'repeated', [index, ...steps], {
        about: { other: new Place([...run.path, earlier, ...steps]) },
      })
  }
}

/** What declares the values that are compared in a list without repeats. */
export function comparedIn({ item, distinct }: ListNode): readonly Node[] {
  return typeof distinct === 'string' ? formsOf(item).flatMap((form) => fieldsNamed(form, distinct)) : [item]
}

/** Whether texts and numbers that a declaration reads are the same only if they are equal. */
const isByItself = (node: Node): boolean =>
  formsOf(node).every(
    (form) => form.kind !== 'decimal' && !(form.kind === 'text' && /^(?:date-)?time$/.test(form.format ?? '')),
  )

/** The elements of the list where the walk is that something was found wrong with: nothing is compared with those. */
function wrongElements({ faults, path: list }: Run, by: string | undefined): ReadonlySet<string | number | undefined> {
  const wrong = new Set<string | number | undefined>()
  // What was found inside of it was found last.
  for (let i = faults.length - 1; i >= 0; i--) {
    const { path } = faults[i] as Fault
    if (path.length <= list.length || !list.every((key, index) => key === path[index])) break
    const inside = path[list.length + 1]
    if (by === undefined || inside === undefined || inside === by) wrong.add(path[list.length])
  }
  return wrong
}

/** What an element has under a name. */
export const valueUnder = (element: unknown, name: string): unknown =>
  typeof element === 'object' && element !== null && Object.hasOwn(element, name)
    ? (element as { readonly [name: string]: unknown })[name]
    : undefined

/** Whether values may repeat: among texts and numbers, that is soon ruled out. */
export function mayRepeat(values: readonly unknown[]): boolean {
  const seen = values.length > 16 ? new Set<unknown>() : undefined
  for (let i = 0; i < values.length; i++) {
    const value = values[i]
    if ((typeof value !== 'string' && typeof value !== 'number') || seen?.has(value)) return true
    if (seen) seen.add(value)
    else for (let j = 0; j < i; j++) if (values[j] === value) return true
  }
  return false
}

export const listCode: CodeOf<ListNode> = {
  absent: 'told',
  write(whole, node) {
    const { writer, read, place } = whole
    const [least, most] = node.length ?? [0, Number.POSITIVE_INFINITY]
    const test = [
      `Array.isArray(${read})`,
      ...(least > 0 ? [`${read}.length >= ${Number(least)}`] : []),
      ...(most < Number.POSITIVE_INFINITY ? [`${read}.length <= ${Number(most)}`] : []),
      ...(place.source === 'text' && mindsGaps(node) ? [`!${read}.includes("")`] : []),
    ].join(' && ')
    choose(whole, test, () => {
      const [index, made] = [writer.name('i'), writer.name('o')]
      const value = node.distinct ? comparedCode(writer, node) : undefined
      const values = value ? writer.name('o') : made
      writer.line(`const ${made} = new Array(${read}.length)${value ? `, ${values} = new Array(${read}.length)` : ''}`)
      writer.block(`for (let ${index} = 0; ${index} < ${read}.length; ${index}++) {`, () => {
        const one = whole.emit(node.item, elementOf(read, index), below(place, index, EACH))
        writer.line(`${made}[${index}] = ${one}`)
        if (value) writer.line(`${values}[${index}] = ${value(one)}`)
      })
      if (node.distinct && !comparedIn(node).every(isByItself))
        writer.line(`repeatedIn(run, ${writer.bind(node)}, ${made}, ${writer.path(place)})`)
      else if (node.distinct)
        writer.line(`if (mayRepeat(${values})) repeatedIn(run, ${writer.bind(node)}, ${made}, ${writer.path(place)})`)
      writer.line(`${read} = ${made}`)
    })
  },
}

/** What is compared of an element that was read, if that is not the element. */
function comparedCode(writer: Writer, { item, distinct }: ListNode): ((element: string) => string) | undefined {
  if (typeof distinct === 'string')
    // A record is known without a look at what it is.
    return item.kind === 'record' && !(distinct in Object.prototype)
      ? (element) => `${element}${optionalAccess(distinct)}`
      : (element) => `valueUnder(${element}, ${quote(distinct)})`
  if (item.kind !== 'readAs' || !item.key) return undefined
  const key = writer.bind(item.key)
  return (element) => `(${element} == null ? ${element} : ${key}(${element}))`
}

/** A hole or `undefined` in an array that a program made counts as null, as in JSON. */
export const elementOf = (read: string, index: string | number) =>
  `${read}[${index}] === undefined ? null : ${read}[${index}]`
