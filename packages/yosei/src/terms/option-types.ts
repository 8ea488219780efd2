/** What options and arguments take: said and held for those whom no compiler tells. */
import { mistake } from './mistake.js'
import { nearestOf } from './nearest.js'
import { readSize, readSpan } from './units.js'

export interface OptionType {
  /** Completes “it takes …”. */
  readonly what: string
  /** As it is written. */
  readonly example: string
  takes(value: unknown): boolean
  /** Where it must be given. */
  readonly isRequired?: boolean
  /** Whether many have it, so that it is not told each time. */
  readonly isShared?: boolean
  /** What an object has inside. */
  readonly options?: AnyOptions
}
/** The options of something, each with what it takes. */
export type Options<T> = { readonly [O in keyof T]-?: OptionType }
export type AnyOptions = { readonly [option: string]: OptionType }
/** Throws: what is wrong, what to do, and in which option. */
export type Report = (what: string, mend: string, option?: string) => never

export const taken = /* @__NO_SIDE_EFFECTS__ */ (
  what: string,
  example: string,
  takes: (value: unknown) => boolean,
): OptionType => ({ what, example, takes })
/** The same options, as those that many have. */
export const shared = /* @__NO_SIDE_EFFECTS__ */ <O extends AnyOptions>(options: O): O =>
  Object.fromEntries(Object.entries(options).map(([name, one]) => [name, { ...one, isShared: true }])) as O
export const required = /* @__NO_SIDE_EFFECTS__ */ (one: OptionType): OptionType => ({ ...one, isRequired: true })

export const isPlain = (value: unknown): value is { readonly [name: string]: unknown } =>
  typeof value === 'object' &&
  value !== null &&
  (Object.getPrototypeOf(value) === Object.prototype || Object.getPrototypeOf(value) === null)
const isText = (value: unknown): value is string => typeof value === 'string'
const isCount = (value: unknown) => Number.isInteger(value) && (value as number) >= 0
export const isField = (value: unknown) =>
  typeof value === 'object' && value !== null && isText((value as { kind?: unknown }).kind)
const isMadeBy = /* @__NO_SIDE_EFFECTS__ */ (key: 'rule' | 'condition' | 'ask', type: string) => (value: unknown) =>
  isPlain(value) && typeof value[key] === type

export const aText = taken('a text', "'…'", isText)
export const aName = taken('a name', "'name'", (value) => isText(value) && value !== '')
export const aFlag = taken('true or false', 'true', (value) => typeof value === 'boolean')
export const aCount = taken('a whole number from zero on', '20', isCount)
export const aNumber = taken('a number', '10', (value) => typeof value === 'number' && !Number.isNaN(value))
export const aBigInteger = taken('a big integer', '10n', (value) => typeof value === 'bigint')
export const aDecimal = taken('a decimal as a text', "'12.50'", isText)
export const bounds = taken(
  'a least and a greatest number',
  '[1, 80]',
  (value) => Array.isArray(value) && value.length === 2 && value.every((one) => typeof one === 'number'),
)
export const aPattern = taken('a regular expression', '/^[a-z]+$/', (value) => value instanceof RegExp)
export const aSpan = taken('a span of time', "'30s'", (value) => isText(value) && readSpan(value) >= 0)
export const aSize = taken(
  'a number of bytes, or a size',
  "'64kB'",
  (value) => (typeof value === 'number' || isText(value)) && readSize(value) >= 0,
)
export const aMoment = taken(
  'an instant, a Date, or a span from now',
  "'2031-03-01T22:30:00Z' or '+36h'",
  (value) => isText(value) || value instanceof Date,
)
export const aDay = taken('a day, or days, months or years from today', "'2031-03-01' or '+2d'", isText)
export const aTimeOfDay = taken('a time of a day', "'20:30'", isText)
export const aFunction = /* @__NO_SIDE_EFFECTS__ */ (example: string) =>
  taken('a function', example, (value) => typeof value === 'function')
/** A function that gives its value at once. */
export const aSyncFunction = /* @__NO_SIDE_EFFECTS__ */ (example: string) =>
  taken(
    'a function that is not async',
    example,
    (value) =>
      typeof value === 'function' && !/^\[object (?:Async|Generator)/.test(Object.prototype.toString.call(value)),
  )
export const anything = taken('any value', '1', (value) => value !== undefined)
export const aConstant = taken(
  'a text, a number, true, false or null',
  "'v1'",
  (value) => value === null || ['string', 'number', 'boolean'].includes(typeof value),
)
export const aField = taken('a field', 'text()', isField)
export const fields = taken(
  'fields by their names',
  '{ name: text() }',
  // What is no field is reported with its own place.
  (value) => isPlain(value) && !isText(value.kind),
)
export const aListOfFields = taken('a list of fields', '[text(), integer()]', (value) => Array.isArray(value))
export const aRule = taken('a rule that on made', "on.needed('body.a', …)", isMadeBy('rule', 'string'))
export const aCondition = taken('a condition that on made', "on.sent('body.a')", isMadeBy('condition', 'string'))
export const aLookup = taken('a lookup that on made', 'on.lookup({ … })', isMadeBy('ask', 'function'))
export const anAddress = taken('an address', "'body.a'", (value) => isText(value) && value !== '')
export const aStatus = taken(
  'a status from 400 to 499',
  '409',
  (value) => isCount(value) && (value as number) >= 400 && (value as number) < 500,
)

export const oneOf = /* @__NO_SIDE_EFFECTS__ */ (...values: readonly (string | boolean)[]): OptionType => {
  const written = values.map((value) => (isText(value) ? `'${value}'` : String(value)))
  const last = written.length > 1 ? ` or ${written.at(-1)}` : (written[0] ?? '')
  return taken(`${written.slice(0, -1).join(', ')}${last}`, written[0] ?? '', (value) =>
    values.includes(value as string),
  )
}
/** Whether something is enforced. */
export const aMode = /* @__PURE__ */ oneOf('enforce', 'observe')
/** The options of both. */
export const merged = /* @__NO_SIDE_EFFECTS__ */ <A extends object, B extends object>(a: A, b: B): A & B => ({
  ...a,
  ...b,
})
/** One of the names of a table. */
export const aNameIn = /* @__NO_SIDE_EFFECTS__ */ (table: object): OptionType => oneOf(...Object.keys(table))
export const listOf = /* @__NO_SIDE_EFFECTS__ */ ({ what, example, takes }: OptionType): OptionType =>
  taken(`a list, each ${what}`, `[${example}]`, (value) => Array.isArray(value) && value.every(takes))
export const eitherOf = /* @__NO_SIDE_EFFECTS__ */ (a: OptionType, b: OptionType): OptionType => ({
  ...taken(`${a.what}, or ${b.what}`, `${a.example} or ${b.example}`, (value) => a.takes(value) || b.takes(value)),
  ...(b.options ? { options: b.options } : {}),
})
export const byName = /* @__NO_SIDE_EFFECTS__ */ ({ what, example, takes }: OptionType): OptionType =>
  taken(`${what} for each name`, `{ name: ${example} }`, (value) => isPlain(value) && Object.values(value).every(takes))
/** An object with options of its own, whose mistakes are reported at them. */
export const withOptions = /* @__NO_SIDE_EFFECTS__ */ (options: AnyOptions): OptionType => ({
  what: 'an object',
  example: `{ ${Object.keys(options)[0]}: … }`,
  takes: isPlain,
  options,
})
/** An object whose own options are looked at by the code that reads it. */
export const anObject = /* @__NO_SIDE_EFFECTS__ */ (example: string): OptionType => taken('an object', example, isPlain)

/** A value as a mistake tells it. Long texts are not repeated. */
export function shown(value: unknown): string {
  if (isText(value)) return value.length > 40 ? 'a long text' : `'${value}'`
  if (value === null || ['number', 'boolean', 'undefined'].includes(typeof value)) return String(value)
  if (typeof value === 'bigint') return `${value}n`
  if (typeof value === 'function') return 'a function'
  if (value instanceof RegExp) return String(value)
  if (value instanceof Date) return 'a Date'
  if (isField(value)) return `${(value as { kind: string }).kind}()`
  return Array.isArray(value) ? `a list of ${value.length}` : 'an object'
}

/** Holds options against what they take. `owner` has them: `text`, `a lookup`; `inside` is the option that has them. */
export function checkOptions(given: unknown, options: AnyOptions, owner: string, report: Report, inside = ''): void {
  if (!isPlain(given)) {
    report(`${owner} takes an object of options, and not ${shown(given)}`, `Write { ${Object.keys(options)[0]}: … }`)
    return
  }
  for (const [name, value] of Object.entries(given)) {
    const one = Object.hasOwn(options, name) ? options[name] : undefined
    const whole = `${inside}${name}`
    if (!one) report(`${owner} has no option ${name}`, mendOf(name, options), whole)
    else if (value !== undefined && !one.takes(value))
      report(`${whole} takes ${one.what}, and not ${shown(value)}`, `Write ${name}: ${one.example}`, whole)
    else if (one.options && isPlain(value)) checkOptions(value, one.options, whole, report, `${whole}.`)
  }
  for (const [name, { isRequired, example }] of Object.entries(options))
    if (isRequired && given[name] === undefined)
      report(`${owner} needs ${name}`, `Write ${name}: ${example}`, `${inside}${name}`)
}

function mendOf(name: string, options: AnyOptions): string {
  const names = Object.keys(options)
  const meant = nearestOf(name, names)
  if (meant !== undefined) return `Write ${meant}: ${options[meant]?.example}`
  const own = names.filter((one) => !options[one]?.isShared)
  if (own.length === names.length) return own.length > 0 ? `Its options are ${own.join(' ')}` : 'Take it away'
  return own.length > 0
    ? `Its options are ${own.join(' ')}, and those of every field`
    : 'Its options are those of every field'
}

/** What a call takes, in order; the last may be for all that are left. */
export interface Taking {
  readonly takes: readonly (OptionType | AnyOptions)[]
  readonly hasRest?: boolean
}
/** A call whose arguments are checked. */
export const checkedCall =
  (owner: string, make: (...given: never[]) => unknown, { takes, hasRest = false }: Taking) =>
  (...given: never[]): unknown => {
    checkArguments(owner, given, takes, hasRest)
    return make(...given)
  }

/** Holds the arguments of a maker against what it takes; the last of `takes` may be for all that are left. */
function checkArguments(
  owner: string,
  given: readonly unknown[],
  takes: readonly (OptionType | AnyOptions)[],
  hasRest: boolean,
): void {
  const report: Report = (what, mend, option) => mistake(owner, what, mend, { option })
  const most = hasRest ? Math.max(given.length, 1) : takes.length
  const [first] = takes as readonly [OptionType | AnyOptions]
  const last = takes.at(-1) as OptionType | AnyOptions
  for (let index = 0; index < Math.max(most, given.length); index++) {
    const value = given[index]
    // Behind all that are left, options may stand.
    const isLast = index > 0 && index === given.length - 1 && !isOptionType(last) && isPlain(value)
    const one = !hasRest ? (takes[Math.min(index, takes.length - 1)] as OptionType | AnyOptions) : isLast ? last : first
    if (index >= most) report(`it takes ${most} arguments, and not ${given.length}`, `Take away ${shown(value)}`)
    if (!isOptionType(one)) {
      if (value !== undefined || Object.values(one).some(({ isRequired }) => isRequired))
        checkOptions(value, one, owner, report)
    } else if (!one.takes(value))
      report(`its argument ${index + 1} is ${one.what}, and not ${shown(value)}`, `Write ${one.example}`)
    else if (one.options && isPlain(value)) checkOptions(value, one.options, owner, report)
  }
}
const isOptionType = (one: OptionType | AnyOptions): one is OptionType => typeof one.takes === 'function'
