/** Numbers, and whole numbers within ±(2^53−1); as text by the grammar of JSON numbers (RFC 8259, section 6). */
import { compareDecimals, isBinary, isMultiple, isMultipleOf, widestBinary } from '../grammar/numbers.js'
import type { Declared } from '../terms/declared.js'
import { aNumber, type OptionType } from '../terms/option-types.js'
import type { Hint, Node, Refuse, SoundOf } from './kind.js'
import { type Run, reportFraction, reportSent, type Source, writtenAt } from './run.js'
import { checkOrder, isText, literal, scalar, scalarCode } from './scalar.js'

declare module './kind.js' {
  interface Kinds {
    integer: NumberNode<'integer'>
    number: NumberNode<'number'>
  }
}
export interface Limits<T> {
  readonly min?: T
  readonly max?: T
  readonly above?: T
  readonly below?: T
  readonly step?: T
}
export interface NumberNode<K extends 'integer' | 'number'> extends Declared, Limits<number> {
  readonly kind: K
}
type AnyNumber = NumberNode<'integer'> | NumberNode<'number'>

/** Every limit takes a value of its kind. */
export const limits = /* @__NO_SIDE_EFFECTS__ */ (one: OptionType) => ({
  min: one,
  max: one,
  above: one,
  below: one,
  step: one,
})

export function checkLimits({ min, above, max, below, step }: Limits<number | bigint>, refuse: Refuse): void {
  const lows = [min, above].filter((limit) => limit !== undefined)
  const highs = [max, below].filter((limit) => limit !== undefined)
  for (const low of lows)
    for (const high of highs)
      checkOrder(low, high, low > high || (low === high && (low === above || high === below)), refuse)
  if (step !== undefined && !(step > 0)) refuse(`step is ${step}`, 'Give a step above zero', 'step')
}

export const number = scalar<NumberNode<'number'>>({ readScalar: read })

/** Whether its options make sense. */
export const numberSound: SoundOf<NumberNode<'number'>> = { options: limits(aNumber), check: checkLimits }
export const integer = scalar<NumberNode<'integer'>>({ readScalar: read })

/** Whether its options make sense. */
export const integerSound: SoundOf<NumberNode<'integer'>> = { options: limits(aNumber), check: checkLimits }

export const integerText = /^-?(0|[1-9][0-9]*)$/
const numberText = /^-?(0|[1-9][0-9]*)(\.[0-9]+)?([eE][+-]?[0-9]+)?$/

function read(node: AnyNumber, value: unknown, run: Run, source: Source): number | undefined {
  const whole = node.kind === 'integer'
  const form = whole ? integerText : numberText
  if (isText(value, source) ? !form.test(value) : typeof value !== 'number')
    return reportSent(run, node, 'wrong_type', value, undefined, undefined, hintFor(value, source, form))
  const read = Number(value) + 0 // −0 becomes 0, as JSON would write it
  if (!Number.isFinite(read) || (whole && Math.abs(read) > Number.MAX_SAFE_INTEGER))
    return reportSent(run, node, 'out_of_range', value)
  if (whole && reportFraction(run, node, read)) return undefined
  const written = typeof value === 'string' ? value : writtenAt(run)
  if (written !== undefined && isRounded(written, read)) reportExactly(node, written, value, run)
  else {
    reportLimits(node, node, value, orderOf(read), run)
    if (node.step !== undefined && !isMultiple(read, node.step)) reportSent(run, node, 'not_a_step', value, node.step)
  }
  return read
}

/** Fewer digits than these are kept by numbers. */
const isRounded = (written: string, read: number) => written.length > 15 && compareDecimals(written, String(read)) !== 0

/** The limits of a number that was rounded: by what was written. */
function reportExactly(node: AnyNumber, written: string, value: unknown, run: Run): void {
  const { step } = node
  reportLimits(node, node, value, (limit) => compareDecimals(written, String(limit)), run)
  if (step !== undefined && !isMultipleOf(written, String(step))) reportSent(run, node, 'not_a_step', value, step)
}

/** Whether the limits of a number hold, as it was written. */
export function holdsExactly({ min, above, max, below, step }: AnyNumber, written: string): boolean {
  const order = (limit: number) => compareDecimals(written, String(limit))
  return (
    (min === undefined || order(min) >= 0) &&
    (above === undefined || order(above) > 0) &&
    (max === undefined || order(max) <= 0) &&
    (below === undefined || order(below) < 0) &&
    (step === undefined || isMultipleOf(written, String(step)))
  )
}

/** What to do about a text that is no number here. */
export const hintFor = (value: unknown, source: Source, form: RegExp): Hint | undefined =>
  typeof value !== 'string' ? undefined : source !== 'json' ? 'written' : form.test(value) ? 'quotes' : undefined

/** How a value lies to a limit: below zero before it, at zero with it. */
type LimitOrder<T> = (limit: T) => number
export const orderOf =
  <T extends number | bigint>(read: T): LimitOrder<T> =>
  (limit) =>
    read < limit ? -1 : read > limit ? 1 : 0

export function reportLimits<T>(node: Node, limits: Limits<T>, value: unknown, order: LimitOrder<T>, run: Run): void {
  const { min, above, max, below } = limits
  if (min !== undefined && order(min) < 0) reportSent(run, node, 'below_min', value, min)
  if (above !== undefined && order(above) <= 0) reportSent(run, node, 'below_min', value, above, 'above')
  if (max !== undefined && order(max) > 0) reportSent(run, node, 'above_max', value, max)
  if (below !== undefined && order(below) >= 0) reportSent(run, node, 'above_max', value, below, 'below')
}

/** Whether a remainder says exactly what is a multiple: see `isMultiple`. */
function hasPlainSteps<K extends 'integer' | 'number'>({ kind, ...limits }: NumberNode<K>, step: number): boolean {
  const [least = Number.NEGATIVE_INFINITY, most = Number.POSITIVE_INFINITY] = [
    limits.min ?? limits.above,
    limits.max ?? limits.below,
  ]
  return kind === 'integer'
    ? Number.isSafeInteger(step)
    : isBinary(step) && least > -widestBinary && most < widestBinary
}

const codeOf = /* @__NO_SIDE_EFFECTS__ */ <K extends 'integer' | 'number'>() =>
  scalarCode<NumberNode<K>>((writer, node, sent, { source }) => {
    const isText = source !== 'json'
    const read = isText ? writer.name('t') : sent
    const form = node.kind === 'integer' ? integerText : numberText
    const otherwise = source === 'text' ? 'NaN' : sent
    const number = () =>
      `typeof ${sent} === "string" ? (${writer.bind(form)}.test(${sent}) ? Number(${sent}) : NaN) : ${otherwise}`
    const { min, max, above, below, step } = node
    const limits: [string, number | undefined][] = [
      ['>=', min],
      ['>', above],
      ['<=', max],
      ['<', below],
    ]
    const tests = limits.flatMap(([operator, limit]) =>
      limit === undefined ? [] : [`${read} ${operator} ${literal(writer, limit)}`],
    )
    const bounded = (min ?? above) !== undefined && (max ?? below) !== undefined
    if (node.kind === 'integer') tests.unshift(`Number.isSafeInteger(${read})`)
    else tests.unshift(bounded ? `typeof ${read} === "number"` : `Number.isFinite(${read})`)
    if (step !== undefined)
      tests.push(
        hasPlainSteps(node, step)
          ? `${read} % ${literal(writer, step)} === 0`
          : `isMultiple(${read}, ${literal(writer, step)})`,
      )
    // A text of more digits than a number keeps is looked at as it is written.
    if (isText && node.kind === 'number' && [min, max, above, below, step].some((limit) => limit !== undefined))
      tests.push(`(typeof ${sent} !== "string" || ${sent}.length < 16 || holdsExactly(${writer.bind(node)}, ${sent}))`)
    // −0 becomes 0, as JSON would write it.
    const mayBeZero = !((min !== undefined && min > 0) || (above !== undefined && above >= 0))
    const value = mayBeZero ? `${read} + 0` : isText ? read : undefined
    return {
      test: tests.join(' && '),
      ...(isText ? { prepare: `const ${read} = ${number()}` } : {}),
      ...(value === undefined ? {} : { value }),
    }
  })
export const numberCode = codeOf<'number'>()
export const integerCode = codeOf<'integer'>()
