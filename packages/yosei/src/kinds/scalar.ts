/** What all scalars have in common: kinds without fields of their own, read from one JSON scalar or one text. */

import type { Code } from '../terms/codes.js'
import type { Declared } from '../terms/declared.js'
import type { CodeOf, From, KindOf, Measure, Node, Refuse, Spot, Test } from './kind.js'
import { quote } from './quote.js'
import { clock, type Fault, note, type Run, report, reportOther, reportSent, type Source } from './run.js'
import type { Writer } from './writer.js'

type ScalarNode = Extract<Node, Declared>

interface More extends Pick<Fault, 'variant' | 'hint' | 'about'> {
  /** Whether the limit is the value that is declared: of a secret it is not shown. */
  readonly isDeclared?: boolean
  /** Whether what was sent is not known any more: a number that lost its digits. */
  readonly isLost?: boolean
}
const nothingMore: More = {}
/** What is wrong with a value. It is reported at the place where the walk is. */
export class Wrong {
  constructor(
    readonly code: Code,
    readonly limit?: unknown,
    readonly more: More = nothingMore,
  ) {}
}

/** Checks what was read. */
export type Check<R> = (read: R, sent: unknown, run: Run, source: Source) => Wrong | readonly Wrong[] | undefined

/** Stands for a value that is not right, or not simply: the interpreter looks at it. */
export const miss = Symbol('miss')
/** Takes a value that is right, and gives what is read; else `miss`. It reports nothing, and need not know its place. */
export type Accept = (value: unknown, run: Run) => unknown

interface Scalar<N extends Declared, R>
  extends Pick<KindOf<N>, 'measures'>,
    Partial<Pick<KindOf<N>, 'words' | 'takesNull' | 'encode'>>,
    Partial<Pick<ScalarKind<N>, 'accepts'>> {
  /** Reads a value; or says why it cannot be read at all. */
  parse(node: N, value: unknown, source: Source, run: Run): R | Wrong
  /** All that must hold of what was read. */
  checks?(node: N): readonly Check<R>[]
  /** What a handler gets, if it is not what was checked. */
  made?(read: R): unknown
}

/** A scalar kind: its own options and checks, and how it reads. */
/* @__NO_SIDE_EFFECTS__ */
export function scalar<N extends Declared, R>({ parse, checks, made, ...own }: Scalar<N, R>): ScalarKind<N> {
  const known = new WeakMap<N, readonly Check<R>[]>()
  const checksOf = (node: N): readonly Check<R>[] => {
    const found = known.get(node)
    if (found) return found
    const made = checks?.(node) ?? []
    known.set(node, made)
    return made
  }
  const readScalar: ScalarKind<N>['readScalar'] = (node, value, run, source) => {
    const declared = node as unknown as ScalarNode
    const read = parse(node, value, source, run)
    if (read instanceof Wrong) return reportWrong(run, declared, value, read)
    for (const check of checksOf(node)) {
      const wrong = check(read, value, run, source)
      if (wrong instanceof Wrong) reportWrong(run, declared, value, wrong)
      else if (wrong) for (const one of wrong) reportWrong(run, declared, value, one)
    }
    return made ? made(read) : read
  }
  return {
    shape: 'scalar',
    children: () => [],
    hasEnd: () => true,
    takesNull: () => false,
    encode: (_, value) => value,
    mask: (_, value) => shorten(value),
    readScalar,
    accepts(node, source) {
      const [check, ...more] = checksOf(node)
      return (value, run) => {
        const read = parse(node, value, source, run)
        if (read instanceof Wrong || check?.(read, value, run, source)) return miss
        for (let i = 0; i < more.length; i++) if ((more[i] as Check<R>)(read, value, run, source)) return miss
        return made ? made(read) : read
      }
    },
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
  /**
   * Reads what was sent, reports all that is wrong with it, and gives what was read; `undefined` if it could not be read
   * at all.
   */
  readonly readScalar: (node: N, value: unknown, run: Run, source: Source) => unknown
  /** How values of one source are taken that are there, and right. */
  readonly accepts: (node: N, source: Source) => Accept
}

function reportWrong(run: Run, node: Node, sent: unknown, { code, limit, more }: Wrong): undefined {
  const { isDeclared, isLost, variant, hint, about } = more
  if (isLost) report(run, node, code)
  else if (isDeclared) reportOther(run, node, code, sent, limit, variant, hint)
  else reportSent(run, node, code, sent, limit, variant, hint, about)
}

export const boundWords = {
  below_min: 'must be at least {limit}',
  'below_min.above': 'must be more than {limit}',
  above_max: 'must be at most {limit}',
  'above_max.below': 'must be less than {limit}',
}

type Order = '>=' | '>' | '<=' | '<'
/** A limit of what is read, as data: it is checked, reported, and written as code. */
export interface Bound<L> {
  readonly order: Order
  /** By the clock, if that moves it. */
  readonly limit: L | ((now: number) => L)
  readonly code: Code
  readonly variant?: string | undefined
}

/** The limits that are declared. */
export const bounds = <L>(
  ...rows: readonly (readonly [Order, Bound<L>['limit'] | undefined, Code, variant?: string])[]
): readonly Bound<L>[] =>
  rows.flatMap(([order, limit, code, variant]) => (limit === undefined ? [] : [{ order, limit, code, variant }]))

/** By how a value lies to a limit: below zero before it, at zero with it. */
export const holdsBy: { readonly [O in Order]: (order: number) => boolean } = {
  '>=': (order) => order >= 0,
  '>': (order) => order > 0,
  '<=': (order) => order <= 0,
  '<': (order) => order < 0,
}

interface Compared<L> {
  /** How a value lies to a limit, if operators do not say it. */
  readonly compare?: (read: L, limit: L, sent: unknown, run: Run) => number
  /** Whether operators say it of a value after all. */
  readonly isPlain?: (sent: unknown, run: Run) => boolean
  /** How a limit is reported. */
  readonly shown?: (limit: L) => unknown
}

/** Checks limits. */
export function checkBounds<L extends string | number | bigint>(
  bounds: readonly Bound<L>[],
  by: Compared<L> = {},
): readonly Check<L>[] {
  if (bounds.length === 0) return []
  const { compare, isPlain, shown = (limit: L) => limit } = by
  const known = (order: Order) => {
    const limit = bounds.find((bound) => bound.order === order)?.limit
    return limit as Exclude<typeof limit, (now: number) => L>
  }
  const [min, above, max, below] = [known('>='), known('>'), known('<='), known('<')]
  const holds = (read: L) =>
    (min === undefined || read >= min) &&
    (above === undefined || read > above) &&
    (max === undefined || read <= max) &&
    (below === undefined || read < below)
  const look: Check<L> = (read, sent, run) => {
    const wrong: Wrong[] = []
    for (const { order, limit, code, variant } of bounds) {
      const now = typeof limit === 'function' ? (limit as (now: number) => L)(clock(run)) : limit
      const lies = compare ? compare(read, now, sent, run) : read < now ? -1 : read > now ? 1 : 0
      if (!holdsBy[order](lies))
        wrong.push(new Wrong(code, shown(now), variant === undefined ? undefined : { variant }))
    }
    return wrong.length === 0 ? undefined : wrong
  }
  if (bounds.some(({ limit }) => typeof limit === 'function')) return [look]
  if (!compare) return [(read, sent, run, source) => (holds(read) ? undefined : look(read, sent, run, source))]
  return [
    (read, sent, run, source) => (isPlain?.(sent, run) && holds(read) ? undefined : look(read, sent, run, source)),
  ]
}

/**
 * The same as code.
 *
 * @param moving The name of a limit that the clock moves.
 */
export const boundTests = <L>(
  writer: Writer,
  bounds: readonly Bound<L>[],
  read: string,
  moving?: (at: number) => string,
): string[] =>
  bounds.map(({ order, limit }, at) => {
    const now = typeof limit === 'function' && moving ? `${moving(at)}(clock(run))` : literal(writer, limit)
    return `${read} ${order} ${now}`
  })

/** What a value that is declared is compared as. */
export const measureOf = (value: unknown): Measure =>
  typeof value === 'string' ? 'text' : typeof value === 'boolean' ? 'flag' : value === null ? 'own' : 'number'

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
/** Whether a value can be meant for a text, sent without its quotes. */
export const isBare = (value: unknown): boolean => typeof value === 'number' || typeof value === 'boolean'

export function checkOrder(low: unknown, high: unknown, wrong: boolean, refuse: Refuse): void {
  if (wrong) refuse(`the lower limit ${low} leaves nothing below the upper limit ${high}`, 'Swap or correct them')
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
