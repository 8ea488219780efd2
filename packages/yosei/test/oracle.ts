// biome-ignore-all format: tables read line by line
/**
 * A third judge, written from the docs alone: it shares nothing with the engines but the tables of texts below. It says
 * what an input is accepted as, or which codes are reported at which addresses.
 */
import * as yosei from 'yosei'
import { judgeRule, type World } from './oracle-rules.ts'

export type Source = 'json' | 'coerced' | 'text'
type Read = { readonly read: unknown; readonly rank: number | string | boolean; readonly json: unknown }
export type Val =
  | ({ readonly is: 'scalar' } & Read)
  | { readonly is: 'null' }
  | { readonly is: 'list'; readonly items: readonly (Val | undefined)[] }
  | { readonly is: 'object'; readonly fields: { [name: string]: Val } }
  | { readonly is: 'raw'; readonly raw: unknown }

/** A scalar kind as a table: what each text and each JSON value is read to, `!code` for an error. */
interface Scalar {
  readonly make: (options: never) => unknown
  readonly measure: string
  readonly texts: { readonly [text: string]: unknown }
  readonly values: ReadonlyMap<unknown, unknown>
  /** Of any other text, and of any other JSON value. */
  readonly otherText: string | ((text: string) => unknown)
  readonly otherValue: string
  readonly otherJsonText?: string
  /** Whether JSON carries it as a text. */
  readonly isText: boolean
  readonly rank: (read: never) => number | string | boolean
  readonly json: (read: never) => unknown
  readonly takesNull?: boolean
  readonly keepsEmpty?: boolean
}
const self = Symbol('self')
const same = (read: unknown) => read
const scalar = (
  measure: string,
  make: (options: never) => unknown,
  texts: Scalar['texts'],
  values: readonly (readonly [unknown, unknown])[],
  more: Partial<Scalar> = {},
): Scalar => ({
  make,
  measure,
  texts,
  values: new Map(values),
  otherText: '!wrong_type',
  otherValue: '!wrong_type',
  isText: false,
  rank: same as never,
  json: same,
  ...more,
})
const texts = { isText: true, otherText: (text: string) => text }
const formed = { isText: true, otherText: '!wrong_format' }
const at = (text: string) => new Date(text)
const moment = { rank: ((read: Date) => read.getTime()) as never, json: ((read: Date) => read.toISOString().replace('.000Z', 'Z')) as never }
/** No day is the same as a moment. */
const dayRank = ((read: string) => Date.parse(read) + 1) as never
const spans: { readonly [read: number]: string } = { 0: 'PT0S', 60000: 'PT1M', 3600000: 'PT1H', 86400000: 'P1D' }
const O = (more: object) => (options: object) => ({ ...more, ...options })
const make = (builder: (...given: never[]) => unknown, ...first: unknown[]) => {
  const more = first.at(-1)
  const given = typeof more === 'object' && !Array.isArray(more) && more !== null ? first.slice(0, -1) : first
  const own = given.length < first.length ? (more as object) : {}
  return ((options: object) => builder(...(given as never[]), O(own)(options) as never)) as Scalar['make']
}
const dates = { '2031-03-01T00:00:00Z': at('2031-03-01T00:00:00Z'), '2031-03-01T01:00:00+01:00': at('2031-03-01T00:00:00Z'), '2031-03-01T12:00:00Z': at('2031-03-01T12:00:00Z'), '2031-03-02T00:00:00z': at('2031-03-02T00:00:00Z'), '2031-03-02T00:00:00Z': at('2031-03-02T00:00:00Z'), '2031-02-30T00:00:00Z': '!unreal_date' }
const writtenDates = { '2031-03-01T00:00:00Z': self, '2031-03-01T01:00:00+01:00': self, '2031-03-01T12:00:00Z': self, '2031-03-02T00:00:00z': self, '2031-03-02T00:00:00Z': self, '2031-02-30T00:00:00Z': '!unreal_date' }
const days = { '2031-03-01': self, '2031-03-02': self, '2031-02-30': '!unreal_date' }
const numbers = { '0': 0, '1': 1, '5': 5, '-1': -1, '10': 10, '20': 20 }
const rounded = 9007199254740992
const numeric = [[0, 0], [-0, 0], [1, 1], [5, 5], [-1, -1], [10, 10], [20, 20]] as const
const decimals = { '0': self, '1': self, '1.0': self, '1.00': self, '1.5': self, '5': self, '-1': self, '10': self, '20': self, '0.3': self }
/** One more than a float has: its place among the others is reported by the next that there is. */
const ranked = (read: unknown) => (String(read) === '9007199254740993' ? 9007199254740994 : Number(read))
const big = { rank: ranked as never, json: String as never }

/** Every scalar, with limits and without. */
export const scalars: { readonly [name: string]: Scalar } = {
  text: scalar('text', make(yosei.text), {}, [], texts),
  short: scalar('text', make(yosei.text, { length: [1, 3] }), { '': '!too_short' }, [], { isText: true, otherText: (text) => ([...text].length > 3 ? '!too_long' : text) }),
  kept: scalar('text', make(yosei.text, { keepEmpty: true }), {}, [], { ...texts, keepsEmpty: true }),
  lower: scalar('text', make(yosei.text, { tidy: ['trim', 'lower'], length: [1, 4] }), { '': '!too_short', ' x ': 'x' }, [], { isText: true, otherText: (text) => ([...text].length > 4 ? '!too_long' : text.toLowerCase()) }),
  written: scalar('instant', make(yosei.text, { format: 'date-time' }), writtenDates, [], { ...formed, rank: ((read: string) => Date.parse(read)) as never }),
  integer: scalar('number', make(yosei.integer), { ...numbers, '9007199254740993': '!out_of_range' }, [...numeric, [1.5, '!not_whole'], [0.3, '!not_whole'], [1e23, '!out_of_range'], [rounded, '!out_of_range']]),
  digit: scalar('number', make(yosei.integer, { min: 1, max: 9 }), { '0': '!below_min', '1': 1, '5': 5, '-1': '!below_min', '10': '!above_max', '20': '!above_max', '9007199254740993': '!out_of_range' }, [[0, '!below_min'], [1, 1], [5, 5], [-1, '!below_min'], [10, '!above_max'], [20, '!above_max'], [1.5, '!not_whole'], [0.3, '!not_whole'], [1e23, '!out_of_range'], [rounded, '!out_of_range']]),
  number: scalar('number', make(yosei.number), { ...numbers, '1.0': 1, '1.00': 1, '1.5': 1.5, '0.3': 0.3, '1e1': 10, '9007199254740993': 9007199254740992 }, [...numeric, [1.5, 1.5], [0.3, 0.3], [1e23, 1e23], [rounded, rounded]]),
  tens: scalar('number', make(yosei.number, { step: 10, max: 1e23 }), { '0': 0, '1': '!not_a_step', '5': '!not_a_step', '-1': '!not_a_step', '10': 10, '20': 20, '1.0': '!not_a_step', '1.00': '!not_a_step', '1.5': '!not_a_step', '0.3': '!not_a_step', '1e1': 10, '9007199254740993': '!not_a_step' }, [[0, 0], [1, '!not_a_step'], [5, '!not_a_step'], [-1, '!not_a_step'], [10, 10], [20, 20], [1.5, '!not_a_step'], [0.3, '!not_a_step'], [1e23, 1e23], [rounded, '!not_a_step']]),
  bigInteger: scalar('number', make(yosei.bigInteger), { '0': 0n, '1': 1n, '5': 5n, '-1': -1n, '10': 10n, '20': 20n, '9007199254740993': 9007199254740993n }, [[0, 0n], [1, 1n], [5, 5n], [-1, -1n], [10, 10n], [20, 20n], [1.5, '!not_whole'], [0.3, '!not_whole'], [1e23, '!out_of_range'], [rounded, '!out_of_range']], { ...big, isText: true }),
  decimal: scalar('number', make(yosei.decimal), { ...decimals, '9007199254740993': self }, [], { isText: true, rank: ranked as never }),
  price: scalar('number', make(yosei.decimal, { scale: 1, max: '5' }), { '0': self, '1': self, '1.0': self, '1.00': '!too_many_digits', '1.5': self, '5': self, '-1': self, '10': '!above_max', '20': '!above_max', '0.3': self, '9007199254740993': '!above_max' }, [], { isText: true, rank: ranked as never }),
  cash: scalar('number', make(yosei.decimal, { numbers: true, max: '20' }), { ...decimals, '9007199254740993': '!above_max' }, [[0, '0'], [-0, '0'], [1, '1'], [5, '5'], [-1, '-1'], [10, '10'], [20, '20'], [1.5, '1.5'], [0.3, '0.3'], [1e23, '!above_max'], [rounded, '!above_max']], { isText: true, rank: ranked as never }),
  compact: scalar('text', make(yosei.text, { tidy: ['compact'], length: [1, 3] }), { '': '!too_short', ' x ': 'x' }, [], { isText: true, otherText: (text) => ([...text].length > 3 ? '!too_long' : text) }),
  saturday: scalar('day', make(yosei.day, { weekdays: ['sat'] }), { '2031-03-01': self, '2031-03-02': '!not_a_choice', '2031-02-30': '!unreal_date' }, [], { ...formed, rank: dayRank }),
  epoch: scalar('own', make(yosei.epoch, { unit: 's' }), { '0': at('1970-01-01'), '1': new Date(1000), '5': new Date(5000), '-1': new Date(-1000), '10': new Date(10_000), '20': new Date(20_000), '9007199254740993': '!out_of_range' }, [[0, at('1970-01-01')], [-0, at('1970-01-01')], [1, new Date(1000)], [5, new Date(5000)], [-1, new Date(-1000)], [10, new Date(10_000)], [20, new Date(20_000)], [1.5, '!not_whole'], [0.3, '!not_whole'], [1e23, '!out_of_range'], [rounded, '!out_of_range']], { rank: moment.rank, json: ((read: Date) => read.getTime() / 1000) as never }),
  httpDate: scalar('own', make(yosei.httpDate), { 'Sat, 01 Mar 2031 00:00:00 GMT': at('2031-03-01'), 'Sat Mar  1 00:00:00 2031': at('2031-03-01'), 'Sun, 02 Mar 2031 00:00:00 GMT': at('2031-03-02') }, [], { ...formed, rank: moment.rank, json: ((read: Date) => read.toUTCString()) as never }),
  flag: scalar('flag', make(yosei.flag), { true: true, false: false, '1': true, '0': false }, [[true, true], [false, false]]),
  instant: scalar('instant', make(yosei.instant), dates, [], { ...formed, ...moment }),
  day: scalar('day', make(yosei.day), days, [], { ...formed, rank: dayRank }),
  time: scalar('time', make(yosei.timeOfDay), { '09:00': '09:00:00', '09:00:00': self, '13:30': '13:30:00', '13:30:00': self, '25:00': '!unreal_date' }, [], { ...formed, rank: ((read: string) => (Number(read.slice(0, 2)) * 60 + Number(read.slice(3, 5))) * 60_000) as never }),
  duration: scalar('duration', make(yosei.duration, { max: '1h' }), { PT0S: 0, PT1M: 60000, PT1H: 3600000, P1D: '!above_max' }, [], { ...formed, json: ((read: number) => spans[read]) as never }),
  letters: scalar('text', make(yosei.choice, ['x', 'y']), { x: self, y: self }, [], { isText: true, otherText: '!not_a_choice' }),
  mixed: scalar('mixed', make(yosei.choice, [1, 'x', 0]), { '1': 1, x: 'x', '0': 0 }, [[1, 1], ['x', 'x'], [0, 0], [-0, 0], ...[-1, 1.5, 0.3, 5, 10, 20, 1e23, rounded].map((one) => [one, '!not_a_choice'] as const)], { otherText: '!not_a_choice', otherJsonText: '!not_a_choice' }),
  ones: scalar('number', make(yosei.choice, [1, 5]), { '1': 1, '5': 5 }, [[1, 1], [5, 5], ...[0, -1, 1.5, 0.3, 10, 20, 1e23, rounded].map((one) => [one, '!not_a_choice'] as const)], { otherText: '!not_a_choice' }),
  isX: scalar('text', make(yosei.constant, 'x'), { x: self }, [], { isText: true, otherText: '!not_constant' }),
  isOne: scalar('number', make(yosei.constant, 1), { '1': 1 }, [[1, 1], ...[0, -1, 1.5, 0.3, 5, 10, 20, 1e23, rounded].map((one) => [one, '!not_constant'] as const)], { otherText: '!not_constant' }),
  isTrue: scalar('flag', make(yosei.constant, true), { true: true }, [[true, true], [false, '!not_constant']], { otherText: '!not_constant' }),
  isNull: scalar('own', ((options: object) => yosei.constant(null, options as never)) as never, { null: null }, [[null, null]], { otherText: '!not_constant', takesNull: true }),
}
/** What is sent for scalars: every value and text of the tables. */
export const atoms: readonly unknown[] = [...new Set([...Object.values(scalars).flatMap(({ texts, values }) => [...Object.keys(texts), ...values.keys()]), null, true, false, '', 'on', 'wrong', ' x ', 'TRUE', 'X', 'é'])]

export interface Spec {
  readonly is: 'scalar' | 'list' | 'tuple' | 'record' | 'table' | 'tagged' | 'either' | 'later'
  readonly scalar?: string | undefined
  readonly optional?: boolean | undefined
  readonly nullable?: boolean | undefined
  readonly coerce?: boolean | undefined
  readonly readOnly?: true | 'drop' | undefined
  /** The JSON of a default. */
  readonly fallback?: { readonly json: unknown } | undefined
  readonly items?: readonly Spec[] | undefined
  readonly fields?: { readonly [name: string]: Spec } | undefined
  readonly unlisted?: 'refuse' | 'drop' | 'keep' | undefined
  readonly length?: readonly [number, number] | undefined; readonly carried?: { readonly style?: string; readonly explode?: boolean } | undefined
  readonly distinct?: boolean | string | undefined
  readonly tag?: string | undefined
  readonly piecewise?: boolean
  readonly rules?: readonly RuleSpec[] | undefined
}
export interface Cond {
  readonly on: 'sent' | 'is' | 'in' | 'above' | 'below' | 'suits' | 'all' | 'any' | 'not'
  readonly address?: string
  readonly values?: readonly Given[]
  readonly field?: Spec
  readonly of?: readonly Cond[]
}
/** Another field's value, or the JSON of a value of a scalar. */
export interface Given {
  readonly other?: string
  readonly of?: string
  readonly json?: unknown
}
export interface RuleSpec {
  readonly rule: string
  readonly addresses: readonly string[]
  readonly when?: Cond
  readonly field?: Spec
  readonly options?: { readonly [name: string]: unknown }
  readonly during?: readonly Cond[]
  /** Whether it only observes, or holds after a lookup. */
  readonly role?: 'observed' | 'after' | undefined
}

// As the library's declarations.

export function fieldOf(spec: Spec, isTop = false): unknown {
  const fallback = spec.fallback === undefined ? {} : { default: valueRead(spec, spec.fallback.json) }
  const options = { ...(spec.optional ? { optional: true } : {}), ...(spec.nullable ? { nullable: true } : {}), ...(spec.coerce === undefined ? {} : { coerce: spec.coerce }), ...(spec.readOnly ? { readOnly: spec.readOnly } : {}), ...fallback }
  const inner = () => (spec.items ?? []).map((one) => fieldOf(one) as never)
  const fields = () => Object.fromEntries(Object.entries(spec.fields ?? {}).map(([name, one]) => [name, fieldOf(one)])) as never
  const rules = spec.rules ? { rules: (on: never) => spec.rules?.map((rule) => ruleOf(rule, on)) } : {}
  const length = spec.length ? { length: spec.length } : {}
  switch (spec.is) {
    case 'scalar':
      return scalars[spec.scalar as string]?.make(options as never)
    case 'list':
      return yosei.list(inner()[0] as never, { ...options, ...length, ...spec.carried, ...(spec.piecewise ? { piecewise: true } : {}), ...(spec.distinct ? { distinct: spec.distinct } : {}) } as never)
    case 'tuple':
      return yosei.tuple(inner() as never, options as never)
    case 'record':
      return yosei.record(fields(), { ...options, ...rules, ...(spec.unlisted ? { unlisted: spec.unlisted } : {}) } as never)
    case 'table':
      return yosei.table(inner()[0] as never, { ...options, ...length } as never)
    case 'tagged':
      return yosei.tagged(spec.tag as string, fields(), options as never)
    case 'either':
      return yosei.either(inner() as never, options as never)
    case 'later':
      return yosei.later(() => fieldOf(spec.items?.[0] as Spec) as never, isTop ? {} : (options as never))
  }
}
/** What a program writes for some JSON. */
export const valueRead = (spec: Spec, json: unknown): unknown => plain(read(spec, json, 'json', [], newRun('keep')))

type On = { readonly [name: string]: (...given: unknown[]) => unknown }
function condOf({ on: name, address, values = [], field, of = [] }: Cond, on: On): unknown {
  const written = values.map((one) => (one.other !== undefined ? on.other?.(one.other) : comparand(one)))
  if (name === 'all' || name === 'any' || name === 'not') return on[name]?.(...of.map((one) => condOf(one, on)))
  if (name === 'suits') return on.suits?.(address, fieldOf(field as Spec))
  return name === 'sent' ? on.sent?.(address) : on[name]?.(address, name === 'in' ? written : written[0])
}
const comparand = ({ of, json }: Given) => valueRead({ is: 'scalar', scalar: of as string }, json)
/** The function of own checks: it looks at nothing but the JSON of what it is given. */
export const holds = (...given: unknown[]) => show(given.slice(0, -1)).length % 3 !== 0

export function ruleOf({ rule, addresses, when, field, options, during = [], role }: RuleSpec, on: On): unknown {
  const { more, where, ...rest } = (options ?? {}) as { more?: unknown[]; where?: Cond }
  const mode = role === 'observed' ? { mode: 'observe' } : {}
  const own = { ...rest, ...(where ? { where: condOf(where, on) } : {}) }
  // Limits and hours stand before the options.
  const areApart = ['sumWithin', 'count', 'openAt'].includes(rule)
  const last = areApart ? [own, mode] : options || role === 'observed' ? [{ ...own, ...mode }] : []
  const made = () =>
    rule === 'needed' || rule === 'absent'
      ? on[rule]?.(addresses[0], condOf(when as Cond, on), ...last)
      : rule === 'fits'
        ? on.fits?.(addresses[0], fieldOf(field as Spec), ...last)
        : rule === 'check'
          ? on.check?.({ reads: addresses, code: 'own', holds, ...mode })
          : rule === 'among' && options?.areNames
            ? on.among?.(addresses[0], { namesOf: addresses[1] }, mode)
            : rule === 'openAt'
              ? on.openAt?.(addresses[0], { zone: 'UTC', hours: { sat: [['00:00', '24:00']], sun: [['12:00', '24:00']] } }, mode)
            : more
              ? on.sumWithin?.([...addresses, ...more], ...last)
            : on[rule]?.(...addresses, ...last)
  return during.reduceRight((inner, one) => on.while?.(condOf(one, on), [inner]), made())
}

// Reading, from docs/fields.md.

export type Path = readonly (string | number)[]
interface Run {
  errors: { path: Path; code: string }[]
  /** The records that were read, whose rules hold. */
  records: { spec: Spec; path: Path }[]
  unlisted: 'refuse' | 'drop' | 'keep'
}
export const newRun = (unlisted: Run['unlisted']): Run => ({ errors: [], records: [], unlisted })
export const isObject = (value: unknown): value is { readonly [name: string]: unknown } =>
  typeof value === 'object' && value !== null && !Array.isArray(value)
const keepsEmpty = (spec: Spec): boolean =>
  spec.is === 'scalar'
    ? scalars[spec.scalar as string]?.keepsEmpty === true
    : (spec.is === 'either' || spec.is === 'later') && (spec.items ?? []).some(keepsEmpty)
const takesNull = (spec: Spec): boolean =>
  spec.is === 'scalar' ? scalars[spec.scalar as string]?.takesNull === true : spec.is === 'either'

export function read(spec: Spec, value: unknown, around: Source, path: Path, run: Run): Val | undefined {
  const fail = (code: string, ...below: (string | number)[]): undefined => {
    run.errors.push({ path: [...path, ...below], code })
  }
  const source = around === 'text' || spec.coerce === undefined ? around : spec.coerce ? 'coerced' : 'json'
  const absent = () => {
    if (spec.fallback) return read({ ...spec, fallback: undefined, readOnly: undefined }, spec.fallback.json, 'json', path, run)
    return spec.optional || spec.readOnly ? undefined : fail('missing')
  }
  if (value === undefined || (value === '' && source === 'text' && !keepsEmpty(spec))) return absent()
  if (spec.readOnly === 'drop') return absent()
  if (spec.readOnly) {
    fail('read_only')
    return absent()
  }
  if (value === null && spec.nullable) return { is: 'null' }
  if (spec.is === 'later') return read(spec.items?.[0] as Spec, value, source, path, run)
  if (value === null && !takesNull(spec)) return fail('null_not_allowed')
  if (source === 'text' && Array.isArray(value)) {
    if (spec.is === 'scalar') return fail('sent_twice')
    if (['record', 'table', 'tagged'].includes(spec.is) && value.length > 1) return fail('sent_twice')
  }
  const [first] = (spec.items ?? []) as [Spec]
  const count = (all: number, [least, most] = spec.length ?? [0, 1e9]) => {
    if (all < least) fail('too_few')
    if (all > most) fail('too_many')
  }
  const elements = source === 'text' && typeof value === 'string' ? [value] : value
  switch (spec.is) {
    case 'scalar':
      // What a checkbox sends in a form.
      if (spec.scalar === 'flag' && value === 'on' && source === 'text' && path[0] === 'body') return { is: 'scalar', read: true, rank: true, json: true }
      return readScalar(scalars[spec.scalar as string] as Scalar, value, source, fail)
    case 'list': {
      if (!Array.isArray(elements)) return fail('wrong_type')
      count(elements.length)
      const before = run.errors.length
      const items = elements.map((one, at) => read(first, one ?? null, source, [...path, at], run))
      // Nor is it worked out here what is the same where branches of a union read one place in several ways.
      const inside = JSON.stringify(first)
      const ways = new Set([...inside.matchAll(/"scalar":"(\w+)"/g)].map(([, name = '']) => scalars[name]?.measure))
      if (spec.distinct && /"(?:either|tagged)"/.test(inside) && (ways.size > 1 || items.some(holdsKept))) throw new Undecided()
      if (spec.distinct) repeated(items, typeof spec.distinct === 'string' ? spec.distinct : undefined, path, run, before)
      return { is: 'list', items }
    }
    case 'tuple': {
      if (!Array.isArray(elements)) return fail('wrong_type')
      const all = spec.items ?? []
      count(elements.length, [all.length, all.length])
      const there = all.slice(0, elements.length)
      return { is: 'list', items: there.map((one, at) => read(one, elements[at] ?? null, source, [...path, at], run)) }
    }
    case 'table': {
      if (!isObject(value)) return fail('wrong_type')
      count(Object.keys(value).length)
      // What could not be read was sent all the same, as an element of a list is.
      const entries = Object.entries(value).map(([name, one]) => { const before = run.errors.length; const got = read(first, one, source, [...path, name], run); return { name, got, isThere: got !== undefined || run.errors.length > before } })
      return { is: 'object', fields: Object.fromEntries(entries.filter(({ isThere }) => isThere).map(({ name, got }) => [name, got as Val])) }
    }
    case 'record':
      return isObject(value) ? readRecord(spec, value, source, path, run) : fail('wrong_type')
    case 'tagged': {
      const { tag = '', fields = {} } = spec
      if (!isObject(value)) return fail('wrong_type')
      const chosen = Object.hasOwn(value, tag) ? value[tag] : undefined
      if (typeof chosen === 'string' && Object.hasOwn(fields, chosen))
        return readRecord(fields[chosen] as Spec, value, source, path, run, [tag, chosen])
      return fail(chosen === undefined ? 'missing' : chosen === null ? 'null_not_allowed' : typeof chosen === 'string' ? 'not_a_choice' : 'wrong_type', tag)
    }
    case 'either':
      return readEither(spec, value, source, path, run)
  }
}

const objectOf = (entries: readonly (readonly [string, Val | undefined])[]): Val => ({
  is: 'object',
  fields: Object.fromEntries(entries.filter((one): one is [string, Val] => one[1] !== undefined)),
})

function readScalar(kind: Scalar, value: unknown, source: Source, fail: (code: string) => undefined): Val | undefined {
  const byText = typeof value === 'string' && (source !== 'json' || kind.isText)
  const known = byText ? Object.hasOwn(kind.texts, value) && kind.texts[value] : kind.values.has(value) && kind.values.get(value)
  const isKnown = byText ? Object.hasOwn(kind.texts, value) : kind.values.has(value)
  const { otherText } = kind
  const found = isKnown ? known : byText ? (typeof otherText === 'function' ? otherText(value) : otherText) : typeof value === 'string' ? (kind.otherJsonText ?? kind.otherValue) : kind.otherValue
  if (typeof found === 'string' && found.startsWith('!')) return fail(found.slice(1))
  const got = found === (self as unknown) ? value : found
  if (got === null) return { is: 'null' }
  return { is: 'scalar', read: got, rank: kind.rank(got as never), json: kind.json(got as never) }
}

/** What is kept of an unlisted name: it has no kind to be compared by. */
export const kept = new WeakSet<Val>()
const holdsKept = (val: Val | undefined): boolean => val !== undefined && (kept.has(val) || (val.is === 'list' && val.items.some(holdsKept)) || (val.is === 'object' && Object.values(val.fields).some(holdsKept)))
function keptOf(value: unknown): Val {
  const made: Val = value === null ? { is: 'null' } : Array.isArray(value) ? { is: 'list', items: value.map(keptOf) } : isObject(value) ? objectOf(Object.entries(value).map(([name, one]) => [name, keptOf(one)])) : { is: 'raw', raw: value }
  kept.add(made)
  return made
}

function readRecord(
  spec: Spec,
  value: { readonly [name: string]: unknown },
  source: Source,
  path: Path,
  run: Run,
  tag?: readonly [string, string],
): Val {
  const fields = spec.fields ?? {}
  const got = Object.entries(fields).map(([name, one]): [string, Val | undefined] => {
    const sent = Object.hasOwn(value, name) ? value[name] : undefined
    return [name, read(one, sent, source, [...path, name], run)]
  })
  if (tag) got.push([tag[0], { is: 'scalar', read: tag[1], rank: tag[1], json: tag[1] }])
  for (const name of Object.keys(value)) {
    if (Object.hasOwn(fields, name) || name === tag?.[0]) continue
    const unlisted = spec.unlisted ?? run.unlisted
    if (unlisted === 'refuse') run.errors.push({ path: [...path, name], code: 'unlisted' })
    if (unlisted === 'keep') got.push([name, keptOf(value[name])])
  }
  run.records.push({ spec, path })
  return objectOf(got)
}

/** In order; the first that takes the value wins. */
function readEither(spec: Spec, value: unknown, source: Source, path: Path, run: Run): Val | undefined {
  const branches = spec.items ?? []
  const tries = branches.map((branch) => {
    const own = newRun(run.unlisted)
    const got = read(branch, value, source, path, own)
    return { branch, own, got }
  })
  const taken = tries.find(({ own }) => own.errors.length === 0)
  const isOther = ({ own }: (typeof tries)[number]) =>
    own.errors.some(
      (one) =>
        one.path.length === path.length &&
        ['wrong_type', 'not_constant', 'null_not_allowed', 'no_branch', 'missing'].includes(one.code),
    )
  if (taken) {
    run.records.push(...taken.own.records)
    return taken.got
  }
  const tag = isObject(value) ? tagOf(branches, source) : undefined
  const names = isObject(value) ? Object.keys(value) : []
  const close = tries.filter((one) => !isOther(one))
  const isMeant = ({ branch, own }: (typeof tries)[number]) =>
    formsOf(branch).some((form) => {
      const constants = constantsIn(form)
      const isWrong = (name: string) => own.errors.some((one) => one.path.length === path.length + 1 && one.path.at(-1) === name)
      return constants.length > 0 && constants.every((name) => names.includes(name) && !isWrong(name))
    })
  const meant = tag && isObject(value) ? tries.find(({ branch }) => tag.of(branch).includes(value[tag.name])) : undefined
  const speaks = (one: (typeof tries)[number]) => void run.errors.push(...one.own.errors)
  if (meant) return speaks(meant)
  if (tagOf(branches, 'json') && isObject(value) && !close.some(isMeant)) {
    const { name, of } = tagOf(branches, 'json') as Tag
    const sent = Object.hasOwn(value, name) ? value[name] : undefined
    const isKnown = branches.flatMap(of).some((one) => typeof one === typeof sent)
    const code = sent === undefined ? 'missing' : sent === null ? 'null_not_allowed' : isKnown ? 'not_a_choice' : 'wrong_type'
    run.errors.push({ path: [...path, name], code })
    return undefined
  }
  const rank = (one: (typeof tries)[number]) => [
    isMeant(one) ? 1 : 0,
    Math.max(0, ...formsOf(one.branch).map((form) => names.filter((name) => declares(form, name)).length)),
    -one.own.errors.length,
    Math.max(...one.own.errors.map((error) => error.path.length)),
  ]
  const order = (a: readonly number[], b: readonly number[]) => {
    const differs = a.findIndex((one, index) => one !== b[index])
    return differs < 0 ? 0 : (b[differs] as number) - (a[differs] as number)
  }
  const [closest] = [...close].sort((a, b) => order(rank(a), rank(b)))
  if (closest) speaks(closest)
  else run.errors.push({ path, code: 'no_branch' })
  return undefined
}

const formsOf = (spec: Spec): readonly Spec[] =>
  spec.is === 'either' || spec.is === 'later' ? (spec.items ?? []).flatMap(formsOf) : [spec]
const constantsIn = (form: Spec): readonly string[] =>
  form.is === 'tagged'
    ? [form.tag as string]
    : form.is === 'record'
      ? Object.entries(form.fields ?? {}).flatMap(([name, one]) => (!one.optional && !one.fallback && !one.readOnly && isConstant(one) ? [name] : []))
      : []
const isConstant = (spec: Spec): boolean => spec.is === 'later' ? isConstant(spec.items?.[0] as Spec) : spec.is === 'scalar' && (spec.scalar as string).startsWith('is')
const declares = (form: Spec, name: string): boolean =>
  form.is === 'table' ||
  (form.is === 'record' && Object.hasOwn(form.fields ?? {}, name)) ||
  (form.is === 'tagged' && (form.tag === name || Object.values(form.fields ?? {}).some((one) => Object.hasOwn(one.fields ?? {}, name))))

interface Tag {
  readonly name: string
  /** The values by which a branch is reported. */
  of(branch: Spec): readonly unknown[]
}
/** The field whose required, uncoerced, disjoint constants tell all branches apart that take objects. */
function tagOf(branches: readonly Spec[], source: Source): Tag | undefined {
  const constants: { readonly [name: string]: readonly unknown[] } = { isX: ['x'], isOne: [1], isTrue: [true], isNull: [null], letters: ['x', 'y'], mixed: [1, 'x', 0], ones: [1, 5] }
  const isOfObject = (form: Spec) => ['record', 'tagged', 'table'].includes(form.is)
  const objects = branches.filter((branch) => formsOf(branch).some(isOfObject))
  const valuesOf = (branch: Spec, name: string) =>
    formsOf(branch).filter(isOfObject).map((form): readonly unknown[] | undefined => {
      if (form.is === 'tagged') return form.tag === name ? Object.keys(form.fields ?? {}) : undefined
      const field = form.is === 'record' && Object.hasOwn(form.fields ?? {}, name) ? form.fields?.[name] : undefined
      const isFree = !field || field.optional || field.nullable || field.fallback || field.readOnly || field.coerce || form.coerce || branch.coerce
      return isFree || field.is !== 'scalar' ? undefined : constants[field.scalar as string]
    })
  const [first] = objects
  if (!first || objects.length < 2) return undefined
  const names = formsOf(first).flatMap((form) => (form.is === 'tagged' ? [form.tag as string] : Object.keys(form.fields ?? {})))
  const name = names.find((one) => {
    const all = objects.map((branch) => valuesOf(branch, one))
    if (all.some((values) => values.includes(undefined))) return false
    const flat = all.map((values) => new Set(values.flat()))
    return flat.every((values, at) => flat.every((others, other) => at === other || [...values].every((value) => !others.has(value))))
  })
  if (name === undefined) return undefined
  const of = (branch: Spec) => (objects.includes(branch) ? valuesOf(branch, name).flatMap((values) => values ?? []) : [])
  // What is read from text may be meant as another type.
  return source === 'json' || objects.flatMap(of).every((one) => typeof one === 'string') ? { name, of } : undefined
}

export const isUnder = (path: Path, start: Path) => start.length <= path.length && start.every((step, at) => step === path[at])

function repeated(items: readonly (Val | undefined)[], by: string | undefined, path: Path, run: Run, before: number): void {
  const seen: string[] = []
  const steps = by === undefined ? [] : [by]
  const wrong = run.errors.slice(before)
  items.forEach((item, index) => {
    const one = by === undefined ? item : item && at2(item, [by])
    const place = [...path, index, ...steps]
    const isWrong = wrong.some((error) => isUnder(error.path, place) || (isUnder(place, error.path) && error.path.length > path.length))
    if (one === undefined || isWrong) return
    const key = keyOf(one)
    if (seen.includes(key)) run.errors.push({ path: place, code: 'repeated' })
    else seen.push(key)
  })
}

export function at2(val: Val | undefined, path: Path): Val | undefined {
  let at = val
  for (const step of path) {
    const end = /^\[-(\d+)\]$/.exec(String(step))
    if (at?.is === 'list' && (end || typeof step === 'number')) at = at.items[end ? at.items.length - Number(end[1]) : (step as number)]
    else if (at?.is === 'object' && Object.hasOwn(at.fields, step)) at = at.fields[step]
    else return undefined
  }
  return at
}
/** What the docs do not decide. */
export class Undecided extends Error {}
export const isTime = (val: Val | undefined) => isDate(val) || (val?.is === 'scalar' && val.read instanceof Date)
export const isDate = (val: Val | undefined) => val?.is === 'scalar' && typeof val.read === 'string' && typeof val.rank === 'number' && Number.isNaN(Number(val.read))
export const measureOf = (val: Val & { is: 'scalar' }) => (isTime(val) ? 'time' : typeof val.read === 'number' && typeof val.json === 'string' ? 'duration' : typeof val.rank)
/** What makes a value the same as another. */
export const keyOf = (val: Val): string =>
  val.is === 'scalar'
    ? `${typeof val.rank}${val.rank}`
    : val.is === 'list'
      ? `[${val.items.map((one) => one && keyOf(one)).join()}]`
      : val.is === 'object'
        ? `{${Object.keys(val.fields).sort().map((name) => `${name}:${keyOf(val.fields[name] as Val)}`)}}`
        : val.is === 'raw'
          ? JSON.stringify(val.raw)
          : 'null'

export function plain(val: Val | undefined): unknown {
  if (val === undefined || val.is === 'null') return val && null
  if (val.is === 'raw') return val.raw
  if (val.is === 'scalar') return val.read
  if (val.is === 'list') return val.items.map(plain)
  return Object.fromEntries(Object.entries(val.fields).map(([name, one]) => [name, plain(one)]))
}
/** As a client would send it to a field. What a branch of a union read as another type than the field has, the docs do not decide. */
export const jsonOf = (val: Val | undefined, field?: Spec): unknown => {
  if (val === undefined || val.is === 'null') return null
  if (val.is === 'raw') return val.raw
  if (val.is === 'list') return val.items.map((one) => jsonOf(one, field?.items?.[0]))
  if (val.is === 'object') return Object.fromEntries(Object.entries(val.fields).map(([name, one]) => [name, jsonOf(one, field?.fields?.[name])]))
  const measure = field?.is === 'scalar' ? measures[scalars[field.scalar as string]?.measure as string] : undefined
  if (measure && measure !== measureOf(val)) throw new Undecided()
  return typeof val.read === 'bigint' && field?.scalar !== 'bigInteger' ? val.read : val.read instanceof Date && field?.scalar !== 'instant' ? val.read : val.json
}
const measures: { readonly [measure: string]: string } = { instant: 'time', day: 'time', time: 'time', duration: 'duration', number: 'number', text: 'string', flag: 'boolean' }

/** A copy made here: one of another realm is no plain object to the engines, and is interpreted. */
export const copy = <T>(value: T): T =>
  (Array.isArray(value) ? value.map(copy) : isObject(value) ? Object.fromEntries(Object.entries(value).map(([name, one]) => [name, copy(one)])) : value) as T
export const show = (value: unknown): string =>
  JSON.stringify(value, (_, one) => (typeof one === 'bigint' ? `${one}n` : Object.is(one, -0) ? '-0' : isObject(one) ? Object.fromEntries(Object.entries(one).sort(([x], [y]) => (x < y ? -1 : 1))) : one)) ?? ''
const written = (path: Path) => path.map((step, at) => (typeof step === 'number' ? `[${step}]` : `${at > 0 ? '.' : ''}${step}`)).join('')
export interface Asked {
  /** The parts, as records. */
  readonly parts: { readonly [part: string]: Spec }
  readonly rules: readonly RuleSpec[]
  readonly sent: { readonly [part: string]: unknown }
  readonly source: Source
  readonly unlisted: 'refuse' | 'drop' | 'keep'
}

export interface Answer {
  readonly input?: unknown
  readonly errors?: readonly string[]
  readonly observed?: readonly string[]
}
/** What the endpoint must answer: the input, or the errors in any order. */
export function oracle({ parts, rules, sent, source, unlisted }: Asked): Answer {
  const all = newRun(unlisted)
  const read_ = Object.entries(parts).map(([part, spec]): [string, Val | undefined] => {
    const run = newRun(part === 'body' ? unlisted : part === 'query' ? 'refuse' : 'drop')
    const got = read(spec, part === 'body' ? sent.body : (sent[part] ?? {}), part === 'body' ? source : 'text', [part], run)
    all.errors.push(...run.errors)
    all.records.push(...run.records)
    return [part, got]
  })
  const specsAt = (spec: Spec, path: Path): readonly Spec[] =>
    path.reduce<readonly Spec[]>(
      (specs, step) => specs.flatMap(formsOf).flatMap((one): readonly Spec[] => one.is === 'tagged' ? Object.values(one.fields ?? {}).flatMap((branch) => branch.fields?.[step] ?? []) : one.is === 'tuple' ? (one.items?.[step as number] ?? []) as never : one.fields?.[step] ? [one.fields[step] as Spec] : one.is === 'list' || one.is === 'table' ? (one.items ?? []) : []),
      [spec],
    )
  const world: World = {
    input: objectOf(read_),
    sent,
    errors: [...all.errors],
    isText: (path) => path[0] !== 'body' || source === 'text',
    keeps: (path) => specsAt(parts[path[0] as string] as Spec, path.slice(1)).some(keepsEmpty),
  }
  const found = (role: RuleSpec['role'], seen: World) => rules.filter((rule) => rule.role === role).flatMap((rule) => judgeRule(rule, [], seen, false))
  const byRecords = all.records.flatMap(({ spec, path }) => (spec.rules ?? []).flatMap((rule) => judgeRule(rule, path, { ...world, keeps: (one) => specsAt(spec, one.slice(path.length)).some(keepsEmpty) }, true)))
  const early = [...all.errors, ...byRecords, ...found(undefined, world)]
  const told = (errors: Run['errors']) => errors.map(({ path, code }) => `${written(path)} ${code}`).sort()
  const [name, list] = Object.entries(parts.body?.fields ?? {}).find(([, one]) => one.piecewise) ?? []
  const at: Path = ['body', String(name)]
  const pieces = at2(world.input, at)
  const count = list && pieces?.is === 'list' ? pieces.items.length : 0
  const isOfPiece = ({ path }: Run['errors'][number], index: unknown = path[2]) => count > 0 && isUnder(path, at) && typeof path[2] === 'number' && path[2] === index
  const isRejected = (errors: Run['errors']) => errors.some((one) => !isOfPiece(one)) || (errors.length > 0 && pieces?.is === 'list' && pieces.items.every((_, index) => errors.some((one) => isOfPiece(one, index))))
  const observed = told(found('observed', world))
  if (isRejected(early)) return { errors: told(early), observed }
  // What follows sees only elements that are right.
  const right = pieces?.is === 'list' && list ? objectOf(read_.map(([part, one]) => [part, part === 'body' && one?.is === 'object' ? objectOf(Object.entries(one.fields).map(([field, value]) => [field, field === name ? { is: 'list', items: pieces.items.map((item, index) => (early.some((error) => isOfPiece(error, index)) ? undefined : item)) } : value])) : one])) : world.input
  const errors = [...early, ...found('after', { ...world, input: right, errors: [] })]
  if (isRejected(errors)) return { errors: told(errors), observed }
  const input = plain(world.input) as { body: { [name: string]: unknown[] } }
  if (list && pieces?.is === 'list')
    input.body[String(name)] = pieces.items.map((item, index) => {
      const own = errors.filter((error) => isOfPiece(error, index))
      return own.length > 0 ? { outcome: 'rejected', errors: told(own) } : { outcome: 'accepted', value: plain(item) }
    })
  return { input, observed }
}
