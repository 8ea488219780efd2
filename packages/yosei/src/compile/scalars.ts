/**
 * Fields without fields of their own. Each reader takes what was sent, tells all that is wrong with it, and gives the
 * value as read, or `undefined` where it could not be read at all.
 */
import type {
  BigIntegerNode,
  ChoiceNode,
  ConstantNode,
  DayNode,
  DecimalNode,
  DurationNode,
  FlagNode,
  InstantNode,
  NumberNode,
  ScalarNode,
  TextNode,
  Tidying,
} from '../declare/node.js'
import { tidyings } from '../declare/node.js'
import { readSpan } from '../declare/units.js'
import { formats } from './formats.js'
import { compareDecimals, countDigits, isMultiple } from './numbers.js'
import { clock, type Run, type Source, tell } from './run.js'
import { readDay, readDeclaredDay, readDuration, readInstant, readMoment } from './times.js'

export function readScalar(node: ScalarNode, value: unknown, source: Source, run: Run): unknown {
  switch (node.kind) {
    case 'text':
      return readText(node, value, run)
    case 'integer':
    case 'number':
      return readNumber(node, value, source, run)
    case 'bigInteger':
      return readBigInteger(node, value, run)
    case 'decimal':
      return readDecimal(node, value, run)
    case 'flag':
      return readFlag(node, value, source, run)
    case 'instant':
      return readInstantField(node, value, source, run)
    case 'day':
      return readDayField(node, value, run)
    case 'duration':
      return readDurationField(node, value, run)
    case 'choice':
      return readChoice(node, value, source, run)
    case 'constant':
      return readConstant(node, value, source, run)
    default:
      return node satisfies never
  }
}

/** Code points, not UTF-16 units: an emoji counts once. */
export function codePoints(text: string): number {
  let count = text.length
  for (let i = 0; i < text.length - 1; i++)
    if ((text.charCodeAt(i) & 0xfc00) === 0xd800 && (text.charCodeAt(i + 1) & 0xfc00) === 0xdc00) count--
  return count
}

/** A pattern that runs out of room on a text of many millions does not match it. */
export function matches(pattern: RegExp, text: string): boolean {
  try {
    return pattern.test(text)
  } catch {
    return false
  }
}

const tidying: { readonly [T in Tidying]: (text: string) => string } = {
  NFC: (text) => text.normalize('NFC'),
  NFKC: (text) => text.normalize('NFKC'),
  trim: (text) => text.trim(),
  squeeze: (text) => text.replace(/\s+/g, ' '),
  lower: (text) => text.toLowerCase(),
  upper: (text) => text.toUpperCase(),
}
function tidied(text: string, tidy: readonly Tidying[]): string {
  let tidied = text
  for (const one of tidyings) if (tidy.includes(one)) tidied = tidying[one](tidied)
  return tidied
}

function readText(node: TextNode, value: unknown, run: Run): string | undefined {
  if (typeof value !== 'string') return tell(run, node, 'wrong_type', value)
  const text = node.tidy ? tidied(value, node.tidy) : value
  if (node.length) {
    const length = codePoints(text)
    if (length < node.length[0]) tell(run, node, 'too_short', value, node.length[0])
    if (length > node.length[1]) tell(run, node, 'too_long', value, node.length[1])
  }
  if (node.pattern && !matches(node.pattern, text)) tell(run, node, 'wrong_pattern', value, node.pattern.source)
  const unformed = node.format && formats[node.format](text)
  if (unformed) tell(run, node, unformed, value, node.format, node.format as string)
  return text
}

const integerText = /^-?(0|[1-9][0-9]*)$/
const numberText = /^-?(0|[1-9][0-9]*)(\.[0-9]+)?([eE][+-]?[0-9]+)?$/
const decimalText = /^-?(0|[1-9][0-9]*)(\.[0-9]+)?$/

function readNumber(node: NumberNode, value: unknown, source: Source, run: Run): number | undefined {
  const whole = node.kind === 'integer'
  const fromText = source !== 'json' && typeof value === 'string'
  if (fromText ? !(whole ? integerText : numberText).test(value) : typeof value !== 'number') return tell(run, node, 'wrong_type', value)
  const read = Number(value) + 0 // −0 becomes 0, as JSON would write it
  if (!Number.isFinite(read) || (whole && Math.abs(read) > Number.MAX_SAFE_INTEGER)) return tell(run, node, 'out_of_range', value)
  if (whole && !Number.isInteger(read)) return tell(run, node, 'not_whole', value)
  checkLimits(node, value, read, run)
  if (node.step !== undefined && !isMultiple(read, node.step)) tell(run, node, 'not_a_step', value, node.step)
  return read
}

function checkLimits(node: NumberNode | BigIntegerNode, value: unknown, read: number | bigint, run: Run): void {
  if (node.min !== undefined && read < node.min) tell(run, node, 'below_min', value, node.min)
  if (node.above !== undefined && read <= node.above) tell(run, node, 'below_min', value, node.above, 'above')
  if (node.max !== undefined && read > node.max) tell(run, node, 'above_max', value, node.max)
  if (node.below !== undefined && read >= node.below) tell(run, node, 'above_max', value, node.below, 'below')
}

/** More digits than these cost more to read than any number is worth. */
const mostDigits = 1000

function readBigInteger(node: BigIntegerNode, value: unknown, run: Run): bigint | undefined {
  if (typeof value === 'number' && !Number.isInteger(value))
    return tell(run, node, Number.isFinite(value) ? 'not_whole' : 'out_of_range', value)
  if (typeof value === 'number' && !Number.isSafeInteger(value)) return tell(run, node, 'out_of_range', value)
  if (typeof value !== 'number' && (typeof value !== 'string' || !integerText.test(value))) return tell(run, node, 'wrong_type', value)
  if (typeof value === 'string' && value.length > mostDigits) return tell(run, node, 'out_of_range', value, mostDigits, 'digits')
  const read = BigInt(value)
  checkLimits(node, value, read, run)
  if (node.step !== undefined && read % node.step !== 0n) tell(run, node, 'not_a_step', value, node.step)
  return read
}

function readDecimal(node: DecimalNode, value: unknown, run: Run): string | undefined {
  if (typeof value !== 'string' || !decimalText.test(value)) return tell(run, node, 'wrong_type', value)
  const { digits, scale } = countDigits(value)
  if (node.digits !== undefined && digits > node.digits) tell(run, node, 'too_many_digits', value, node.digits)
  if (node.scale !== undefined && scale > node.scale) tell(run, node, 'too_many_digits', value, node.scale, 'scale')
  if (node.min !== undefined && compareDecimals(value, node.min) < 0) tell(run, node, 'below_min', value, node.min)
  if (node.max !== undefined && compareDecimals(value, node.max) > 0) tell(run, node, 'above_max', value, node.max)
  return value
}

function readFlag(node: FlagNode, value: unknown, source: Source, run: Run): boolean | undefined {
  if (typeof value === 'boolean') return value
  if (source !== 'json') {
    if (value === 'true' || value === '1') return true
    if (value === 'false' || value === '0') return false
  }
  return tell(run, node, 'wrong_type', value)
}

function readInstantField(node: InstantNode, value: unknown, source: Source, run: Run): Date | undefined {
  if (typeof value !== 'string') return tell(run, node, 'wrong_type', value)
  const read = readInstant(value)
  if (typeof read === 'string') return tell(run, node, read, value, undefined, source === 'text' && isSpoiled(value) ? 'plus' : undefined)
  if (node.from !== undefined) {
    const from = readMoment(node.from, clock(run))
    if (read < from) tell(run, node, 'too_early', value, new Date(from))
  }
  if (node.until !== undefined) {
    const until = readMoment(node.until, clock(run))
    if (read > until) tell(run, node, 'too_late', value, new Date(until))
  }
  return new Date(read)
}

/** A blank where an offset has its plus: in a query or a form, `+` stands for a blank. */
const isSpoiled = (value: string) => typeof readInstant(value.replace(' ', '+')) === 'number'

function readDayField(node: DayNode, value: unknown, run: Run): string | undefined {
  if (typeof value !== 'string') return tell(run, node, 'wrong_type', value)
  const read = readDay(value)
  if (typeof read === 'string') return tell(run, node, read, value)
  const { from, until } = node
  if (from !== undefined) {
    const limit = readDeclaredDay(from, clock(run), node.zone) as string
    if (value < limit) tell(run, node, 'too_early', value, limit)
  }
  if (until !== undefined) {
    const limit = readDeclaredDay(until, clock(run), node.zone) as string
    if (value > limit) tell(run, node, 'too_late', value, limit)
  }
  return value
}

function readDurationField(node: DurationNode, value: unknown, run: Run): number | undefined {
  if (typeof value !== 'string') return tell(run, node, 'wrong_type', value)
  const read = readDuration(value)
  if (read === undefined) return tell(run, node, 'wrong_format', value)
  if (!Number.isSafeInteger(read)) return tell(run, node, 'out_of_range', value)
  if (node.min !== undefined && read < readSpan(node.min)) tell(run, node, 'below_min', value, node.min)
  if (node.max !== undefined && read > readSpan(node.max)) tell(run, node, 'above_max', value, node.max)
  return read
}

function readChoice(node: ChoiceNode, value: unknown, source: Source, run: Run): string | number | undefined {
  const { values } = node
  const fromText = source !== 'json' && typeof value === 'string'
  // Searched by the language itself: V8 walks frozen lists slowly.
  const index = fromText ? values.findIndex((one) => String(one) === value) : values.indexOf(value as string)
  if (index >= 0) return values[index]
  const known = fromText || typeof values[0] === typeof value || values.some((one) => typeof one === typeof value)
  return tell(run, node, known ? 'not_a_choice' : 'wrong_type', value, values)
}

function readConstant(node: ConstantNode, value: unknown, source: Source, run: Run): ConstantNode['value'] | undefined {
  const fromText = source !== 'json' && typeof value === 'string'
  if (value === node.value || (fromText && String(node.value) === value)) return node.value
  const known = fromText || (typeof value === typeof node.value && value !== null)
  return tell(run, node, known ? 'not_constant' : 'wrong_type', value, node.value)
}
