/** Services on Node: behind a server of one's own, or with one that answers everything in the same form. */
import type { IncomingMessage, RequestListener, ServerResponse } from 'node:http'
import { NodeIncoming, requestOf, signalOf, startOn, streamOf } from './incoming.js'
import { fail, send, sendResponse } from './reply.js'
import { type Handle, serviceOf } from './serve.js'

export { foundOf, type Gate, type GateOptions, gate, inputOf, verdictAt } from './gate.js'
export { type Listening, type ListenOptions, listen } from './listen.js'

/**
 * A listener for a server that is your own. A handle that `serve` made is given Node's request as it is; any other
 * fetch handler a Request.
 *
 * @example
 * createServer(nodeListener(serve(app, handlers))).listen(8080)
 */
export function nodeListener(handle: Handle): RequestListener {
  const service = serviceOf(handle)
  return (request, response) => {
    const failed = (error: unknown) => fail(error, response)
    if (!service) {
      respond(handle, request, response).catch(failed)
      return
    }
    const incoming = new NodeIncoming(request, response)
    startOn(incoming, () =>
      service
        .process(incoming)
        .then((reply) => send(reply, response))
        .catch(failed),
    )
  }
}

async function respond(handle: Handle, request: IncomingMessage, response: ServerResponse): Promise<void> {
  await sendResponse(await handle(requestOf(request, request.url ?? '/', signalOf(response).signal, streamOf(request))), response)
}
