/**
 * Fields without fields of their own. Each reader takes what was sent, tells all that is wrong with it, and gives the
 * value as read, or `undefined` where it could not be read at all.
 */
import type { ChoiceNode, FlagNode, InstantNode, NumberNode, TextNode } from '../declare/node.js'
import { formats } from './formats.js'
import { readInstant, readMoment } from './instant.js'
import { type Run, type Source, tell } from './run.js'

/** Code points, not UTF-16 units: an emoji counts once. */
function codePoints(text: string): number {
  let count = text.length
  for (let i = 0; i < text.length - 1; i++)
    if ((text.charCodeAt(i) & 0xfc00) === 0xd800 && (text.charCodeAt(i + 1) & 0xfc00) === 0xdc00) count--
  return count
}

export function readText(node: TextNode, value: unknown, run: Run): string | undefined {
  if (typeof value !== 'string') return void tell(run, node, 'wrong_type', value)
  const text = node.trim ? value.trim() : value
  if (node.length) {
    const length = codePoints(text)
    if (length < node.length[0]) tell(run, node, 'too_short', value, node.length[0])
    if (length > node.length[1]) tell(run, node, 'too_long', value, node.length[1])
  }
  if (node.pattern && !node.pattern.test(text)) tell(run, node, 'wrong_pattern', value, node.pattern.source)
  if (node.format && !formats[node.format](text)) tell(run, node, 'wrong_format', value, node.format, node.format)
  return text
}

const integerText = /^-?(0|[1-9][0-9]*)$/
const numberText = /^-?(0|[1-9][0-9]*)(\.[0-9]+)?([eE][+-]?[0-9]+)?$/

export function readNumber(node: NumberNode, value: unknown, source: Source, run: Run): number | undefined {
  const whole = node.kind === 'integer'
  const fromText = source === 'text' && typeof value === 'string'
  if (fromText ? !(whole ? integerText : numberText).test(value) : typeof value !== 'number')
    return void tell(run, node, 'wrong_type', value)
  const read = Number(value) + 0 // −0 becomes 0, as JSON would write it
  if (whole ? Math.abs(read) > Number.MAX_SAFE_INTEGER : !Number.isFinite(read)) return void tell(run, node, 'out_of_range', value)
  if (whole && !Number.isInteger(read)) return void tell(run, node, 'not_whole', value)
  if (node.min !== undefined && read < node.min) tell(run, node, 'below_min', value, node.min)
  if (node.above !== undefined && read <= node.above) tell(run, node, 'below_min', value, node.above, 'above')
  if (node.max !== undefined && read > node.max) tell(run, node, 'above_max', value, node.max)
  if (node.below !== undefined && read >= node.below) tell(run, node, 'above_max', value, node.below, 'below')
  if (node.step !== undefined && !isMultiple(read, node.step)) tell(run, node, 'not_a_step', value, node.step)
  return read
}

/** Whether `value` is a whole multiple of `step`, as their decimal texts have it: 0.3 is three times 0.1. */
function isMultiple(value: number, step: number): boolean {
  if (Number.isInteger(step) && Number.isInteger(value)) return value % step === 0
  const digits = Math.max(decimals(value), decimals(step))
  return shifted(value, digits) % shifted(step, digits) === 0n
}
function decimals(value: number): number {
  const [, fraction = '', exponent = '0'] = /^-?\d+(?:\.(\d+))?(?:e([+-]\d+))?$/.exec(String(value)) ?? []
  return Math.max(0, fraction.length - Number(exponent))
}
/** `value` × 10^digits, exactly. */
function shifted(value: number, digits: number): bigint {
  const [, sign = '', integral = '0', fraction = '', exponent = '0'] = /^(-?)(\d+)(?:\.(\d+))?(?:e([+-]\d+))?$/.exec(String(value)) ?? []
  return BigInt(sign + integral + fraction) * 10n ** BigInt(digits - fraction.length + Number(exponent))
}

export function readFlag(node: FlagNode, value: unknown, source: Source, run: Run): boolean | undefined {
  if (typeof value === 'boolean') return value
  if (source === 'text') {
    if (value === 'true' || value === '1') return true
    if (value === 'false' || value === '0') return false
  }
  return void tell(run, node, 'wrong_type', value)
}

export function readInstantField(node: InstantNode, value: unknown, run: Run): Date | undefined {
  if (typeof value !== 'string') return void tell(run, node, 'wrong_type', value)
  const read = readInstant(value)
  if (typeof read === 'string') return void tell(run, node, read, value)
  if (node.from !== undefined) {
    const from = readMoment(node.from, run.now)
    if (read < from) tell(run, node, 'too_early', value, new Date(from))
  }
  if (node.until !== undefined) {
    const until = readMoment(node.until, run.now)
    if (read > until) tell(run, node, 'too_late', value, new Date(until))
  }
  return new Date(read)
}

export function readChoice(node: ChoiceNode, value: unknown, source: Source, run: Run): string | number | undefined {
  const chosen = node.values.find((one) => one === value || (source === 'text' && String(one) === value))
  if (chosen !== undefined) return chosen
  const known = source === 'text' ? typeof value === 'string' : node.values.some((one) => typeof one === typeof value)
  return void tell(run, node, known ? 'not_a_choice' : 'wrong_type', value, node.values)
}
