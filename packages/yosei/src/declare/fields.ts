/** The builders of fields. Each makes one frozen node and judges nothing. */

import type { Format } from '../grammar/formats.js'
import { anything as anythingKind } from '../kinds/anything.js'
import { bigInteger as bigIntegerKind } from '../kinds/big-integer.js'
import { bring } from '../kinds/brought.js'
import { choice as choiceKind } from '../kinds/choice.js'
import { constant as constantKind } from '../kinds/constant.js'
import { day as dayKind } from '../kinds/day.js'
import { decimal as decimalKind } from '../kinds/decimal.js'
import { duration as durationKind } from '../kinds/duration.js'
import { either as eitherKind } from '../kinds/either.js'
import { file as fileKind } from '../kinds/file.js'
import { flag as flagKind } from '../kinds/flag.js'
import { instant as instantKind } from '../kinds/instant.js'
import type { Kind, KindTable, Node } from '../kinds/kind.js'
import { later as laterKind } from '../kinds/later.js'
import { list as listKind } from '../kinds/list.js'
import { integer as integerKind, number as numberKind } from '../kinds/number.js'
import { readAs as readAsKind } from '../kinds/read-as.js'
import { record as recordKind } from '../kinds/record.js'
import { table as tableKind } from '../kinds/table.js'
import { tagged as taggedKind } from '../kinds/tagged.js'
import { type Tidying, text as textKind } from '../kinds/text.js'
import { timeOfDay as timeOfDayKind } from '../kinds/time-of-day.js'
import { tuple as tupleKind } from '../kinds/tuple.js'
import type { FilledBy } from '../rules/fill.js'
import type { Rule } from '../rules/rule.js'
import { type RuleMaker, ruleMaker } from '../rules/rules.js'
import { unfolded } from '../rules/while.js'
import type { Present } from '../terms/address.js'
import type { Asking } from '../terms/asking.js'
import type { Bounds, Moment, Need, Size, Span } from '../terms/declared.js'
import { frozen } from '../terms/frozen.js'
import { mistake, placed, returned } from '../terms/mistake.js'
import { isField, isPlain, shown } from '../terms/option-types.js'
import { given } from '../terms/own.js'
import { fieldOf } from '../terms/standard.js'
import type {
  Common,
  Field,
  Fields,
  Flat,
  In,
  InFields,
  InTuple,
  NeedOf,
  Null,
  Out,
  OutFields,
  OutTuple,
  RecordField,
  Upload,
} from '../terms/types.js'
import type { Piece } from '../terms/verdict.js'
import type { Weekday } from '../terms/weekdays.js'

export interface TextOptions extends Common<string> {
  /** Least and greatest number of code points. */
  length?: Bounds | undefined
  /** A regular expression. Patterns that can take very long are rejected: see `trusted`. */
  pattern?: RegExp | undefined
  /** Accepts a pattern that cannot be analysed, or that can take long. */
  trusted?: boolean | undefined
  /** A standard form, such as `email`. Else `wrong_format`. */
  format?: Format | undefined
  /**
   * Changes the text before it is checked: a Unicode normalization form, `trim` for spaces at both ends, `squeeze` for
   * spaces inside, `compact` to take all spaces away, `lower` or `upper` case. Always in this order.
   */
  tidy?: readonly Tidying[] | undefined
  /** In text sources an empty value counts as not sent, unless this is set. */
  keepEmpty?: boolean | undefined
}
export interface NumberOptions<T = number> extends Common<T> {
  /** At least. */
  min?: T | undefined
  /** At most. */
  max?: T | undefined
  /** More than. */
  above?: T | undefined
  /** Less than. */
  below?: T | undefined
  /** A whole multiple of this (JSON Schema's `multipleOf`). */
  step?: T | undefined
}
/** Options of `number()`. */
export interface FloatOptions extends NumberOptions {
  /** Whole numbers alone, of any size: beyond ±(2^53−1) with the digits that a number keeps. Else `not_whole`. */
  whole?: boolean | undefined
}
export interface DecimalOptions extends Common<string> {
  /** Digits in all, without leading zeros. */
  digits?: number | undefined
  /** Digits after the point. */
  scale?: number | undefined
  /** At least, as a text: `'0'`. Else `below_min`. */
  min?: string | undefined
  /** At most, as a text: `'99.50'`. Else `above_max`. */
  max?: string | undefined
  /** Takes JSON numbers too, each by the shortest text that stands for it: 12.5 is `'12.5'`. */
  numbers?: boolean | undefined
}
export interface InstantOptions extends Common<Date> {
  /** The earliest instant that is taken. */
  from?: Moment | undefined
  /** The latest instant that is taken. */
  until?: Moment | undefined
  /**
   * The IANA time zone in which a date-time without an offset is read, and months and years are counted. Of two instants
   * that its clocks show so it is the first; what they skip is `unreal_date`.
   */
  zone?: string | undefined
}
export interface DayOptions extends Common<string> {
  /** The earliest day that is taken: a date, or from today `+2d`, `-6mo`, `-18y`. */
  from?: string | undefined
  /** The latest day that is taken. */
  until?: string | undefined
  /** The IANA time zone whose today it is; UTC by default. */
  zone?: string | undefined
  /** The days of the week that are taken: `['mon', 'fri']`. Else `not_a_choice`. */
  weekdays?: readonly Weekday[] | undefined
}
export interface TimeOfDayOptions extends Common<string> {
  /** The earliest time that is taken: `'20:30'`. */
  from?: string | undefined
  /** The latest time that is taken. */
  until?: string | undefined
}
export interface DurationOptions extends Common<number> {
  /** At least, as a span: `'30s'`. Else `below_min`. */
  min?: Span | undefined
  /** At most, as a span: `'2h'`. Else `above_max`. */
  max?: Span | undefined
}
export interface ChoiceOptions<V extends string | number> extends Common<V> {
  /** A title for each value, for people. */
  titles?: { readonly [K in V]?: string } | undefined
}
export interface FileOptions extends Common<never> {
  /** At most so large. */
  bytes?: Size | undefined
  /** The media types that are taken: `image/png`, `image/*`. */
  types?: readonly string[] | undefined
}
/** How a query carries several values. */
export interface StyleOptions {
  /** How a query carries the elements (OpenAPI's `style`): joined by commas, blanks or bars. `form` by default. */
  style?: 'form' | 'spaceDelimited' | 'pipeDelimited' | undefined
  /** Whether the name is repeated for each element (OpenAPI's `explode`): with `form` by default so, else not. */
  explode?: boolean | undefined
}
/** The fields of objects, in any of the forms that an element may have. */
type NameIn<T> = T extends Date | readonly unknown[] ? never : T extends object ? keyof T & string : never
/** Options of `list()`. */
export interface ListOptions<T, K> extends Common<T>, StyleOptions {
  /** Least and greatest number of elements. */
  length?: Bounds | undefined
  /** No element twice; or no two elements with the same value of this field. */
  distinct?: boolean | K | undefined
  /**
   * Judges each element of a body alone, for batches: the handler gets what became of each. The request is rejected if
   * none is accepted, or if something else is wrong.
   */
  piecewise?: boolean | undefined
}
/** Options of `tuple()`. */
export interface TupleOptions<T> extends Common<T>, StyleOptions {}
export type LinesOptions<T, K> = Omit<ListOptions<T, K>, 'style' | 'explode' | 'piecewise'>
export interface RecordOptions<T> extends Common<T> {
  /** What happens to names that are not declared. `refuse` by default. */
  unlisted?: 'refuse' | 'drop' | 'keep' | undefined
  /** Rules between its fields, at addresses inside it. They travel with it, into lists and branches. */
  rules?: ((on: RuleMaker<T>) => readonly Rule[]) | undefined
}
export interface TableOptions<T> extends Common<T> {
  /** Least and greatest number of names. */
  length?: Bounds | undefined
  /** The pattern of a name. */
  names?: RegExp | undefined
  /** As for a text's pattern. */
  trusted?: boolean | undefined
}
/** How a value is read to another, and what is reported where it can't be. */
export interface ReadAs<B, T> {
  /** The code of the error if the function throws or gives `undefined`. */
  code: string
  /** The words of that error. */
  message?: string | undefined
  /** The way back, for `write`. */
  write?: ((value: T) => B) | undefined
  /** What makes two objects the same, for comparisons, `distinct`, turns and lookups. By default, it is the sent value. */
  key?: ((value: T) => string) | undefined
}

/** What may be said of a value whose declaration is made later; the rest stands in that. */
export type LaterOptions = Pick<
  Common<never>,
  'optional' | 'nullable' | 'title' | 'description' | 'deprecated' | 'because'
>

export interface Options {
  readonly optional?: boolean | undefined
  readonly default?: unknown
  readonly readOnly?: boolean | 'drop' | undefined
}

/** The one place where nodes are made. Each brings its kind, by name, and others whose nodes it makes itself. */
export function make<F extends Field>(brought: Partial<KindTable>, options: Options = {}, own: object = {}): F {
  const [kind] = Object.keys(brought) as [Kind]
  bring(brought)
  if (!isPlain(options) || isField(options))
    mistake(`${kind}()`, `its options are ${shown(options)}`, 'Write them as an object: { … }')
  const { optional, ...rest } = given(options) as Options
  const need = 'default' in rest ? 'defaulted' : optional || rest.readOnly ? 'optional' : 'required'
  // What is neither true nor false is found where the field is used, which has a place to tell it at.
  const odd = optional === undefined || typeof optional === 'boolean' ? {} : { optional }
  return fieldOf(frozen({ kind, need, ...own, ...rest, ...odd })) as Field as F
}

/** Without `g` and `y`, whose lastIndex would carry over from one request to the next. */
const stateless = (pattern: RegExp) =>
  pattern instanceof RegExp ? new RegExp(pattern.source, pattern.flags.replace(/[gy]/g, '')) : pattern

/** A text: in JSON a string; elsewhere the text as it stands after decoding. */
export function text<const O extends TextOptions = {}>(
  options?: O & TextOptions,
): Field<string | Null<O>, string | Null<O>, NeedOf<O>> {
  const { pattern, format } = options ?? {}
  if (!pattern && format !== 'card-number') return make({ text: textKind }, options)
  // The number of a card is never shown, whatever else is declared.
  const secret = format === 'card-number' ? { secret: true } : {}
  return make({ text: textKind }, {
    ...options,
    ...(pattern ? { pattern: stateless(pattern) } : {}),
    ...secret,
  } as Options)
}

/** A whole number within ±(2^53−1); as text `-?(0|[1-9][0-9]*)`. */
export function integer<const O extends NumberOptions = {}>(
  options?: O & NumberOptions,
): Field<number | Null<O>, number | Null<O>, NeedOf<O>> {
  return make({ integer: integerKind }, options)
}

/**
 * A whole number of any size. Beyond ±(2^53−1) JSON must carry it as text, since a JSON number has lost its digits by
 * then.
 */
export function bigInteger<const O extends NumberOptions<bigint> = {}>(
  options?: O & NumberOptions<bigint>,
): Field<bigint | Null<O>, string | number | Null<O>, NeedOf<O>> {
  return make({ bigInteger: bigIntegerKind }, options)
}

/** A finite number; as text by the grammar of JSON numbers (RFC 8259, section 6). */
export function number<const O extends FloatOptions = {}>(
  options?: O & FloatOptions,
): Field<number | Null<O>, number | Null<O>, NeedOf<O>> {
  return make({ number: numberKind }, options)
}

/** An exact decimal such as `12.50`, kept as its text; JSON must carry it as a string. */
export function decimal<const O extends DecimalOptions = {}>(
  options?: O & DecimalOptions,
): Field<string | Null<O>, string | Null<O>, NeedOf<O>> {
  return make({ decimal: decimalKind }, options)
}

/**
 * True or false; as text `true`, `false`, `1` or `0`. A bare `?name` in a query is true, and `on` in a form, which is what
 * a checkbox sends.
 */
export function flag<const O extends Common<boolean> = {}>(
  options?: O & Common<boolean>,
): Field<boolean | Null<O>, boolean | Null<O>, NeedOf<O>> {
  return make({ flag: flagKind }, options)
}

/** A moment in time: an RFC 3339 date-time, read to a Date. */
export function instant<const O extends InstantOptions = {}>(
  options?: O & InstantOptions,
): Field<Date | Null<O>, string | Null<O>, NeedOf<O>> {
  return make({ instant: instantKind }, options)
}

/** A calendar date `YYYY-MM-DD` (RFC 3339, full-date). Relative limits count days, months and years in `zone`. */
export function day<const O extends DayOptions = {}>(
  options?: O & DayOptions,
): Field<string | Null<O>, string | Null<O>, NeedOf<O>> {
  return make({ day: dayKind }, options)
}

/**
 * A time of a day, `HH:MM` or `HH:MM:SS`, without a zone: kept as a text of one form, `HH:MM:SS`.
 *
 * @example
 * const opens = timeOfDay({ from: '08:00', until: '20:00' })
 */
export function timeOfDay<const O extends TimeOfDayOptions = {}>(
  options?: O & TimeOfDayOptions,
): Field<string | Null<O>, string | Null<O>, NeedOf<O>> {
  return make({ timeOfDay: timeOfDayKind }, options)
}

/** An ISO 8601 duration of weeks, days, hours, minutes and seconds, such as `PT1H30M`, read to milliseconds. */
export function duration<const O extends DurationOptions = {}>(
  options?: O & DurationOptions,
): Field<number | Null<O>, string | Null<O>, NeedOf<O>> {
  return make({ duration: durationKind }, options)
}

/** One of these values. */
export function choice<const C extends readonly (string | number)[], const O extends ChoiceOptions<C[number]> = {}>(
  values: C,
  options?: O & ChoiceOptions<C[number]>,
): Field<C[number] | Null<O>, C[number] | Null<O>, NeedOf<O>> {
  return make({ choice: choiceKind }, options, { values: frozen(values) })
}

/** Exactly this value. */
export function constant<const V extends string | number | boolean | null, const O extends Common<V> = {}>(
  value: V,
  options?: O & Common<V>,
): Field<V | Null<O>, V | Null<O>, NeedOf<O>> {
  return make({ constant: constantKind }, options, { value })
}

/** Values of one kind, in order. In a query the name is repeated, unless `style` says otherwise. */
export function list<I extends Field, const O extends ListOptions<Out<I>[], NameIn<Out<I>>> = {}>(
  item: I,
  options?: O & ListOptions<Out<I>[], NameIn<Out<I>>>,
): Field<(O extends { piecewise: true } ? Piece<Out<I>> : Out<I>)[] | Null<O>, In<I>[] | Null<O>, NeedOf<O>> {
  return make({ list: listKind }, options, { item })
}

/**
 * A body of one JSON value a line (`application/x-ndjson`, `application/jsonl`), each judged whatever becomes of the
 * others. `length` is the least and greatest number of lines; blank ones are none.
 *
 * @example
 * endpoint('POST /weather', { body: lines(record({ at: instant(), wind: number() }), { length: [1, 10_000] }) })
 */
export function lines<I extends Field, const O extends LinesOptions<Out<I>[], NameIn<Out<I>>> = {}>(
  item: I,
  options?: O & LinesOptions<Out<I>[], NameIn<Out<I>>>,
): Field<Out<I>[] | Null<O>, In<I>[] | Null<O>, NeedOf<O>> {
  return make({ list: listKind }, options, { item, lines: true })
}

/** Exactly these values, in this order, each with its own field. In a query the name is repeated, unless `style` says otherwise. */
export function tuple<const I extends readonly Field[], const O extends TupleOptions<OutTuple<I>> = {}>(
  items: I,
  options?: O & TupleOptions<OutTuple<I>>,
): Field<OutTuple<I> | Null<O>, InTuple<I> | Null<O>, NeedOf<O>> {
  return make({ tuple: tupleKind }, options, { items: frozen(items) })
}

/** What its rules always fill is there. */
type OutRecord<F extends Fields, O> = Present<
  OutFields<F>,
  O extends { readonly rules: (on: never) => infer R } ? FilledBy<R> : never
>

/**
 * Named fields, each with its own declaration.
 *
 * @example
 * const target = record({ name: text({ length: [1, 80] }), declination: number({ min: -90, max: 90 }) })
 */
export function record<F extends Fields, const O extends RecordOptions<OutFields<F>> = {}>(
  fields: F,
  options?: O & RecordOptions<OutFields<F>>,
): RecordField<F, OutRecord<F, O> | Null<O>, InFields<F> | Null<O>, NeedOf<O>> {
  const { rules, ...rest } = (options ?? {}) as RecordOptions<unknown>
  if (rules !== undefined && typeof rules !== 'function')
    mistake('record()', `rules takes a function, and not ${shown(rules)}`, 'Write rules: (on) => [ … ]', {
      option: 'rules',
    })
  const own = rules
    ? { rules: frozen(placed('record()', () => unfolded(returned('record()', 'rules', rules(ruleMaker))))) }
    : {}
  return make({ record: recordKind, anything: anythingKind }, rest as Options, { fields: frozen(fields), ...own })
}

/** Free names, one kind of value. */
export function table<V extends Field, const O extends TableOptions<{ [name: string]: Out<V> }> = {}>(
  value: V,
  options?: O & TableOptions<{ [name: string]: Out<V> }>,
): Field<{ [name: string]: Out<V> } | Null<O>, { [name: string]: In<V> } | Null<O>, NeedOf<O>> {
  return make(
    { table: tableKind },
    options?.names ? ({ ...options, names: stateless(options.names) } as Options) : options,
    { value },
  )
}

type OutTagged<K extends string, V extends Fields> = {
  [N in keyof V]: Flat<{ readonly [T in K]: N } & Out<V[N]>>
}[keyof V]
type InTagged<K extends string, V extends Fields> = { [N in keyof V]: Flat<{ [T in K]: N } & In<V[N]>> }[keyof V]

/**
 * A union whose branch is chosen by the text in `tag`. The branches do not declare the tag.
 *
 * @example
 * const mode = tagged('mode', { survey: record({ tiles: integer() }), single: record({}) })
 */
export function tagged<const K extends string, V extends Fields, const O extends Common<OutTagged<K, V>> = {}>(
  tag: K,
  branches: V,
  options?: O & Common<OutTagged<K, V>>,
): Field<OutTagged<K, V> | Null<O>, InTagged<K, V> | Null<O>, NeedOf<O>> {
  return make({ tagged: taggedKind, choice: choiceKind }, options, { tag, branches: frozen(branches) })
}

/**
 * A union that tries its branches in order. If no branch accepts the value, the branch that comes closest reports its
 * errors.
 */
export function either<const I extends readonly Field[], const O extends Common<Out<I[number]>> = {}>(
  branches: I,
  options?: O & Common<Out<I[number]>>,
): Field<Out<I[number]> | Null<O>, In<I[number]> | Null<O>, NeedOf<O>> {
  return make({ either: eitherKind }, options, { branches: frozen(branches) })
}

/**
 * A declaration that is made when it is first needed, for recursive values.
 *
 * @example
 * interface Tree { name: string; parts: Tree[] }
 * const tree: Field<Tree> = record({ name: text(), parts: list(later(() => tree)) })
 */
export function later<T, I = T, const O extends LaterOptions = {}>(
  make_: () => Field<T, I, Need>,
  options?: O & LaterOptions,
): Field<T | Null<O>, I | Null<O>, NeedOf<O>> {
  return make({ later: laterKind }, options, { make: make_ })
}

/**
 * A value that passed `base` goes through `read`, which is given the clock of the judgement as well; a throw or
 * `undefined` becomes an error with `code`, here. What was thrown is never shown. Never asynchronous.
 *
 * @example
 * const link = readAs(text(), (value) => new URL(value), { code: 'bad_link', write: String, key: String })
 */
export function readAs<B extends Field, T>(
  base: B,
  read: (value: Out<B>, asking: Asking) => T extends Promise<unknown> ? never : T | undefined,
  about: ReadAs<Out<B>, T>,
): Field<T, In<B>, B['need']>
export function readAs(
  base: Field,
  read: (value: never, asking: Asking) => unknown,
  about: ReadAs<unknown, never>,
): Field {
  // What is no field is found where this one is used.
  const { need = 'required', readOnly, secret } = (base ?? {}) as Partial<Node>
  const same = { ...(readOnly ? { readOnly } : {}), ...(secret ? { secret } : {}) }
  const options = about ?? {}
  if (!isPlain(options)) mistake('readAs()', `its options are ${shown(options)}`, "Write them as { code: '…' }")
  const odd = ['optional', 'default', 'readOnly'].find(
    (option) => (options as { [option: string]: unknown })[option] !== undefined,
  )
  if (odd !== undefined)
    mistake('readAs()', `it has ${odd}, but reads what its base has read`, `Give ${odd} to the base`, { option: odd })
  bring({ readAs: readAsKind })
  return fieldOf(frozen({ kind: 'readAs', need, base, read, ...same, ...given(options) })) as Field
}

/** Any JSON value, as a copy. */
export function anything<const O extends Common<unknown> = {}>(
  options?: O & Common<unknown>,
): Field<unknown | Null<O>, unknown | Null<O>, NeedOf<O>> {
  return make({ anything: anythingKind }, options)
}

/**
 * A file in a `multipart/form-data` body, or the whole body of another media type.
 *
 * @example
 * endpoint('POST /plates', { body: { 'image/png': file({ bytes: '5MB' }) } })
 */
export function file<const O extends FileOptions = {}>(
  options?: O & FileOptions,
): Field<Upload | Null<O>, File | Null<O>, NeedOf<O>> {
  // Rules read its size, its type and its name.
  return make({ file: fileKind, integer: integerKind, text: textKind }, options)
}
