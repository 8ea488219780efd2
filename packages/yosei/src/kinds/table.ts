/** Free names, one kind of value. */
import { EACH_NAME } from '../terms/address.js'
import type { Bounds, Declared } from '../terms/declared.js'
import { aField, aFlag, aPattern, bounds, required } from '../terms/option-types.js'
import { put } from '../terms/own.js'
import { belowOf, readBelow, takesAtOnce } from './below.js'
import { below, choose, isPlain } from './code.js'
import type { CodeOf, KindOf, Node, SoundOf } from './kind.js'
import { reportCount } from './list.js'
import { checkPattern, matches } from './patterns.js'
import { mapNames } from './record.js'
import { countFaults, isNamed, nameTold, notOfKind, type Run, reportBelow, type Source } from './run.js'
import { checkLength } from './scalar.js'

declare module './kind.js' {
  interface Kinds {
    table: TableNode
  }
}
export interface TableNode extends Declared {
  readonly kind: 'table'
  readonly value: Node
  readonly length?: Bounds
  readonly names?: RegExp
  /** Whether the time that the pattern of names takes is not checked. */
  readonly trusted?: boolean
}

export const tableWords = {
  'wrong_type.table': 'must be an object',
  'too_few.table': 'must have at least {limit} {limit|name|names}',
  'too_many.table': 'must have at most {limit} {limit|name|names}',
  'wrong_pattern.name': 'must have a name that matches the pattern {limit}',
  'form.table': 'an object',
}

export const table: KindOf<TableNode> = {
  words: tableWords,
  measures: () => ['object'],
  shape: 'object',
  children: ({ value }) => [[EACH_NAME, value]],
  hasEnd: ({ length, value }, ends) => (length?.[0] ?? 0) === 0 || ends(value),
  read,
  takesNull: () => false,
  encode: (node, value, { encode }) => mapNames(value, (_, one) => encode(node.value, one)),
  mask: (node, value, below) => mapNames(value, (_, one) => below(node.value, one), undefined),
}

/** Whether its options make sense. */
export const tableSound: SoundOf<TableNode> = {
  options: { value: required(aField), length: bounds, names: aPattern, trusted: aFlag },
  check({ length, names, trusted }, refuse) {
    checkLength(length, refuse)
    checkPattern('names', names, { trusted }, refuse)
  },
}

function read(node: TableNode, value: unknown, source: Source, run: Run): object | undefined {
  if (!isNamed(value)) return notOfKind(node, value, run)
  const read: { [name: string]: unknown } = {}
  const names = Object.keys(value)
  reportCount(node, names.length, run)
  const below = belowOf(node.value, source, run.interpreter.kinds)
  for (const name of names) {
    if (node.names && !matches(node.names, name)) reportMisnamed(node, name, run)
    const before = countFaults(run)
    const one = readBelow(below, nameTold(run, name), value[name], run, takesAtOnce(run))
    // What could not be read was sent all the same, as an element of a list is.
    if (one !== undefined || countFaults(run) > before) put(read, name, one)
  }
  return read
}

export function reportMisnamed(node: TableNode, name: string, run: Run): void {
  reportBelow(run, node, 'wrong_pattern', [nameTold(run, name)], { limit: node.names?.source, variant: 'name' })
}

export const tableCode: CodeOf<TableNode> = {
  absent: 'told',
  write(whole, node) {
    const { writer, read, place } = whole
    const [names, name, made] = [writer.name('t'), writer.name('s'), writer.name('o')]
    const [least, most] = node.length ?? [0, Number.POSITIVE_INFINITY]
    const test = [
      isPlain(read),
      `(${names} = Object.keys(${read}), true)`,
      ...(least > 0 ? [`${names}.length >= ${Number(least)}`] : []),
      ...(most < Number.POSITIVE_INFINITY ? [`${names}.length <= ${Number(most)}`] : []),
    ].join(' && ')
    writer.line(`let ${names}`)
    choose(whole, test, () => {
      writer.line(`const ${made} = {}`)
      writer.block(`for (const ${name} of ${names}) {`, () => {
        if (node.names)
          writer.line(
            `if (!matches(${writer.bind(node.names)}, ${name})) misnamedIn(run, ${writer.bind(node)}, ${name}, ${writer.path(place)})`,
          )
        const before = writer.name('f')
        writer.line(`const ${before} = countFaults(run)`)
        const one = whole.emit(node.value, `${read}[${name}]`, below(place, name, '*'))
        writer.line(`if (${one} !== undefined || countFaults(run) > ${before}) put(${made}, ${name}, ${one})`)
      })
      writer.line(`${read} = ${made}`)
    })
  },
}
