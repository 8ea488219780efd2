/**
 * A whole number of any size. Beyond ±(2^53−1) JSON must carry it as text, since a JSON number has lost its digits by
 * then.
 */

import type { Declared } from '../terms/declared.js'
import { aBigInteger, merged } from '../terms/option-types.js'
import type { SoundOf } from './kind.js'
import { boundsOf, checkLimits, fractionIn, hintFor, integerText, type Limits, limits, numberWords } from './number.js'
import { boundTests, type Check, checkBounds, scalar, scalarCode, Wrong } from './scalar.js'
import type { Writer } from './writer.js'

declare module './kind.js' {
  interface Kinds {
    bigInteger: BigIntegerNode
  }
}
export interface BigIntegerNode extends Declared, Limits<bigint> {
  readonly kind: 'bigInteger'
}

/** More digits than these cost more to read than any number is worth. */
const mostDigits = 1000

export const bigIntegerWords = /* @__PURE__ */ merged(numberWords, {
  'wrong_type.bigInteger': 'must be a whole number',
  'out_of_range.bigInteger': 'must be sent as text: a number of this size loses digits',
  'out_of_range.digits': 'must have at most {limit} {limit|digit|digits}',
  'form.bigInteger': 'a whole number',
})

export const bigInteger = scalar<BigIntegerNode, bigint>({
  words: bigIntegerWords,
  measures: () => ['number'],
  parse(_, value, source, run) {
    if (typeof value === 'number') {
      if (!Number.isFinite(value)) return new Wrong('out_of_range')
      const fraction = fractionIn(value, run)
      if (fraction) return fraction
      return Number.isSafeInteger(value) ? BigInt(value) : new Wrong('out_of_range')
    }
    if (typeof value !== 'string' || !integerText.test(value))
      return new Wrong('wrong_type', undefined, { hint: hintFor(value, source, integerText) })
    return value.length > mostDigits ? new Wrong('out_of_range', mostDigits, { variant: 'digits' }) : BigInt(value)
  },
  checks: (node) => {
    const { step } = node
    const isStep: Check<bigint> = (read) => (read % (step as bigint) === 0n ? undefined : new Wrong('not_a_step', step))
    return [...checkBounds(boundsOf(node)), ...(step === undefined ? [] : [isStep])]
  },
  encode: (_, value) => (typeof value === 'bigint' ? String(value) : value),
})

/** Whether its options make sense. */
export const bigIntegerSound: SoundOf<BigIntegerNode> = { options: limits(aBigInteger), check: checkLimits }

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

const limitTests = (writer: Writer, node: BigIntegerNode, number: string): string[] => [
  ...boundTests(writer, boundsOf(node), number),
  ...(node.step === undefined ? [] : [`${number} % ${writer.bind(node.step)} === ${writer.bind(0n)}`]),
]
