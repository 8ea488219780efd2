/** Services behind a server of your own. */
import type { IncomingMessage, RequestListener, ServerResponse } from 'node:http'
import type { GateOptions } from './gate.js'
import { keptAt, NodeIncoming, type Parsed, requestOf, signalOf, startOn, streamOf } from './incoming.js'
import { deliver, fail, sendResponse } from './reply.js'
import { type Handle, serviceOf } from './serve.js'

/**
 * A listener for a server that is your own. A handle that `serve` made is given Node's request as it is; any other
 * fetch handler a Request.
 *
 * @param options `bytesAt`: where a parser before it keeps the body as it came, as for `gate`.
 * @example
 * createServer(listenerOf(serve(app, handlers))).listen(8080)
 */
export function listenerOf(handle: Handle, { bytesAt }: Pick<GateOptions, 'bytesAt'> = {}): RequestListener {
  return (request, response) => {
    const parsed = request as Parsed
    void answerNode(handle, request, response, { body: parsed.body, bytes: keptAt(parsed, bytesAt) })
  }
}

/** What a framework has done with the body already. */
export interface AnswerOptions {
  /** What its parser has made of the body, if it has read it. */
  body?: unknown
  /** The body as it came, if the framework has kept it: for endpoints with `attest` or `keepBytes`. */
  bytes?: Uint8Array | undefined
}

/**
 * Answers a request of Node in whichever framework gives Node's request and response. Ends when the answer was sent.
 *
 * @example
 * framework.all('*', ({ raw, body }, reply) => answerNode(handle, raw, reply.raw, { body }))
 */
export function answerNode(
  handle: Handle,
  request: IncomingMessage,
  response: ServerResponse,
  { body, bytes }: AnswerOptions = {},
): Promise<void> {
  const service = serviceOf(handle)
  if (!service) return respond(handle, request, response)
  const incoming = new NodeIncoming(request, response, request.url, false, body, bytes)
  return new Promise((resolve) => {
    startOn(incoming, () =>
      service
        .process(incoming)
        .then(
          (reply) => deliver(service, reply, response),
          (error) => fail(error, response),
        )
        .then(resolve),
    )
  })
}

/** Another handler's answer. What it throws ends its own request alone: a client can make it throw by going. */
async function respond(handle: Handle, request: IncomingMessage, response: ServerResponse): Promise<void> {
  const refuse = (status: number) => {
    if (!response.headersSent) response.writeHead(status, { connection: 'close' })
    response.end()
  }
  let asked: Request
  try {
    asked = requestOf(request, request.url ?? '/', signalOf(response).signal, streamOf(request))
  } catch {
    refuse(400)
    return
  }
  try {
    await sendResponse(await handle(asked), response)
  } catch (error) {
    if (response.destroyed) return
    console.error(error)
    refuse(500)
  }
}
