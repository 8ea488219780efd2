/** The verdict: accepted with the typed input, or rejected with a status and all errors at their fields. */
import type { Accepted, Endpoints, EndpointTypes, TypesOf } from './endpoint.js'
import type { Part } from './parts.js'
import type { Stage } from './statuses.js'

/** How a value was read: for the moment when one surprises somebody. */
export interface Reading {
  readonly address: string
  readonly sent: unknown
  readonly read: unknown
  readonly how: 'as is' | 'tidied' | 'from text' | 'default' | 'filled' | 'dropped'
}

/** One stage, or one rule, and how it went. */
export interface Step {
  readonly stage: Stage
  readonly name?: string
  readonly outcome: 'passed' | 'failed' | 'not run'
  readonly because?: string
  /** Of a lookup that was asked: the values that it reads, secrets apart. */
  readonly asked?: readonly unknown[]
  /** What it found; nothing where it reads a secret. */
  readonly found?: unknown
  /** How long it took, in milliseconds. */
  readonly took?: number
}

export interface FieldError {
  /** None where the request as a whole is refused; its address is empty then. */
  readonly part: Part | undefined
  readonly address: string
  /** Inside the body, RFC 6901. */
  readonly pointer?: string
  readonly code: string
  /** Completes the sentence that the address begins. */
  readonly message: string
  readonly stage: Stage
  /**
   * The limit that was not met, if there is one: 50 for `{ max: 50 }`, for a choice its values, the first hundred of many.
   * Instants and big integers are texts.
   */
  readonly limit?: unknown
  /** Of a syntax error in the body, and of any error in a body of lines; both from 1. */
  readonly line?: number
  readonly column?: number
}

export interface Trace {
  readonly readings: readonly Reading[]
  readonly steps: readonly Step[]
}
interface Traced {
  /** How each value was read and how each stage and rule went, where `trace` asked for it. */
  readonly trace?: Trace
}
export interface AcceptedVerdict<N, I> extends Traced {
  readonly outcome: 'accepted'
  readonly endpoint: N
  readonly input: I
}
/** Sound so far, but these lookups were not asked, since no services were given. */
export interface PendingVerdict<N, I> extends Traced {
  readonly outcome: 'pending'
  readonly endpoint: N
  readonly input: I
  readonly unasked: readonly string[]
}
/** Only an endpoint that asks somebody can be pending. */
type MaybePending<N, E> = IsAsking<TypesOf<E>> extends false ? never : PendingVerdict<N, TypesOf<E>['input']>
type IsAsking<T extends EndpointTypes> = unknown extends T['found']
  ? true
  : keyof T['found'] extends never
    ? unknown extends T['who']
      ? false
      : true
    : true
/** The verdict on a request to one endpoint. */
export type EndpointVerdict<N, E> = AcceptedVerdict<N, Accepted<E>> | MaybePending<N, E> | Rejected
export interface Rejected extends Traced {
  readonly outcome: 'rejected'
  readonly endpoint: string | undefined
  readonly stage: Stage
  readonly status: number
  /** Header fields that the status asks for. */
  readonly headers: { readonly [name: string]: string }
  readonly errors: readonly FieldError[]
  /** The error map: address → its errors, in the order found. */
  readonly errorsByField: { readonly [address: string]: readonly FieldError[] }
  /** Errors found beyond the limit and not listed. */
  readonly more: number
}
export type Verdict<E extends Endpoints = Endpoints> =
  | { [N in keyof E & string]: AcceptedVerdict<N, Accepted<E[N]>> | MaybePending<N, E[N]> }[keyof E & string]
  | Rejected
