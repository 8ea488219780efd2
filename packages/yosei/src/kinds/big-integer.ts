/**
 * A whole number of any size. Beyond ±(2^53−1) JSON must carry it as text, since a JSON number has lost its digits by
 * then.
 */
import type { Declared } from '../terms/declared.js'
import { aBigInteger } from '../terms/option-types.js'
import type { SoundOf } from './kind.js'
import { checkLimits, hintFor, integerText, type Limits, limits, orderOf, reportLimits } from './number.js'
import { type Run, reportFraction, reportSent, type Source } from './run.js'
import { scalar, scalarCode } from './scalar.js'
import type { Writer } from './writer.js'

declare module './kind.js' {
  interface Kinds {
    bigInteger: BigIntegerNode
  }
}
export interface BigIntegerNode extends Declared, Limits<bigint> {
  readonly kind: 'bigInteger'
}

export const bigInteger = scalar<BigIntegerNode>({
  readScalar: read,
  encode: (_, value) => (typeof value === 'bigint' ? String(value) : value),
})

/** Whether its options make sense. */
export const bigIntegerSound: SoundOf<BigIntegerNode> = { options: limits(aBigInteger), check: checkLimits }

/** More digits than these cost more to read than any number is worth. */
const mostDigits = 1000

function read(node: BigIntegerNode, value: unknown, run: Run, source: Source): bigint | undefined {
  if (typeof value === 'number') {
    if (!Number.isFinite(value)) return reportSent(run, node, 'out_of_range', value)
    if (reportFraction(run, node, value)) return undefined
    if (!Number.isSafeInteger(value)) return reportSent(run, node, 'out_of_range', value)
  }
  if (typeof value !== 'number' && (typeof value !== 'string' || !integerText.test(value)))
    return reportSent(run, node, 'wrong_type', value, undefined, undefined, hintFor(value, source, integerText))
  if (typeof value === 'string' && value.length > mostDigits)
    return reportSent(run, node, 'out_of_range', value, mostDigits, 'digits')
  const read = BigInt(value)
  reportLimits(node, node, value, orderOf(read), run)
  if (node.step !== undefined && read % node.step !== 0n) reportSent(run, node, 'not_a_step', value, node.step)
  return read
}

export const bigIntegerCode = scalarCode<BigIntegerNode>(
  (writer, node, read) => {
    const number = writer.name('t')
    const isText = `typeof ${read} === "string" ? ${read}.length <= ${mostDigits} && ${writer.bind(integerText)}.test(${read})`
    const tests = [`(${isText} : Number.isSafeInteger(${read}))`, `((${number} = BigInt(${read})), true)`]
    return {
      prepare: `let ${number}`,
      test: [...tests, ...limitTests(writer, node, number)].join(' && '),
      value: number,
    }
  },
  (writer, node, value) => {
    const isRead = `typeof ${value} === "bigint"`
    // A sign counts as a digit.
    const [most, least] = [10n ** BigInt(mostDigits), -(10n ** BigInt(mostDigits - 1))].map(writer.bind)
    const tests = [isRead, `${value} < ${most}`, `${value} > ${least}`]
    return { isRead, test: [...tests, ...limitTests(writer, node, value)].join(' && ') }
  },
)

function limitTests(writer: Writer, { min, max, above, below, step }: BigIntegerNode, number: string): string[] {
  const limit = (bound: bigint | undefined, operator: string) =>
    bound === undefined ? [] : [`${number} ${operator} ${writer.bind(bound)}`]
  return [
    ...limit(min, '>='),
    ...limit(max, '<='),
    ...limit(above, '>'),
    ...limit(below, '<'),
    ...(step === undefined ? [] : [`${number} % ${writer.bind(step)} === ${writer.bind(0n)}`]),
  ]
}
