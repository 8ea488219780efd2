/** What an intake is given besides its endpoints, and what its hooks get to see. */
import type { Span } from './declared.js'
import type { Stage } from './statuses.js'
import type { Rejected } from './verdict.js'

/** The words of one language: by code, or by code and variant (`wrong_type.flag`). */
export type Catalogue = { readonly [code: string]: string }
/** By language tag (RFC 5646). */
export type Catalogues = { readonly [tag: string]: Catalogue }

/** A problem document (RFC 9457); `fields` is our extension: the error map. */
export interface Problem {
  /** `about:blank`. */
  type: string
  /** The name of the status. */
  title: string
  /** The status. */
  status: number
  /** The first error in words, and how many more. */
  detail: string
  /** `urn:uuid:` and the id of the request. */
  instance: string
  /** The errors by address. */
  fields?: { [address: string]: { code: string; detail: string; pointer?: string }[] }
  /** The number of errors that are not in `fields`. */
  more?: number
}

/** One error, as an envelope is read back. */
export interface EnvelopedError {
  /** The address of the field. */
  readonly address: string
  /** The code. */
  readonly code: string
  /** The message. */
  readonly message?: string | undefined
}
/** A shape of one's own around a rejection: the body of its answer, and its media type (`application/json` by default). */
export type WriteEnvelope = (rejection: Rejected, problem: Problem) => { body: unknown; type?: string }
/** How an envelope is written, and how its errors are read back: by `yosei/client`, and the command `send`. */
export interface Envelope {
  /** Makes the body of a rejection. */
  write: WriteEnvelope
  /** The errors in a body that `write` made, JSON parsed; `undefined` if it is none. */
  read: (body: unknown) => readonly EnvelopedError[] | undefined
  /** Describes the bodies that `write` makes, as JSON Schema: for the OpenAPI description. */
  schema?: { readonly [keyword: string]: unknown } | undefined
}

/**
 * What an address is called towards clients, given as its path: `['body', 'lines', 2, 'sku']`. The first is the part; a
 * number is the index of an element.
 */
export type Naming = (path: readonly (string | number)[]) => string

/** What shapes rejections: an intake's own words, by language, its names of addresses, and its envelope. */
export interface House {
  readonly naming?: Naming | undefined
  readonly languages?: Catalogues | undefined
  readonly envelope?: WriteEnvelope | Envelope | undefined
}

type Digit = 0 | 1 | 2 | 3 | 4 | 5 | 6 | 7 | 8 | 9
type NumberOf<T extends string> = T extends `${infer N extends number}` ? N : never
/**
 * A status from 400 to 499 that is not decided by the head of a request or by its connection, as 405, 408, 411, 414, 417,
 * 421 and 431 are; or 503.
 */
export type RefusalStatus = Exclude<NumberOf<`4${Digit}${Digit}`>, 405 | 408 | 411 | 414 | 417 | 421 | 431> | 503

/** A rejection by your own code. */
export interface Refusal<At extends string = string> {
  /** The status of the answer. */
  readonly status: RefusalStatus
  /** The code of the error. */
  readonly code: string
  /** Completes the sentence that the address begins. */
  readonly message: string
  /** The address of the field that is to blame. */
  readonly at?: At | undefined
  /** When to try again, for 429 and 503: `'30s'`. */
  readonly retryAfter?: Span | undefined
  /** Header fields of the answer. By default, a 401 has `www-authenticate: Bearer`. */
  readonly headers?: { readonly [name: string]: string } | undefined
}

/** What `refuse` makes. */
export interface Refused {
  /** Marks it. */
  readonly refused: true
}

/** One event of the journal. */
export interface JournalEvent {
  /** RFC 3339. */
  readonly time: string
  /** The request's, also in its answer. */
  readonly id: string
  /** The id that the request brought in the field `requestId` of the intake, or was given. */
  readonly requestId?: string
  /** The name of the endpoint in the intake, if it is known. */
  readonly endpoint?: string
  /**
   * `observed`: it would have been rejected, but went on. `failed`: the request was not at fault. `unjudged`: no
   * endpoint matched, a gate passed it on, and a handler behind it answered; logged once for each route. `gone`: the
   * client of a front went before it had its whole answer.
   */
  readonly outcome: 'rejected' | 'observed' | 'failed' | 'unjudged' | 'gone'
  /** Of what was not judged: the method, and how the path begins. */
  readonly route?: string
  /** The status of the answer. */
  readonly status: number
  /** The stage that found the errors. */
  readonly stage: Stage
  /** The sent value is shortened. It is there only for declared fields that are not secret. */
  readonly errors: readonly { readonly address: string; readonly code: string; readonly sent?: string }[]
  /** Declared fields that may be left out, and were. */
  readonly absent: readonly string[]
  /** The time from the head of the request to the answer. */
  readonly milliseconds: number
  /** Events of the same endpoint and code that a limited journal has left out before this one. */
  readonly more?: number
  /** Of a failure: what was thrown, with its stack. */
  readonly cause?: unknown
  /** Of a failure: the request as a message, secrets masked, enough to be judged again. */
  readonly input?: string
}

/** Gets events. */
export interface Journal {
  /** Writes an event. No request waits for it, and no request breaks if it throws or rejects. */
  write(event: JournalEvent): unknown
}

/** A turn that a request holds. */
export interface TakenTurn {
  /** Greater than that of every turn before, for a store that checks it. */
  readonly fence: bigint
  /** The time of the request for the turn, by `performance.now()`. The lease began no earlier. */
  readonly since?: number
  /** Begins the lease anew. `false` if another request has the turn. */
  renew(): Promise<boolean>
  /** Whether it is still held, if the store knows without asking anybody; else the clock of the process says it. */
  holds?(): boolean
  /** Ends the turn. */
  release(): Promise<void>
}

/** How a turn is taken. */
export interface TakeOptions {
  /** Milliseconds to wait for the turn. */
  readonly wait: number
  /** Milliseconds after which a turn ends that is not renewed. */
  readonly lease: number
  /** How many may wait for one key. */
  readonly waiters: number
  /** Fires when the client has gone; made when it is looked at, which a turn that is free need not. */
  readonly signal: AbortSignal
}

/** A store of turns. */
export interface TurnStore {
  /** Gives the turn; or `busy` if it was not free in time, or `full` if too many requests wait. */
  take(scope: string, key: string, options: TakeOptions): Promise<TakenTurn | 'busy' | 'full'>
}
