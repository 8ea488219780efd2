/** Numbers, and whole numbers within ±(2^53−1); as text by the grammar of JSON numbers (RFC 8259, section 6). */

import { compareDecimals, isBinary, isMultiple, isMultipleOf, isWhole, widestBinary } from '../grammar/numbers.js'
import type { Declared } from '../terms/declared.js'
import { aFlag, aNumber, merged, type OptionType } from '../terms/option-types.js'
import type { Hint, Refuse, SoundOf } from './kind.js'
import { type Run, type Source, writtenAt } from './run.js'
import {
  type Bound,
  bounds,
  boundTests,
  boundWords,
  type Check,
  checkBounds,
  checkOrder,
  holdsBy,
  isText,
  literal,
  scalar,
  scalarCode,
  Wrong,
} from './scalar.js'

declare module './kind.js' {
  interface Kinds {
    integer: NumberNode<'integer'>
    number: FloatNode
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
/** A number of any size; perhaps a whole one. */
export interface FloatNode extends NumberNode<'number'> {
  readonly whole?: boolean
}
type AnyNumber = NumberNode<'integer'> | FloatNode

/** Whether only whole numbers are taken: by the kind, within ±(2^53−1). */
const isWholeOnly = (node: Pick<FloatNode, 'whole'> & { readonly kind: string }) =>
  node.kind === 'integer' || Boolean(node.whole)

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

export const integerText = /^-?(0|[1-9][0-9]*)$/
const numberText = /^-?(0|[1-9][0-9]*)(\.[0-9]+)?([eE][+-]?[0-9]+)?$/

export const boundsOf = <L>({ min, above, max, below }: Limits<L>): readonly Bound<L>[] =>
  bounds<L>(
    ['>=', min, 'below_min'],
    ['>', above, 'below_min', 'above'],
    ['<=', max, 'above_max'],
    ['<', below, 'above_max', 'below'],
  )

export const numberWords = /* @__PURE__ */ merged(boundWords, {
  'wrong_type.integer': 'must be a whole number',
  'wrong_type.number': 'must be a number',
  not_whole: 'must be a whole number',
  out_of_range: 'must be a whole number between -9007199254740991 and 9007199254740991',
  'out_of_range.number': 'must be a smaller number',
  not_a_step: 'must be a multiple of {limit}',
  'form.integer': 'a whole number',
  'form.number': 'a number',
})

const anyNumber = /* @__NO_SIDE_EFFECTS__ */ <K extends 'integer' | 'number'>() =>
  scalar<NumberNode<K>, number>({
    words: numberWords,
    measures: () => ['number'],
    parse(node, value, source, run) {
      const whole = node.kind === 'integer'
      const form = isWholeOnly(node) ? integerText : numberText
      if (isText(value, source) ? !form.test(value) : typeof value !== 'number')
        return new Wrong('wrong_type', undefined, {
          hint: hintFor(value, source, form),
          ...(isWholeOnly(node) ? { variant: 'integer' } : {}),
        })
      const read = Number(value) + 0 // −0 becomes 0, as JSON would write it
      if (!Number.isFinite(read) || (whole && Math.abs(read) > Number.MAX_SAFE_INTEGER))
        return new Wrong('out_of_range')
      return (isWholeOnly(node) ? fractionIn(read, run) : undefined) ?? read
    },
    checks: (node) => {
      const { step } = node
      const isStep: Check<number> = (read, sent, run) => {
        const written = lostIn(read, sent, run)
        const holds = written === undefined ? isMultiple(read, Number(step)) : isMultipleOf(written, String(step))
        return holds ? undefined : new Wrong('not_a_step', step)
      }
      return [
        ...checkBounds<number>(boundsOf<number>(node), { compare, isPlain: isAsWritten }),
        ...(step === undefined ? [] : [isStep]),
      ]
    },
  })
export const number = /* @__PURE__ */ anyNumber<'number'>()
export const integer = /* @__PURE__ */ anyNumber<'integer'>()

/** Whether their options make sense. */
export const numberSound: SoundOf<FloatNode> = { options: { ...limits(aNumber), whole: aFlag }, check: checkLimits }
export const integerSound: SoundOf<NumberNode<'integer'>> = { options: limits(aNumber), check: checkLimits }

/** A number as it was written, if reading it lost digits: fewer than these a number keeps. */
function lostIn(read: number, sent: unknown, run: Run): string | undefined {
  const written = typeof sent === 'string' ? sent : writtenAt(run)
  return written !== undefined && written.length > 15 && compareDecimals(written, String(read)) !== 0
    ? written
    : undefined
}

/** Whether a number has all the digits that were sent. */
const isAsWritten = (sent: unknown, run: Run) => typeof sent === 'number' && !run.rounded

function compare(read: number, limit: number, sent: unknown, run: Run): number {
  const written = lostIn(read, sent, run)
  return written === undefined ? read - limit : compareDecimals(written, String(limit))
}

/** Whether the limits of a number hold, as it was written. */
export const holdsExactly = (node: AnyNumber, written: string): boolean =>
  boundsOf<number>(node).every(({ order, limit }) => holdsBy[order](compareDecimals(written, String(limit)))) &&
  (node.step === undefined || isMultipleOf(written, String(node.step)))

/** A number that was sent with a fraction; not what it was read to, if it has lost the fraction. */
export function fractionIn(value: number, run: Run): Wrong | undefined {
  const written = writtenAt(run)
  if (written !== undefined && !isWhole(written)) return new Wrong('not_whole', undefined, { isLost: true })
  return Number.isInteger(value) ? undefined : new Wrong('not_whole')
}

/** What to do about a text that is no number here. */
export const hintFor = (value: unknown, source: Source, form: RegExp): Hint | undefined =>
  typeof value !== 'string' ? undefined : source !== 'json' ? 'written' : form.test(value) ? 'quotes' : undefined

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
    const form = isWholeOnly(node) ? integerText : numberText
    const otherwise = source === 'text' ? 'NaN' : sent
    const number = () =>
      `typeof ${sent} === "string" ? (${writer.bind(form)}.test(${sent}) ? Number(${sent}) : NaN) : ${otherwise}`
    const { min, max, above, below, step } = node
    const limits = boundsOf<number>(node)
    const tests = boundTests(writer, limits, read)
    const bounded = (min ?? above) !== undefined && (max ?? below) !== undefined
    if (node.kind === 'integer') tests.unshift(`Number.isSafeInteger(${read})`)
    else if (isWholeOnly(node)) tests.unshift(`Number.isInteger(${read})`)
    else tests.unshift(bounded ? `typeof ${read} === "number"` : `Number.isFinite(${read})`)
    if (step !== undefined)
      tests.push(
        hasPlainSteps(node, step)
          ? `${read} % ${literal(writer, step)} === 0`
          : `isMultiple(${read}, ${literal(writer, step)})`,
      )
    // A text of more digits than a number keeps is looked at as it is written.
    if (isText && node.kind === 'number' && (limits.length > 0 || step !== undefined))
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
