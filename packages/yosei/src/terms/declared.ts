/** What every declared field has, whatever its kind; and how its options are written. */

/** Least and greatest length or count, both inclusive. */
export type Bounds = readonly [min: number, max: number]
/** `30s`, `15m`, `36h`, `7d`: how a duration is written in a declaration. On the wire it is ISO 8601. */
export type Span = `${number}${'ms' | 's' | 'm' | 'h' | 'd'}`
/** `64kB`, `5MB` (powers of ten), or a number of bytes. */
export type Size = number | `${number}${'B' | 'kB' | 'MB' | 'GB'}`
/** An RFC 3339 instant, a Date, or an instant relative to the clock of the judgement. */
export type Moment = string | Date | `+${Span}` | `-${Span}`

/** Whether a field must be sent; a defaulted one is there in any case. */
export type Need = 'required' | 'optional' | 'defaulted'

/** Your own words: one text for all errors, or by code, or a function of the limit and the sent value. */
export type Messages =
  | string
  | { readonly [code: string]: string | ((about: { readonly limit?: unknown; readonly sent?: unknown }) => string) }

export interface Declared {
  /** Whether it must be sent. */
  readonly need: Need
  /** Whether `null` is a value. */
  readonly nullable?: boolean
  readonly default?: unknown
  /** A short title. */
  readonly title?: string
  /** A description, in CommonMark. */
  readonly description?: string
  readonly examples?: readonly unknown[]
  /** Whether clients should stop using it. */
  readonly deprecated?: boolean
  /** Reasons that silence advice, by its name. */
  readonly because?: { readonly [advice: string]: string }
  /** Whether the server sets it. */
  readonly readOnly?: boolean | 'drop'
  /** Whether no output may show it. */
  readonly secret?: boolean
  readonly messages?: Messages
  /** Whether text is parsed inside JSON too. */
  readonly coerce?: boolean
  /** The name in generated documents. */
  readonly name?: string
}
