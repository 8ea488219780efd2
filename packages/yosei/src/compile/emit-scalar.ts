/** Writes the test of a scalar: what it says is right, is right; what it does not take, the interpreter looks at. */
import { type InstantNode, type Node, type NumberNode, type ScalarNode, type TextNode, type Tidying, tidyings } from '../declare/node.js'
import { formats } from './formats.js'
import { quote } from './quote.js'
import type { Source } from './run.js'
import { readMoment } from './times.js'
import type { Writer } from './writer.js'

export interface Test {
  /** A line before the test. */
  readonly prepare?: string
  /** `undefined` where the interpreter looks at every value. */
  readonly test?: string
  /** What is read, where it is not what was sent. */
  readonly value?: string
  /** What came of reading a value that the test does not take. */
  readonly tried?: string
}

const kinds: readonly Node['kind'][] = [
  'text',
  'integer',
  'number',
  'bigInteger',
  'decimal',
  'flag',
  'instant',
  'day',
  'duration',
  'choice',
  'constant',
]
export const isScalar = (node: Node): node is ScalarNode => kinds.includes(node.kind)

export function emitScalar(writer: Writer, node: ScalarNode, read: string, source: Source): Test {
  switch (node.kind) {
    case 'text':
      return emitText(writer, node, read, source)
    case 'integer':
    case 'number':
      return source === 'text' ? {} : emitNumber(writer, node, read)
    case 'flag':
      return source === 'text'
        ? { test: `${read} === "true" || ${read} === "false"`, value: `${read} === "true"` }
        : { test: `${read} === true || ${read} === false` }
    case 'instant':
      return emitInstant(writer, node, read)
    case 'day':
      return node.from === undefined && node.until === undefined
        ? { test: `typeof ${read} === "string" && typeof readDay(${read}) === "number"` }
        : {}
    case 'choice': {
      if (source === 'text' && !node.values.every((value) => typeof value === 'string' && value !== '')) return {}
      const equal = node.values.map((value) => `${read} === ${literal(writer, value)}`).join(' || ')
      return { test: node.values.length > 12 ? `${writer.bind(new Set(node.values))}.has(${read})` : equal, ...zero(read, node.values) }
    }
    case 'constant':
      if (source === 'text' && (typeof node.value !== 'string' || node.value === '')) return {}
      return { test: `${read} === ${literal(writer, node.value)}`, ...zero(read, [node.value]) }
    case 'bigInteger':
    case 'decimal':
    case 'duration':
      return {}
    default:
      return node satisfies never
  }
}

/** −0 is equal to 0, but what is read is the 0 of the declaration. */
const zero = (read: string, values: readonly unknown[]) => (values.includes(0) ? { value: `${read} === 0 ? 0 : ${read}` } : {})

/** A value in the code itself, where nothing but its type decides how it is written; else a constant. */
export function literal(writer: Writer, value: unknown): string {
  if (typeof value === 'string') return quote(value)
  return typeof value === 'number' || typeof value === 'boolean' || value === null ? String(value) : writer.bind(value)
}

const changing: { readonly [T in Tidying]: string } = {
  NFC: '.normalize("NFC")',
  NFKC: '.normalize("NFKC")',
  trim: '.trim()',
  squeeze: '.replace(/\\s+/g, " ")',
  lower: '.toLowerCase()',
  upper: '.toUpperCase()',
}

function emitText(writer: Writer, node: TextNode, read: string, source: Source): Test {
  const changes = tidyings.filter((one) => node.tidy?.includes(one)).map((one) => changing[one])
  const text = changes.length > 0 ? writer.name('t') : read
  const tests = [`typeof ${read} === "string"`]
  if (source === 'text' && !node.keepEmpty) tests.push(`${read} !== ""`)
  if (changes.length > 0) tests.push(`(${text} = ${read}${changes.join('')}, true)`)
  if (node.length) {
    const [least, most] = [Number(node.length[0]), Number(node.length[1])]
    // A code point is one or two UTF-16 units, so most lengths are known without counting.
    if (least === 1) {
      if (!tests.includes(`${text} !== ""`)) tests.push(`${text} !== ""`)
    }
    if (least > 1) tests.push(`(${text}.length >= ${2 * least} || codePoints(${text}) >= ${least})`)
    if (most < Number.POSITIVE_INFINITY) tests.push(`(${text}.length <= ${most} || codePoints(${text}) <= ${most})`)
  }
  if (node.pattern) tests.push(`matches(${writer.bind(node.pattern)}, ${text})`)
  if (node.format) tests.push(`${writer.bind(formats[node.format])}(${text}) === undefined`)
  const test = tests.join(' && ')
  return changes.length > 0 ? { prepare: `let ${text}`, test, value: text } : { test }
}

function emitNumber(writer: Writer, node: NumberNode, read: string): Test {
  const { min, max, above, below, step } = node
  const limits: [string, number | undefined][] = [
    ['>=', min],
    ['>', above],
    ['<=', max],
    ['<', below],
  ]
  const tests = limits.flatMap(([operator, limit]) => (limit === undefined ? [] : [`${read} ${operator} ${literal(writer, limit)}`]))
  const bounded = (min ?? above) !== undefined && (max ?? below) !== undefined
  if (node.kind === 'integer') tests.unshift(`Number.isSafeInteger(${read})`)
  else tests.unshift(bounded ? `typeof ${read} === "number"` : `Number.isFinite(${read})`)
  if (step !== undefined) tests.push(`isMultiple(${read}, ${literal(writer, step)})`)
  // −0 becomes 0, as JSON would write it.
  const mayBeZero = !((min !== undefined && min > 0) || (above !== undefined && above >= 0))
  return { test: tests.join(' && '), ...(mayBeZero ? { value: `${read} + 0` } : {}) }
}

function emitInstant(writer: Writer, { from, until }: InstantNode, read: string): Test {
  const time = writer.name('t')
  const limit = (moment: string | Date) =>
    typeof moment === 'string' && /^[+-]/.test(moment)
      ? `clock(run) + ${literal(writer, readMoment(moment, 0))}`
      : literal(writer, readMoment(moment, 0))
  const tests = [
    `typeof ${read} === "string"`,
    `typeof (${time} = readInstant(${read})) === "number"`,
    ...(from === undefined ? [] : [`${time} >= ${limit(from)}`]),
    ...(until === undefined ? [] : [`${time} <= ${limit(until)}`]),
  ]
  return { prepare: `let ${time}`, test: tests.join(' && '), value: `new Date(${time})`, tried: time }
}
