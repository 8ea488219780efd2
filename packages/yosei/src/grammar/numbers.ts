/** Exact arithmetic on the decimal texts of numbers. */

interface Decimal {
  readonly negative: boolean
  readonly integer: string
  readonly fraction: string
}

const mostShift = 2000

/** The digits of a decimal or JSON number, without an exponent. */
function digitsOf(text: string): Decimal {
  const [, sign, whole = '', part = '', exponent = '0'] = /^(-?)(\d+)(?:\.(\d+))?(?:e([+-]?\d+))?$/i.exec(text) ?? []
  // Beyond what any number can be, how far beyond it is changes no order.
  const shift = Math.max(-mostShift, Math.min(mostShift, Number(exponent)))
  const moved = shift < 0 ? `${'0'.repeat(-shift)}${whole}` : whole + part.slice(0, shift).padEnd(shift, '0')
  const point = shift < 0 ? moved.length + shift : moved.length
  const integer = withoutZeros(moved.slice(0, point), 'before')
  const fraction = withoutZeros(moved.slice(point) + (shift < 0 ? part : part.slice(shift)), 'behind')
  return { negative: sign === '-' && integer + fraction !== '', integer, fraction }
}

/** Whether a JSON number has no fraction as it is written; one of a great exponent has none. */
export function isWhole(text: string): boolean {
  const exponent = Number(/e([+-]?\d+)$/i.exec(text)?.[1] ?? 0)
  const digits = text.replace(/e.*$/i, '')
  const [integer = '', part = ''] = digits.replace('-', '').split('.')
  const fraction = withoutZeros(part, 'behind')
  if (exponent >= 0) return fraction.length <= exponent
  const whole = withoutZeros(integer, 'before')
  const zeros = whole.length - withoutZeros(whole, 'behind').length
  return fraction === '' && (whole === '' || zeros >= -exponent)
}

/** A loop, since a search for zeros before the end begins anew at each of them. */
function withoutZeros(digits: string, where: 'before' | 'behind'): string {
  let start = 0
  let end = digits.length
  if (where === 'before') while (digits.charCodeAt(start) === 48) start++
  else while (digits.charCodeAt(end - 1) === 48) end--
  return digits.slice(start, end)
}

/** A decimal in the one way to write it without an exponent or a needless zero. */
export function plainDecimal(text: string): string {
  const { negative, integer, fraction } = digitsOf(text)
  return `${negative ? '-' : ''}${integer || '0'}${fraction && `.${fraction}`}`
}

/** The shortest text that stands for a JSON number, without an exponent. */
export function decimalOfNumber(value: number): string {
  if (!Number.isFinite(value)) return ''
  const text = String(value)
  return text.includes('e') ? plainDecimal(text) : text
}

/** Below, at or above zero as `a` is less than, equal to or more than `b`. Both are decimals as texts. */
export function compareDecimals(a: string, b: string): number {
  // So many digits are kept by numbers, each in its order.
  if (a.length < 16 && b.length < 16 && isPlain(a) && isPlain(b)) return compareText(Number(a), Number(b))
  const [left, right] = [digitsOf(a), digitsOf(b)]
  if (left.negative !== right.negative) return left.negative ? -1 : 1
  const size =
    compareText(left.integer.length, right.integer.length) ||
    compareText(left.integer, right.integer) ||
    compareText(left.fraction, right.fraction)
  return left.negative ? -size : size
}
const isPlain = (text: string) => !text.includes('e') && !text.includes('E')
const compareText = <T extends string | number>(a: T, b: T) => (a < b ? -1 : a > b ? 1 : 0)

/** Whether a text is a number as JSON or a declared decimal writes it. */
export const isDecimal = (text: string): boolean => /^-?\d+(?:\.\d+)?(?:e[+-]?\d{1,3})?$/i.test(text)

/**
 * The exact sum of decimals, as a text. Those with few digits come first, so that what is added costs no more than what
 * was sent.
 */
export function sumOf(texts: readonly string[]): string {
  const scales = new Map<number, bigint>()
  const numbers = texts.map(digitsOf).sort((a, b) => lengthOf(a) - lengthOf(b))
  for (const { negative, integer, fraction } of numbers) {
    const whole = BigInt(`0${integer}${fraction}`)
    scales.set(fraction.length, (scales.get(fraction.length) ?? 0n) + (negative ? -whole : whole))
  }
  let sum = 0n
  let scale = 0
  for (const [next, one] of [...scales].sort(([a], [b]) => a - b)) {
    sum = sum * 10n ** BigInt(next - scale) + one
    scale = next
  }
  const digits = String(sum < 0n ? -sum : sum).padStart(scale + 1, '0')
  const fraction = withoutZeros(digits.slice(digits.length - scale), 'behind')
  return `${sum < 0n ? '-' : ''}${digits.slice(0, digits.length - scale)}${fraction && `.${fraction}`}`
}
/** The most digits of a decimal that is added up as a number. */
const soonDigits = 12

/**
 * The exact sum of some decimals, each times its factor: `undefined` if one of them has many digits, and is added up
 * another way. Those of so many digits after the point are added up as whole numbers.
 */
export function decimalSum(
  texts: readonly (string | null | undefined)[],
  factors?: readonly (string | number | null | undefined)[],
): string | undefined {
  const sums: number[] = []
  for (let at = 0; at < texts.length; at++) {
    const [text, factor] = [texts[at], factors ? factors[at] : 1]
    if (text === undefined || text === null || factor === undefined || factor === null) continue
    let [whole, digits] = [wholeOf(text), digitsBehind(text)]
    if (typeof factor === 'number' && Number.isSafeInteger(factor)) whole *= factor
    else {
      const other = String(factor)
      whole *= wholeOf(other)
      digits += digitsBehind(other)
    }
    sums[digits] = (sums[digits] ?? 0) + whole
    // Of what is too long or no decimal the whole is no number.
    if (!Number.isSafeInteger(whole) || !Number.isSafeInteger(sums[digits])) return undefined
  }
  const most = sums.length - 1
  let total = 0
  for (let digits = 0; digits <= most; digits++) {
    total += (sums[digits] ?? 0) * 10 ** (most - digits)
    if (!Number.isSafeInteger(total)) return undefined
  }
  return pointed(total, most)
}

/** A whole number without its last digits, half away from zero. */
function roundedWhole(whole: number, unit: number): number {
  const size = Math.abs(whole)
  const rest = size % unit
  const least = (size - rest) / unit + (2 * rest >= unit ? 1 : 0)
  return whole < 0 ? -least : least
}

/** The product of a decimal and a factor, rounded to so many places after its point. */
export function roundedProduct(text: string, factor: string | number, places: number): string {
  const other = String(factor)
  const whole = wholeOf(text) * wholeOf(other)
  const digits = digitsBehind(text) + digitsBehind(other)
  if (!Number.isSafeInteger(whole) || digits > 15) return roundDecimal(productOf(text, other), places)
  return digits <= places ? pointed(whole, digits) : pointed(roundedWhole(whole, 10 ** (digits - places)), places)
}

/** A decimal rounded to so many places after its point, half away from zero. */
export function roundDecimal(text: string, places: number): string {
  const { negative, integer, fraction } = digitsOf(text)
  if (fraction.length <= places) return text
  const up = fraction.charCodeAt(places) >= 53 ? 1n : 0n
  const digits = String(BigInt(`0${integer}${fraction.slice(0, places)}`) + up).padStart(places + 1, '0')
  const point = digits.length - places
  return `${negative ? '-' : ''}${digits.slice(0, point)}${places > 0 ? `.${digits.slice(point)}` : ''}`
}

/** What takes away as much as a decimal adds. */
export const negated = (decimal: string): string => (decimal.startsWith('-') ? decimal.slice(1) : `-${decimal}`)

/** A decimal without its point; NaN of one of many digits. */
function wholeOf(text: string): number {
  if (text.length > soonDigits) return Number.NaN
  let whole = 0
  const isNegative = text.charCodeAt(0) === 45
  for (let i = isNegative ? 1 : 0; i < text.length; i++) {
    const code = text.charCodeAt(i)
    if (isDigit(code)) whole = whole * 10 + code - 48
    else if (code !== 46) return Number.NaN
  }
  return isNegative ? -whole : whole
}

/** How many digits a decimal has behind its point. */
function digitsBehind(text: string): number {
  const point = text.indexOf('.')
  return point < 0 ? 0 : text.length - 1 - point
}

/** A whole number with its point before so many of its digits. */
function pointed(whole: number, digits: number): string {
  if (digits <= 0) return String(whole)
  const text = String(Math.abs(whole)).padStart(digits + 1, '0')
  return `${whole < 0 ? '-' : ''}${text.slice(0, -digits)}.${text.slice(-digits)}`
}

/** The exact product of two decimals, as a text. */
export function productOf(a: string, b: string): string {
  const [left, right] = [digitsOf(a), digitsOf(b)]
  const whole = ({ integer, fraction }: Decimal) => BigInt(`0${integer}${fraction}`)
  const scale = left.fraction.length + right.fraction.length
  const digits = String(whole(left) * whole(right)).padStart(scale + 1, '0')
  const point = digits.length - scale
  return `${left.negative !== right.negative ? '-' : ''}${digits.slice(0, point)}${scale > 0 ? `.${digits.slice(point)}` : ''}`
}
const lengthOf = ({ integer, fraction }: Decimal) => integer.length + fraction.length

/** Whether a text is a declared decimal, of so many digits in all and after its point. */
export function isDecimalOf(text: string, mostDigits: number, mostScale: number): boolean {
  const { length } = text
  let at = text.charCodeAt(0) === 45 ? 1 : 0
  const start = at
  while (at < length && isDigit(text.charCodeAt(at))) at++
  const whole = at - start
  const isZero = text.charCodeAt(start) === 48
  if (whole === 0 || (isZero && whole > 1)) return false
  const point = at
  if (at < length) {
    if (text.charCodeAt(at) !== 46) return false
    at++
    while (at < length && isDigit(text.charCodeAt(at))) at++
    if (at < length || at === point + 1) return false
  }
  const scale = at === point ? 0 : at - point - 1
  return scale <= mostScale && (isZero ? 0 : whole) + scale <= mostDigits
}
const isDigit = (code: number) => code >= 48 && code <= 57

/** How many digits a decimal has in all, and after its point, as it is written. */
export function countDigits(text: string): { readonly digits: number; readonly scale: number } {
  const start = text.startsWith('-') ? 1 : 0
  const point = text.indexOf('.')
  const end = point < 0 ? text.length : point
  const scale = point < 0 ? 0 : text.length - point - 1
  const isZero = end === start + 1 && text[start] === '0'
  return { digits: (isZero ? 0 : end - start) + scale, scale }
}

/** Whether a number is a whole multiple of `step`, as their decimal texts have it: 0.3 is three times 0.1. */
export function isMultiple(value: number, step: number): boolean {
  if (Number.isSafeInteger(value) && Number.isSafeInteger(step)) return value % step === 0
  if (isBinary(step) && Math.abs(value) < widestBinary) return value % step === 0
  const { whole, scale } = scaledBy(step)
  const scaled = Math.round(value * scale)
  // Up to fifteen digits a number stands for the decimal that it was written as.
  return Math.abs(scaled) < 1e15 && whole < 1e15
    ? scaled / scale === value && scaled % whole === 0
    : isMultipleOf(String(value), String(step))
}

/** Halves, quarters and eighths are kept as they are written, up to this many. */
export const widestBinary = 2 ** 31
export const isBinary = (step: number): boolean => step < widestBinary && Number.isInteger(step * 8)

const scaledSteps = /* @__PURE__ */ new Map<number, { readonly whole: number; readonly scale: number }>()
/** A step as a whole number, and how many of it make one. */
function scaledBy(step: number) {
  const known = scaledSteps.get(step)
  if (known) return known
  const { fraction } = digitsOf(String(step))
  const scale = 10 ** fraction.length
  const made = { whole: Math.round(step * scale), scale }
  if (scaledSteps.size < 1000) scaledSteps.set(step, made)
  return made
}

/** The same of decimals as texts, however many digits the first has. */
export function isMultipleOf(text: string, step: string): boolean {
  const [a, b] = [digitsOf(text), digitsOf(step)]
  if (a.fraction.length > b.fraction.length) return false
  const digits = a.integer + a.fraction.padEnd(b.fraction.length, '0')
  const whole = BigInt(`0${b.integer}${b.fraction}`)
  // By pieces, since a text of many digits is slow to read as one number.
  let rest = 0n
  for (let at = 0; at < digits.length; at += 300) {
    const piece = digits.slice(at, at + 300)
    rest = (rest * 10n ** BigInt(piece.length) + BigInt(piece)) % whole
  }
  return rest === 0n
}

/** How to write a number that was written in another way: `.5`, `1,5`, `+5`, ` 05`; `undefined` if it is none. */
export function mendNumber(text: string, isWhole: boolean): string | undefined {
  if (text.length > 40) return undefined
  const [, sign = '', whole = '', fraction = ''] = /^\s*([+-]?)(\d*)(?:[.,](\d*))?\s*$/.exec(text) ?? []
  if (whole === '' && fraction === '') return undefined
  // A comma before three digits may part thousands.
  if (isWhole && (/[1-9]/.test(fraction) || fraction.length === 3)) return undefined
  const digits = whole.replace(/^0+(?=\d)/, '') || '0'
  const mended = `${sign === '-' ? '-' : ''}${digits}${fraction === '' || isWhole ? '' : `.${fraction}`}`
  return mended === text ? undefined : mended
}
