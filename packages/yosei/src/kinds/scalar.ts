/** What all scalars have in common: kinds without fields of their own, read from one JSON scalar or one text. */
import type { Declared } from '../terms/declared.js'
import type { CodeOf, From, KindOf, Node, Refuse, Spot, Test } from './kind.js'
import { quote } from './quote.js'
import { note, type Run, report, type Source } from './run.js'
import type { Writer } from './writer.js'

type ScalarNode = Extract<Node, Declared>
/**
 * Takes what was sent, tells all that is wrong with it, and gives what was read; `undefined` where it could not be read
 * at all.
 */
type ReadScalar<N> = (node: N, value: unknown, run: Run, source: Source) => unknown

type OfScalar = 'shape' | 'children' | 'hasEnd' | 'takesNull' | 'encode' | 'mask'

/** A scalar kind: its own options and checks, and how it reads. */
/* @__NO_SIDE_EFFECTS__ */
export function scalar<N extends Declared>(
  own: Omit<KindOf<N>, OfScalar | 'read'> & { readonly readScalar: ReadScalar<N> } & Partial<
      Pick<KindOf<N>, 'takesNull' | 'encode'>
    >,
): ScalarKind<N> {
  const { readScalar } = own
  return {
    shape: 'scalar',
    children: () => [],
    hasEnd: () => true,
    takesNull: () => false,
    encode: (_, value) => value,
    mask: (_, value) => shorten(value),
    read(node, value, source, run) {
      if (source === 'text' && Array.isArray(value)) {
        note(run, 'from text', value, undefined)
        // A type that is not chosen yet is taken for none of those that it may be.
        return report(run, node as unknown as ScalarNode, 'sent_twice', value.length)
      }
      const read = readScalar(node, value, run, source)
      const isTidied = typeof value === 'string' && typeof read === 'string' && read !== value
      const how = isTidied ? 'tidied' : source !== 'json' && typeof value === 'string' ? 'from text' : 'as is'
      note(run, how, value, read)
      return read
    },
    ...own,
  }
}
export interface ScalarKind<N extends Declared> extends KindOf<N> {
  readonly shape: 'scalar'
  readonly readScalar: ReadScalar<N>
}

/** The longest text that is written down of a request. */
const longestText = 1000
export const shorten = (value: unknown): unknown =>
  typeof value === 'string'
    ? value.slice(0, longestText)
    : typeof value === 'object' || typeof value === 'symbol'
      ? undefined
      : value

/** A text that stands for a value: where text is read, and not only JSON. */
export const isText = (value: unknown, source: Source): value is string =>
  source !== 'json' && typeof value === 'string'

export function checkOrder(low: unknown, high: unknown, wrong: boolean, refuse: Refuse): void {
  if (wrong) refuse(`the lower limit ${low} leaves nothing below the upper limit ${high}`, 'Swap or mend them')
}

export function checkLength(length: readonly [number, number] | undefined, refuse: Refuse): void {
  if (!length) return
  const [least, most] = length
  if (!(Number.isInteger(least) && least >= 0 && most >= 0))
    refuse(`the length [${least}, ${most}] counts nothing`, 'Give two whole numbers from zero on', 'length')
  checkOrder(least, most, least > most, refuse)
}

/** The code of a scalar kind, by its test. A page has no use for it, and a bundler leaves it out. */
/* @__NO_SIDE_EFFECTS__ */
export const scalarCode = /* @__NO_SIDE_EFFECTS__ */ <N extends Declared>(
  testOf: (writer: Writer, node: N, read: string, from: From) => Test,
  held?: CodeOf<N>['held'] & {},
): CodeOf<N> => ({
  absent: 'told',
  test: testOf,
  ...(held ? { held } : {}),
  write({ writer, read, place, interpretInstead }, node) {
    const { test, value, prepare, tried } = testOf(writer, node, read, fromOf(place))
    if (prepare) writer.line(prepare)
    if (test === undefined) writer.line(interpretInstead())
    else if (value === undefined) writer.line(`if (!(${test})) ${interpretInstead(tried)}`)
    else writer.line(`if (${test}) ${read} = ${value}; else ${interpretInstead(tried)}`)
  },
})

export const fromOf = ({ source, address: [part] }: Spot): From => ({ source, part })

/** −0 is equal to 0, but what is read is the 0 of the declaration. */
export const zero = (read: string, values: readonly unknown[]): Pick<Test, 'value'> =>
  values.includes(0) ? { value: `${read} === 0 ? 0 : ${read}` } : {}

/** A value in the code itself, where nothing but its type decides how it is written; else a constant. */
export function literal(writer: Writer, value: unknown): string {
  if (typeof value === 'string') return quote(value)
  if (Object.is(value, -0)) return '-0'
  return typeof value === 'number' || typeof value === 'boolean' || value === null ? String(value) : writer.bind(value)
}
