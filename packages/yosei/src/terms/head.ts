/** What is known of a request before its body was read. */

import type { Refused } from './hooks.js'

/**
 * The header fields of a request, each as it was sent. They are asked as a fetch `Headers` is; `new Headers([...fields])`
 * makes one, at a price.
 */
export interface HeaderFields extends Iterable<readonly [name: string, value: string]> {
  /** The value of a field, in any case of its name. Several lines of one name are joined (RFC 9110, section 5.3). */
  get(name: string): string | null
  /** Whether the field was sent. */
  has(name: string): boolean
}

/** What is known of a request before its body has come. */
export interface Head {
  /** The method, such as `POST`. */
  readonly method: string
  /** Raw, as in the request line. */
  readonly target: string
  /** The header fields. */
  readonly headers: HeaderFields
  /** The endpoint's name in the intake, its template and its tags. */
  readonly endpoint: string
  /** The path template of the endpoint. */
  readonly template: string
  /** The tags of the endpoint. */
  readonly tags: readonly string[]
  /** The raw values of the path's parameters, by name. */
  readonly path: { readonly [name: string]: string }
  /** Fires when the client has gone, or the answer has taken too long; made when it is looked at. */
  readonly signal: AbortSignal
}

/** A message as it came, for `attest`. */
export interface ReceivedMessage<Who = unknown> {
  /** The body as it was on the wire, before it is decoded and parsed; empty if there is none. Do not change it. */
  readonly bytes: Uint8Array
  /** The method, the target and the header fields. */
  readonly head: Head
  /** The clock of the judgement. */
  readonly now: Date
  /** The caller, as `identify` gave it. */
  readonly who: Who
}

/** A message that is about to be sent, for `sign`. */
export interface UnsignedMessage {
  /** The method. */
  readonly method: string
  /** The path and the query, as in the request line. */
  readonly target: string
  /** The header fields that it has already. */
  readonly headers: HeaderFields
  /** The body; empty if there is none. */
  readonly bytes: Uint8Array
  /** The clock. */
  readonly now: Date
}
/** The header fields that say that a message is genuine, such as its signature. */
export type Sign = (
  message: UnsignedMessage,
) => { readonly [name: string]: string } | Promise<{ readonly [name: string]: string }>

/** Whether a message is genuine: `true`, `false`, or a refusal. */
export type Attest<Who, Services, Outcome extends Attested = Attested> = (
  message: ReceivedMessage<Who>,
  services: Services,
) => Outcome
/** What `attest` may give. */
export type Attested = boolean | Refused | Promise<boolean | Refused>
