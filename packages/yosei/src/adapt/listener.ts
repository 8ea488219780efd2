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
  const service = serviceOf(handle)
  return (request, response) => {
    if (!service) {
      respond(handle, request, response)
      return
    }
    const parsed = request as Parsed
    const incoming = new NodeIncoming(request, response, request.url, false, parsed.body, keptAt(parsed, bytesAt))
    startOn(incoming, () =>
      service.process(incoming).then(
        (reply) => deliver(service, reply, response),
        (error) => fail(error, response),
      ),
    )
  }
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
