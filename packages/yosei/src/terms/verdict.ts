/** The verdict: accepted with the typed input, or rejected with a status and all errors at their fields. */
import type { Accepted, Endpoints, EndpointTypes, TypesOf } from './endpoint.js'
import type { Part } from './parts.js'
import type { AcceptedPiece, Pieced } from './pieces.js'
import type { Stage } from './statuses.js'

/** How a value was read. */
export interface Reading {
  /** The address of the field. */
  readonly address: string
  /** The value that was sent. */
  readonly sent: unknown
  /** The value that was read. */
  readonly read: unknown
  /** How the value was read. */
  readonly how: 'as is' | 'tidied' | 'from text' | 'default' | 'filled' | 'dropped'
}

/** One stage, or one rule, and how it went. */
export interface Step {
  /** The stage. */
  readonly stage: Stage
  /** The name of the rule or lookup. */
  readonly name?: string
  /** How it went. */
  readonly outcome: 'passed' | 'failed' | 'observed' | 'not run'
  /** The reason why it did not run. */
  readonly because?: string
  /** Of a lookup that was asked: the values that it reads, secrets apart. */
  readonly asked?: readonly unknown[]
  /** What a lookup found. `undefined` if it reads a secret. */
  readonly found?: unknown
  /** How long it took, in milliseconds. */
  readonly took?: number
}

/** One error. */
export interface FieldError {
  /** The part of the request. `undefined` if the whole request is rejected; then the address is empty. */
  readonly part: Part | undefined
  /** The address of the field. */
  readonly address: string
  /** Inside the body, RFC 6901. */
  readonly pointer?: string
  /** The code. It never changes with the language. */
  readonly code: string
  /** Completes the sentence that the address begins. */
  readonly message: string
  /** The stage that found it. */
  readonly stage: Stage
  /**
   * The limit that was not met, if there is one: 50 for `{ max: 50 }`, for a choice its values, the first hundred of many.
   * Instants and big integers are texts.
   */
  readonly limit?: unknown
  /** Of a syntax error in the body, and of any error in a body of lines; both from 1. */
  readonly line?: number
  /** The column of a syntax error, or in a body of lines. */
  readonly column?: number
}

export interface Trace {
  readonly readings: readonly Reading[]
  readonly steps: readonly Step[]
}
interface Traced {
  /** How each value was read, and how each stage and rule went, if you asked for a `trace`. */
  readonly trace?: Trace
}
/** The request is valid. */
export interface AcceptedVerdict<N, I> extends Traced {
  /** The request is valid. */
  readonly outcome: 'accepted'
  /** The name of the endpoint. */
  readonly endpoint: N
  /** The typed input. */
  readonly input: I
}
/** Valid as far as it was checked: lookups, `identify` and `attest` did not run, because no services were given. */
export interface PendingVerdict<N, I> extends Traced {
  /** The request is valid as far as it was checked. */
  readonly outcome: 'pending'
  /** The name of the endpoint. */
  readonly endpoint: N
  /** The typed input. */
  readonly input: I
  /** What did not run: the names of lookups, `identify`, `attest`. */
  readonly unasked: readonly string[]
}
/** Only an endpoint that asks a service can be pending. */
type MaybePending<N, E> = IsAsking<TypesOf<E>> extends false ? never : PendingVerdict<N, TypesOf<E>['input']>
type IsAsking<T extends EndpointTypes> = unknown extends T['found']
  ? true
  : keyof T['found'] extends never
    ? T['attested'] extends false
      ? unknown extends T['who']
        ? false
        : true
      : true
    : true
/** An element of a list with `piecewise`: judged alone. */
export type Piece<V> = AcceptedPiece<V> | RejectedPiece
/** An element that was rejected. */
export interface RejectedPiece extends Pieced {
  /** Something is wrong with it. */
  readonly outcome: 'rejected'
  /** The status that a request would have in which it is the only element. */
  readonly status: number
  /** All its errors, at addresses from the root, in the language of the answer. */
  readonly errors: readonly FieldError[]
}
/** The verdict on a request to one endpoint. */
export type EndpointVerdict<N, E> = AcceptedVerdict<N, Accepted<E>> | MaybePending<N, E> | Rejected
/** The request is rejected. */
export interface Rejected extends Traced {
  /** The request is rejected. */
  readonly outcome: 'rejected'
  /** The name of the endpoint, if it is known. */
  readonly endpoint: string | undefined
  /** The stage that rejected it. */
  readonly stage: Stage
  /** The status of the answer. */
  readonly status: number
  /** Header fields that the status asks for. */
  readonly headers: { readonly [name: string]: string }
  /** All errors, in order. */
  readonly errors: readonly FieldError[]
  /** The error map: address → its errors, in the order found. */
  readonly errorsByField: { readonly [address: string]: readonly FieldError[] }
  /** Errors found beyond the limit and not listed. */
  readonly more: number
}
/** What `judge` gives. */
export type Verdict<E extends Endpoints = Endpoints> =
  | { [N in keyof E & string]: AcceptedVerdict<N, Accepted<E[N]>> | MaybePending<N, E[N]> }[keyof E & string]
  | Rejected
