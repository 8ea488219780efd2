/** What an intake is given besides its endpoints, and what its hooks get to see. */
import type { Stage } from './statuses.js'
import type { Rejected } from './verdict.js'

/** The words of one language: by code, or by code and variant (`wrong_type.flag`). */
export type Catalogue = { readonly [code: string]: string }
/** By language tag (RFC 5646). */
export type Catalogues = { readonly [tag: string]: Catalogue }

/** A problem document (RFC 9457); `fields` is our extension: the error map. */
export interface Problem {
  type: string
  title: string
  status: number
  detail: string
  instance: string
  fields?: { [address: string]: { code: string; detail: string; pointer?: string }[] }
  /** How many errors were found besides those in `fields`. */
  more?: number
}

/** One error, as an envelope is read back. */
export interface EnvelopedError {
  readonly address: string
  readonly code: string
  readonly message?: string | undefined
}
/** A shape of one's own around a rejection: the body of its answer, and its media type (`application/json` by default). */
export type WriteEnvelope = (rejection: Rejected, problem: Problem) => { body: unknown; type?: string }
/** How an envelope is written, and how its errors are read back: by `yosei/client`, and the command `send`. */
export interface Envelope {
  write: WriteEnvelope
  /** The errors in a body that `write` made, JSON parsed; `undefined` if it is none. */
  read: (body: unknown) => readonly EnvelopedError[] | undefined
}

/** What shapes rejections: an intake's own words, by language, and its envelope. */
export interface House {
  readonly languages?: Catalogues | undefined
  readonly envelope?: WriteEnvelope | Envelope | undefined
}

/** What is wrong, told like any other error. */
export interface Refusal<At extends string = string> {
  readonly status: 401 | 402 | 403 | 404 | 409 | 410 | 412 | 422 | 423 | 428 | 429
  readonly code: string
  /** Completes the sentence that the address begins. */
  readonly message: string
  /** The address of the field that is to blame. */
  readonly at?: At | undefined
  /** Header fields of the answer, such as `retry-after`. A 401 has `www-authenticate: Bearer` where none is given. */
  readonly headers?: { readonly [name: string]: string } | undefined
}

/** What `refuse` makes. */
export interface Refused {
  readonly refused: true
}

export interface JournalEvent {
  /** RFC 3339. */
  readonly time: string
  /** The request's, also in its answer. */
  readonly id: string
  readonly endpoint?: string
  /**
   * `observed`: it would have been rejected, and went on. `failed`: it was not the request's fault. `unjudged`: no
   * endpoint matched, a gate let it by, and somebody behind it answered; written once for each route.
   */
  readonly outcome: 'rejected' | 'observed' | 'failed' | 'unjudged'
  /** Of what was not judged: the method, and how the path begins. */
  readonly route?: string
  readonly status: number
  readonly stage: Stage
  /** What was sent is shortened, and there where it is no secret alone. */
  readonly errors: readonly { readonly address: string; readonly code: string; readonly sent?: string }[]
  /** Declared fields that may be left out, and were. */
  readonly absent: readonly string[]
  readonly milliseconds: number
  /** Of a failure: what was thrown, with its stack. */
  readonly cause?: unknown
  /** Of a failure: the request as a message, secrets masked, enough to be judged again. */
  readonly input?: string
}

/** Where events go. */
export interface Journal {
  /** A request does not wait for it, and is not harmed where it throws, or where a promise of its is rejected. */
  write(event: JournalEvent): unknown
}

/** A turn that somebody has. */
export interface TakenTurn {
  /** Greater than that of every turn before, for a store that checks it. */
  readonly fence: bigint
  /** When it was asked for, by `performance.now()`, where that was before it was had: its lease began no earlier. */
  readonly since?: number
  /** Begins the lease anew; `false` where the turn is somebody else's by now. */
  renew(): Promise<boolean>
  /** Whether it is still held, if the store knows without asking anybody; else the clock of the process says it. */
  holds?(): boolean
  release(): Promise<void>
}

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

/** Where turns are taken. */
export interface TurnStore {
  /** The turn; or `busy` where it was not to be had in time, `full` where too many wait for it. */
  take(scope: string, key: string, options: TakeOptions): Promise<TakenTurn | 'busy' | 'full'>
}
