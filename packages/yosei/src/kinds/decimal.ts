/** An exact decimal such as `12.50`, kept as its text; JSON must carry it as a string. */

import { compareDecimals, countDigits, decimalOfNumber } from '../grammar/numbers.js'
import type { Declared } from '../terms/declared.js'
import { aCount, aDecimal, aFlag, merged } from '../terms/option-types.js'
import type { SoundOf, Test } from './kind.js'
import { hintFor } from './number.js'
import { quote } from './quote.js'

import {
  type Bound,
  bounds,
  boundWords,
  checkBounds,
  checkOrder,
  literal,
  scalar,
  scalarCode,
  Wrong,
} from './scalar.js'
import type { Writer } from './writer.js'

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
  readonly numbers?: boolean
}

const decimalText = /^-?(0|[1-9][0-9]*)(\.[0-9]+)?$/

const boundsOf = ({ min, max }: DecimalNode) => bounds<string>(['>=', min, 'below_min'], ['<=', max, 'above_max'])

export const decimalWords = /* @__PURE__ */ merged(boundWords, {
  'wrong_type.decimal': 'must be a decimal number as text, such as "12.50"',
  'wrong_type.decimalOrNumber': 'must be a decimal number, such as 12.50',
  'wrong_type.plainDecimal': 'must be a decimal number such as 12.50',
  too_many_digits: 'must have at most {limit} {limit|digit|digits}',
  'too_many_digits.whole': 'must be without digits after the point',
  'too_many_digits.scale': 'must have at most {limit} {limit|digit|digits} after the point',
  'form.decimal': 'a decimal number',
})

export const decimal = scalar<DecimalNode, string>({
  words: decimalWords,
  measures: () => ['number'],
  parse(node, value, source) {
    const text = node.numbers && typeof value === 'number' ? decimalOfNumber(value) : value
    if (typeof text === 'string' && decimalText.test(text)) return text
    return new Wrong('wrong_type', undefined, {
      variant: source === 'text' ? 'plainDecimal' : node.numbers ? 'decimalOrNumber' : undefined,
      hint: node.numbers ? undefined : hintFor(value, 'text', decimalText),
    })
  },
  checks: (node) => [
    (read) => {
      const most = node.digits
      return most !== undefined && countDigits(read).digits > most ? new Wrong('too_many_digits', most) : undefined
    },
    (read) => {
      const most = node.scale
      return most !== undefined && countDigits(read).scale > most
        ? new Wrong('too_many_digits', most, { variant: most === 0 ? 'whole' : 'scale' })
        : undefined
    },
    ...checkBounds(boundsOf(node), { compare: compareDecimals }),
  ],
})

/** Whether its options make sense. */
export const decimalSound: SoundOf<DecimalNode> = {
  options: { digits: aCount, scale: aCount, min: aDecimal, max: aDecimal, numbers: aFlag },
  check({ min, max, digits, scale }, refuse) {
    for (const limit of [min, max])
      if (limit !== undefined && !/^-?\d+(\.\d+)?$/.test(limit))
        refuse(`the limit "${limit}" is no decimal`, 'Write it as "12.50"')
    if (min !== undefined && max !== undefined) checkOrder(min, max, compareDecimals(min, max) > 0, refuse)
    if (digits !== undefined && scale !== undefined) checkOrder(scale, digits, scale > digits, refuse)
  },
}

function testOf(writer: Writer, node: DecimalNode, sent: string): Test {
  const read = node.numbers ? writer.name('t') : sent
  const prepare = `const ${read} = typeof ${sent} === "number" ? decimalOfNumber(${sent}) : ${sent}`
  const most = (count: number | undefined) => (count === undefined ? 'Infinity' : String(Number(count)))
  /** A number keeps fifteen digits in their order. */
  const tested = ({ order, limit }: Bound<string>) => {
    const exact = `compareDecimals(${read}, ${quote(String(limit))}) ${order} 0`
    return String(limit).length < 16
      ? `(${read}.length < 16 ? +${read} ${order} ${literal(writer, Number(limit))} : ${exact})`
      : exact
  }
  const tests = [
    `typeof ${read} === "string"`,
    `isDecimalOf(${read}, ${most(node.digits)}, ${most(node.scale)})`,
    ...boundsOf(node).map(tested),
  ]
  return { test: tests.join(' && '), ...(node.numbers ? { prepare, value: read } : {}) }
}

// What was read is a text, whatever was sent.
export const decimalCode = scalarCode<DecimalNode>(testOf, (writer, { numbers = false, ...node }, value) => ({
  ...testOf(writer, node, value),
  isRead: numbers ? `typeof ${value} === "string"` : 'true',
}))
