/** Verdicts on values that no request brought: messages of a queue, files, settings, forms. */
import { declareEndpoint, type EndpointNode, endpointNode } from '../declare/endpoint.js'
import { type Path, tellAddress } from '../terms/address.js'
import type { Endpoint } from '../terms/endpoint.js'
import { DeclarationError, mistake } from '../terms/mistake.js'
import { isField, shown } from '../terms/option-types.js'
import type { StandardProps } from '../terms/standard.js'
import type { Field, In, Out } from '../terms/types.js'
import type { FieldError } from '../terms/verdict.js'
import { wordingOf } from '../words/messages.js'
import type { CheckInput } from './check.js'
import { checkParts, type JudgePartsOptions, ownWords, type WordsFor } from './parts.js'
import { byAddress, fieldError, type Rejection } from './verdict.js'

/** An error of a value: its address begins at the value itself, and is empty if the value as a whole is wrong. */
export type ValueError = Omit<FieldError, 'part' | 'stage' | 'line' | 'column'>

/** A verdict on a value without a request. */
export type ValueVerdict<T> =
  | { readonly outcome: 'accepted'; readonly value: T }
  | {
      readonly outcome: 'rejected'
      readonly errors: readonly ValueError[]
      /** The error map: address → its errors, in the order found. */
      readonly errorsByField: { readonly [address: string]: readonly ValueError[] }
      /** Errors found beyond the first fifty, and not listed. */
      readonly more: number
    }

/** Options of `judgeValue`. */
export interface JudgeValueOptions extends Pick<JudgePartsOptions, 'now' | 'language' | 'text'> {
  /** What messages call an address, given as its path: `['exposures', 2, 'seconds']`. Without a name, it stays the address. */
  naming?: ((path: Path) => string | undefined) | undefined
}
/** What a field that need not be sent is read to. */
export type ValueOf<F extends Field> = F['need'] extends 'optional' ? Out<F> | undefined : Out<F>

const endpoints = /* @__PURE__ */ new WeakMap<Field, EndpointNode>()

/** How a service judges, or a page. */
export interface By {
  readonly engine: CheckInput['engine']
  readonly words: WordsFor
  readonly endpoint: (
    signature: string,
    declaration: { readonly body: { readonly [mediaType: string]: Field } },
  ) => Endpoint
}
export const byInterpreter: By = { engine: undefined, words: ownWords, endpoint: declareEndpoint }

function endpointOf(field: Field, { endpoint }: By): EndpointNode {
  if (!isField(field))
    mistake(
      'judgeValue()',
      `its first argument is ${shown(field)}`,
      'Give it a field: record({ … }), text() or another',
    )
  const known = endpoints.get(field) ?? declared(() => endpoint('POST /', { body: { 'application/json': field } }))
  endpoints.set(field, known)
  return known
}

/** Mistakes of the field, at their addresses in it. */
function declared(declare: () => Endpoint): EndpointNode {
  try {
    return endpointNode(declare())
  } catch (error) {
    if (!(error instanceof DeclarationError)) throw error
    const { where, what, mend, address, option } = error
    const inside = where.replace(/^POST \/(?:, body\.?)?(?:, )?/, '')
    mistake(`judgeValue()${inside && `, ${inside}`}`, what, mend, {
      address: address?.replace(/^body\.?/, '') || undefined,
      option,
    })
  }
}

const bodyAlone = ['body'] as const
function checkValue(by: By, field: Field, value: unknown, { now, text }: JudgeValueOptions) {
  // Spelt out: a spread of options that are given would be most of what a small value takes.
  const result = checkParts(by.engine, endpointOf(field, by), { body: value }, { now, text, only: bodyAlone })
  if (result.outcome === 'rejected' && result.cause !== undefined) throw result.cause
  return result
}

/** A value has no part before its names. */
const addressIn = (path: Path) => tellAddress(path.slice(1))

function errorsOf(
  { faults }: Rejection,
  { language, naming }: JudgeValueOptions,
  words: WordsFor,
): readonly ValueError[] {
  const address = (path: Path) => naming?.(path.slice(1)) ?? addressIn(path)
  const wording = { ...wordingOf(words(language, undefined)), address }
  return faults.map((fault) => {
    const { part: _, stage: __, ...error } = fieldError(fault, wording)
    return { ...error, address: addressIn(fault.path) }
  })
}

/** See `judgeValue`. */
export function judgeValueBy<F extends Field>(
  by: By,
  field: F,
  value: unknown,
  options: JudgeValueOptions = {},
): ValueVerdict<ValueOf<F>> {
  const result = checkValue(by, field, value, options)
  if (result.outcome === 'accepted')
    return { outcome: 'accepted', value: (result.input as { readonly body: ValueOf<F> }).body }
  const errors = errorsOf(result, options, by.words)
  return { outcome: 'rejected', errors, errorsByField: byAddress(errors), more: result.more }
}

/** What other libraries ask of a field: see `Standard`. */
export const standardBy =
  (by: By, settled?: JudgeValueOptions) =>
  (field: Field): StandardProps<unknown, unknown> => ({
    version: 1,
    vendor: 'yosei',
    validate(value, given) {
      const options: JudgeValueOptions = { ...settled, ...given?.libraryOptions }
      const result = checkValue(by, field, value, options)
      if (result.outcome === 'accepted') return { value: (result.input as { readonly body: unknown }).body }
      const errors = errorsOf(result, options, by.words)
      return { issues: errors.map(({ message }, at) => ({ message, path: keysOf(result.faults[at]?.path ?? []) })) }
    },
  })

/** Options of `standardFor`. */
export interface StandardForOptions<T extends boolean> extends JudgeValueOptions {
  /** Whether the values are texts, as forms have them. */
  text?: T
}
/** A field with options: see `standardFor`. Texts of a form say nothing of the types that they are read to. */
export interface StandardFor<F extends Field, T> {
  readonly '~standard': StandardProps<T extends true ? never : In<F>, ValueOf<F>>
}
export const standardForBy = <F extends Field>(
  by: By,
  field: F,
  options: JudgeValueOptions,
): StandardFor<F, never> => ({ '~standard': standardBy(by, options)(field) as StandardProps<never, never> })

/** The names and indexes that lead to an error. They end before a name inside a secret. */
function keysOf(path: Path): readonly (string | number)[] {
  const keys = path.slice(1)
  const hidden = keys.findIndex((key) => typeof key === 'number' && key < 0)
  return hidden < 0 ? keys : keys.slice(0, hidden)
}
