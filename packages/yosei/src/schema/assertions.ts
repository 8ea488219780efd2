/** Keywords that look at a value alone: JSON Schema 2020-12 Validation, section 6; and formats, section 7. */
import { formats } from '../grammar/formats.js'
import { isMultiple } from '../grammar/numbers.js'
import { matches } from '../kinds/patterns.js'
import { isNamed } from '../kinds/run.js'
import type { Finding } from '../kinds/schema.js'
import { codePoints, patternShown } from '../kinds/text.js'
import { canonical } from '../terms/canonical.js'
import { Forms } from './forms.js'
import type { Enforced, Making } from './making.js'
import type { Rule } from './place.js'

/** The types of JSON values, as `type` names them. */
export const types = {
  null: (value: unknown) => value === null,
  boolean: (value: unknown) => typeof value === 'boolean',
  integer: Number.isInteger,
  number: (value: unknown) => typeof value === 'number',
  string: (value: unknown) => typeof value === 'string',
  array: Array.isArray,
  object: isNamed,
} as const satisfies { readonly [type: string]: (value: unknown) => boolean }
export type Type = keyof typeof types
export const isType = (name: unknown): name is Type => typeof name === 'string' && Object.hasOwn(types, name)

/** The kind of field whose values have such a type. */
const kindOfType: { readonly [T in Exclude<Type, 'null'>]: string } = {
  boolean: 'flag',
  integer: 'integer',
  number: 'number',
  string: 'text',
  array: 'list',
  object: 'record',
}

type About = Omit<Finding, 'path'>
/** A rule of the value itself. */
const rule = (isWrong: (value: never) => About | undefined, isOf: (value: unknown) => boolean): Rule => {
  const wrong = (value: unknown) => (isOf(value) ? isWrong(value as never) : undefined)
  return {
    holds: (value) => wrong(value) === undefined,
    tell(value) {
      const found = wrong(value)
      return found ? [{ path: [], ...found }] : []
    },
  }
}
const sentOf = (value: unknown): Pick<Finding, 'sent'> => ({ sent: value })

type Make = (limit: unknown, making: Making) => Rule | undefined
export const isCount = (limit: unknown): limit is number => Number.isInteger(limit) && (limit as number) >= 0
const isNumber = (limit: unknown): limit is number => typeof limit === 'number' && Number.isFinite(limit)

/** A keyword that takes a number, and looks at numbers. */
const bound =
  (code: About['code'], holds: (value: number, limit: number) => boolean, variant?: string): Make =>
  (limit, making) =>
    isNumber(limit)
      ? rule(
          (value: number) =>
            holds(value, limit) ? undefined : { code, limit, variant: variant ?? 'number', sent: value },
          types.number,
        )
      : making.odd('a number')

/** A keyword that takes a count, and looks at values of one type. */
const counted =
  (
    code: About['code'],
    type: 'string' | 'array' | 'object',
    count: (value: never) => number,
    holds: (count: number, limit: number) => boolean,
    variant?: string,
  ): Make =>
  (limit, making) =>
    isCount(limit)
      ? rule(
          (value: never) =>
            holds(count(value), limit)
              ? undefined
              : { code, limit, variant, ...(type === 'string' ? sentOf(value) : {}) },
          types[type],
        )
      : making.odd('a whole number from zero on')
const isLeast = (count: number, limit: number) => count >= limit
const isMost = (count: number, limit: number) => count <= limit
const names = (value: object) => Object.keys(value).length
const length = ({ length }: readonly unknown[]) => length

/** Equal as JSON values are: names in any order. */
function equals(value: unknown): (other: unknown) => boolean {
  if (typeof value !== 'object' || value === null) return (other) => other === value
  const text = canonical(value)
  return (other) => typeof other === 'object' && other !== null && canonical(other) === text
}

const isScalar = (value: unknown) => typeof value !== 'object' || value === null
/** What is none of some values: of another type, or another value. */
function noneOf(values: readonly unknown[], value: unknown, kind: 'constant' | 'choice'): About {
  const isOfType = values.some((one) => typeof one === typeof value && (one === null) === (value === null))
  const limit = kind === 'constant' ? values[0] : values
  const shown = values.every(isScalar) ? { limit } : { variant: 'secret' }
  if (isOfType) return { code: kind === 'constant' ? 'not_constant' : 'not_a_choice', ...shown, ...sentOf(value) }
  if (value === null) return { code: 'null_not_allowed' }
  return { code: 'wrong_type', variant: kind, ...shown, ...sentOf(value) }
}

function typeRule(all: readonly Type[]): Rule {
  // A whole number is a number.
  const given = all.includes('number') ? all.filter((type) => type !== 'integer') : all
  const forms = given.filter((type) => type !== 'null')
  const [only] = forms
  const isOne = (value: unknown) => given.some((type) => types[type](value))
  const wrong = (value: unknown): About => {
    if (typeof value === 'number' && given.includes('integer')) return { code: 'not_whole', sent: value }
    if (forms.length > 1)
      return { code: 'no_branch', variant: 'forms', about: { forms: new Forms(forms.map((type) => ({ type }))) } }
    if (value === null) return { code: 'null_not_allowed' }
    return only
      ? { code: 'wrong_type', variant: kindOfType[only], sent: value }
      : { code: 'wrong_type', variant: 'constant', limit: null, sent: value }
  }
  return {
    ...rule(
      (value: unknown) => (isOne(value) ? undefined : wrong(value)),
      () => true,
    ),
    isFirst: true,
  }
}

function repeatedIn(values: readonly unknown[]): readonly (readonly [index: number, earlier: number])[] {
  const seen = new Map<string, number>()
  return values.flatMap((value, index): (readonly [number, number])[] => {
    const key = canonical(value)
    const earlier = seen.get(key)
    if (earlier === undefined) seen.set(key, index)
    return earlier === undefined ? [] : [[index, earlier]]
  })
}

export const assertions = {
  type(given, making) {
    const all = Array.isArray(given) ? given : [given]
    return all.length > 0 && all.every(isType) ? typeRule(all) : making.odd(`one of ${Object.keys(types).join(', ')}`)
  },
  const(given) {
    const isEqual = equals(given)
    return rule(
      (value: unknown) => (isEqual(value) ? undefined : noneOf([given], value, 'constant')),
      () => true,
    )
  },
  enum(given, making) {
    if (!Array.isArray(given)) return making.odd('a list of values')
    const scalars = new Set(given.filter(isScalar))
    const others = new Set(given.filter((one) => !isScalar(one)).map(canonical))
    const isOne = (value: unknown) => (isScalar(value) ? scalars.has(value) : others.has(canonical(value)))
    return rule(
      (value: unknown) => (isOne(value) ? undefined : noneOf(given, value, 'choice')),
      () => true,
    )
  },
  multipleOf: (step, making) =>
    isNumber(step) && step > 0
      ? rule(
          (value: number) => (isMultiple(value, step) ? undefined : { code: 'not_a_step', limit: step, sent: value }),
          types.number,
        )
      : making.odd('a number above zero'),
  minimum: bound('below_min', (value, limit) => value >= limit),
  exclusiveMinimum: bound('below_min', (value, limit) => value > limit, 'above'),
  maximum: bound('above_max', (value, limit) => value <= limit),
  exclusiveMaximum: bound('above_max', (value, limit) => value < limit, 'below'),
  minLength: counted('too_short', 'string', codePoints, isLeast),
  maxLength: counted('too_long', 'string', codePoints, isMost),
  pattern(_, making) {
    const { pattern } = making.text
    if (!pattern) return undefined
    return rule(
      (value: string) =>
        pattern.isMatched(value)
          ? undefined
          : { code: 'wrong_pattern', limit: pattern.source, sent: value, ...patternShown(making.shown) },
      types.string,
    )
  },
  format(_, making) {
    const { format } = making.text
    if (format === undefined) return undefined
    return rule((value: string) => {
      const code = formats[format].check(value)
      return code && { code, limit: format, variant: format, sent: value }
    }, types.string)
  },
  minItems: counted('too_few', 'array', length, isLeast),
  maxItems: counted('too_many', 'array', length, isMost),
  uniqueItems(given, making) {
    if (typeof given !== 'boolean') return making.odd('true or false')
    if (!given) return undefined
    return {
      holds: (value) => !Array.isArray(value) || repeatedIn(value).length === 0,
      tell: (value) =>
        Array.isArray(value)
          ? repeatedIn(value).map(([index, earlier]) => ({ path: [index], code: 'repeated', other: [earlier] }))
          : [],
    }
  },
  minProperties: counted('too_few', 'object', names, isLeast, 'table'),
  maxProperties: counted('too_many', 'object', names, isMost, 'table'),
  required(given, making) {
    if (!isListOfNames(given)) return making.odd('a list of names')
    return {
      holds(value) {
        if (!isNamed(value)) return true
        for (const name of given) if (!Object.hasOwn(value, name)) return false
        return true
      },
      tell: (value) =>
        isNamed(value)
          ? given.filter((name) => !Object.hasOwn(value, name)).map((name) => ({ path: [name], code: 'missing' }))
          : [],
    }
  },
  dependentRequired(given, making) {
    if (!isNamed(given) || !Object.values(given).every(isListOfNames)) return making.odd('lists of names, by names')
    return neededBeside(given as { readonly [name: string]: readonly string[] })
  },
} as const satisfies { readonly [keyword: string]: Make }

/** Names that are needed if another is there. */
export function neededBeside(given: { readonly [name: string]: readonly string[] }): Rule {
  const missing = (value: unknown) =>
    isNamed(value)
      ? Object.entries(given).flatMap(([name, needed]) =>
          Object.hasOwn(value, name)
            ? needed.filter((one) => !Object.hasOwn(value, one)).map((one) => [name, one] as const)
            : [],
        )
      : []
  return {
    holds: (value) => missing(value).length === 0,
    tell: (value) =>
      missing(value).map(([name, one]) => ({ path: [one], code: 'needed', variant: 'beside', other: [name] })),
  }
}

export const isListOfNames = (given: unknown): given is readonly string[] =>
  Array.isArray(given) && given.every((one) => typeof one === 'string')

/** A pattern on texts up to a length: longer ones are not looked at. */
export const enforced = (pattern: RegExp, most = Number.POSITIVE_INFINITY): Enforced => ({
  source: pattern.source,
  regExp: pattern,
  most,
  isMatched: (text) => text.length > most || matches(pattern, text),
})
