/** What a server of the library's own can stand before. */
import type { IncomingMessage, ServerResponse } from 'node:http'
import type { Duplex } from 'node:stream'
import type { Reply } from '../answer/reply.js'
import type { IntakeNode } from '../declare/intake.js'
import type { Rejection } from '../judge/verdict.js'
import type { Intake } from '../terms/endpoint.js'
import type { NodeIncoming } from './incoming.js'

/** What the intake makes of a request, and the backend does not see. */
export interface Unseen {
  /** The name of the endpoint. */
  readonly endpoint: string
  /** The address of the field. */
  readonly address: string
  /** A default or a fill puts a value there; tidying changes it. */
  readonly because: 'default' | 'fill' | 'tidy'
}

/** A front, for `listen`. */
export interface Front {
  /** The origin of the backend. */
  readonly to: string
  /** What the intake makes of requests, and the backend does not see: defaults, fills, tidied texts. */
  readonly unseen: readonly Unseen[]
  /** Whether the backend can be reached. */
  ready(): Promise<boolean>
  /**
   * Judges by another version of the intake from now on. Limits of the whole server stay.
   *
   * @throws DeclarationError if that cannot stand in front of a backend; the one before stays.
   */
  replace(app: Intake): void
}

/** A service or a front, for `listen`. */
export interface Listenable {
  readonly app: IntakeNode
  /** When it can take what it declares; it rejects if a package for that is not installed. */
  readonly ready: Promise<unknown>
  /** Whether a body may stream for as long as it does not pause. */
  readonly streams: boolean
  /** The answer to what never became a request, or whose answer could not be sent. */
  refuse(rejection: Rejection): Reply
  incoming(request: IncomingMessage, response: ServerResponse, isAsking: boolean): NodeIncoming
  /** Answers a request; rejects with what the process is to see. */
  answer(incoming: NodeIncoming, response: ServerResponse): Promise<unknown>
  /** Takes a connection over for another protocol; gives whether it did. */
  upgrade?(request: IncomingMessage, socket: Duplex, head: Buffer): boolean
  close?(): Promise<void>
}

/** Those that are no handles. */
export const listenables = new WeakMap<object, Listenable>()
