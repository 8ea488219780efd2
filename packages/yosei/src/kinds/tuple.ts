/** Exactly these values, each of its own kind, in this order. */

import type { Declared } from '../terms/declared.js'
import { aListOfFields, merged, required } from '../terms/option-types.js'
import { belowOf, readBelow, takesAtOnce } from './below.js'
import { below, choose } from './code.js'
import type { CodeOf, KindOf, Node, SoundOf } from './kind.js'
import { countWords, elementOf, isJoined, type Styled, separators, styleOptions } from './list.js'
import { element, notOfKind, type Run, report, type Source } from './run.js'

declare module './kind.js' {
  interface Kinds {
    tuple: TupleNode
  }
}
export interface TupleNode extends Declared, Styled {
  readonly kind: 'tuple'
  readonly items: readonly Node[]
}

export const tupleWords = /* @__PURE__ */ merged(countWords, {
  'wrong_type.tuple': 'must be a list',
  'form.tuple': 'a list',
})

export const tuple: KindOf<TupleNode> = {
  words: tupleWords,
  measures: () => ['list'],
  shape: 'list',
  children: ({ items }) => items.map((item, index) => [index, item]),
  hasEnd: ({ items }, ends) => items.every(ends),
  read,
  takesNull: () => false,
  encode: ({ items }, value, { encode }) =>
    Array.isArray(value) ? value.map((one, index) => (items[index] ? encode(items[index], one) : one)) : value,
  mask: ({ items }, value, below) =>
    Array.isArray(value)
      ? value.slice(0, items.length).map((one, index) => below(items[index] as Node, one))
      : undefined,
}

/** Whether its options make sense. */
export const tupleSound: SoundOf<TupleNode> = {
  options: /* @__PURE__ */ merged({ items: required(aListOfFields) }, styleOptions),
  check: () => undefined,
}

function read(node: TupleNode, value: unknown, source: Source, run: Run): unknown[] | undefined {
  const isText = source === 'text' && typeof value === 'string'
  const sent = isText ? (isJoined(node) ? value.split(separators[node.style ?? 'form'].text) : [value]) : value
  if (!Array.isArray(sent)) return notOfKind(node, value, run)
  const count = node.items.length
  if (sent.length < count) report(run, node, 'too_few', count)
  if (sent.length > count) report(run, node, 'too_many', count)
  return node.items
    .slice(0, sent.length)
    .map((item, index) =>
      readBelow(belowOf(item, source, run.interpreter.kinds), index, element(sent[index]), run, takesAtOnce(run)),
    )
}

export const tupleCode: CodeOf<TupleNode> = {
  absent: 'told',
  write(whole, { items }) {
    const { writer, read, place } = whole
    choose(whole, `Array.isArray(${read}) && ${read}.length === ${items.length}`, () => {
      const values = items.map((item, index) =>
        whole.emit(item, elementOf(read, index), below(place, String(index), index)),
      )
      writer.line(`${read} = [${values.join(', ')}]`)
    })
  },
}
