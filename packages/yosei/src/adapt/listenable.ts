/** What a server of the library's own can stand before. */
import type { IncomingMessage, ServerResponse } from 'node:http'
import type { Duplex } from 'node:stream'
import type { Reply } from '../answer/reply.js'
import type { IntakeNode } from '../declare/intake.js'
import type { Rejection } from '../judge/verdict.js'
import type { NodeIncoming } from './incoming.js'

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
