/** An exact decimal such as `12.50`, kept as its text; JSON must carry it as a string. */

import { compareDecimals, countDigits } from '../grammar/numbers.js'
import type { Declared } from '../terms/declared.js'
import { aCount, aDecimal } from '../terms/option-types.js'
import type { SoundOf } from './kind.js'
import { hintFor } from './number.js'
import { quote } from './quote.js'
import { type Run, reportSent, type Source } from './run.js'
import { checkOrder, literal, scalar, scalarCode } from './scalar.js'

declare module './kind.js' {
  interface Kinds {
    decimal: DecimalNode
  }
}
export interface DecimalNode extends Declared {
  readonly kind: 'decimal'
  readonly digits?: number
  readonly scale?: number
  readonly min?: string
  readonly max?: string
}

export const decimal = scalar<DecimalNode>({ readScalar: read })

/** Whether its options make sense. */
export const decimalSound: SoundOf<DecimalNode> = {
  options: { digits: aCount, scale: aCount, min: aDecimal, max: aDecimal },
  check({ min, max, digits, scale }, refuse) {
    for (const limit of [min, max])
      if (limit !== undefined && !/^-?\d+(\.\d+)?$/.test(limit))
        refuse(`the limit "${limit}" is no decimal`, 'Write it as "12.50"')
    if (min !== undefined && max !== undefined) checkOrder(min, max, compareDecimals(min, max) > 0, refuse)
    if (digits !== undefined && scale !== undefined) checkOrder(scale, digits, scale > digits, refuse)
  },
}

const decimalText = /^-?(0|[1-9][0-9]*)(\.[0-9]+)?$/

function read(node: DecimalNode, value: unknown, run: Run, source: Source): string | undefined {
  if (typeof value !== 'string' || !decimalText.test(value)) {
    const variant = source === 'text' ? 'plainDecimal' : undefined
    return reportSent(run, node, 'wrong_type', value, undefined, variant, hintFor(value, 'text', decimalText))
  }
  const { digits, scale } = countDigits(value)
  if (node.digits !== undefined && digits > node.digits) reportSent(run, node, 'too_many_digits', value, node.digits)
  if (node.scale !== undefined && scale > node.scale)
    reportSent(run, node, 'too_many_digits', value, node.scale, 'scale')
  if (node.min !== undefined && compareDecimals(value, node.min) < 0)
    reportSent(run, node, 'below_min', value, node.min)
  if (node.max !== undefined && compareDecimals(value, node.max) > 0)
    reportSent(run, node, 'above_max', value, node.max)
  return value
}

export const decimalCode = scalarCode<DecimalNode>((writer, { digits, scale, min, max }, read) => {
  const most = (count: number | undefined) => (count === undefined ? 'Infinity' : String(Number(count)))
  /** A number keeps fifteen digits in their order. */
  const limit = (bound: string | undefined, operator: string) =>
    bound === undefined
      ? []
      : [
          bound.length < 16
            ? `(${read}.length < 16 ? +${read} ${operator} ${literal(writer, Number(bound))} : compareDecimals(${read}, ${quote(bound)}) ${operator} 0)`
            : `compareDecimals(${read}, ${quote(bound)}) ${operator} 0`,
        ]
  const tests = [
    `typeof ${read} === "string"`,
    `isDecimalOf(${read}, ${most(digits)}, ${most(scale)})`,
    ...limit(min, '>='),
    ...limit(max, '<='),
  ]
  return { test: tests.join(' && ') }
})
