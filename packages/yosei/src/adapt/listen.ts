/** A server of the library's own: what Node answers by itself comes in the same form as every other answer. */
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo, Socket } from 'node:net'
import type { Duplex } from 'node:stream'
import type { Reply } from '../answer/reply.js'
import { reject } from '../judge/verdict.js'
import type { Fault } from '../kinds/run.js'
import type { Destination } from '../read/match.js'
import { mistake } from '../terms/mistake.js'
import { aName, checkOptions, type Options } from '../terms/option-types.js'
import { settleLimits } from '../terms/policy.js'
import { type StatusName, statusFor } from '../terms/statuses.js'
import { type NodeBody, NodeIncoming, startOn } from './incoming.js'
import { type Front, type Listenable, listenables } from './listenable.js'
import { deliver, fail, send } from './reply.js'
import { type Handle, serviceOf } from './serve.js'

/** Options of `listen`. */
export interface ListenOptions {
  /** The port. With 0, or by default, it is a free one. */
  port?: number | undefined
  /** `127.0.0.1` by default: name `0.0.0.0` to be reached from elsewhere. */
  host?: string | undefined
}
/** A server that listens. */
export interface Listening {
  /** The server of Node. */
  readonly server: Server
  /** The port. */
  readonly port: number
  /** The address of the server: `http://127.0.0.1:8080`. */
  readonly url: string
  /** Takes no more connections, and waits for the requests that are under way. */
  close(): Promise<void>
}

const listenOptions: Options<ListenOptions> = {
  port: {
    what: 'a port from 0 to 65535',
    example: '8080',
    takes: (value) => Number.isInteger(value) && (value as number) >= 0 && (value as number) < 65536,
  },
  host: aName,
}

/**
 * Starts a server for a service or a front. Broken messages, header fields that are too large, conflicting lengths, expectations,
 * and clients that never end what they began: each is answered, and journalled, like any other rejection.
 *
 * @throws TypeError if neither `serve` nor `front` made it; Error where a package that its bodies need is not installed.
 * @example
 * const { url, close } = await listen(serve(app, handlers), { port: 8080 })
 */
export async function listen(handle: Handle | Front, options: ListenOptions = {}): Promise<Listening> {
  const { port = 0, host = '127.0.0.1' } = options
  const service = typeof handle === 'function' ? serving(handle) : listenables.get(handle)
  checkOptions(options, listenOptions, 'listen', (what, mend, option) => mistake('listen', what, mend, { option }))
  if (!service)
    throw new TypeError(
      'listen takes what serve or front made; for another handler, use createServer(listenerOf(handler))',
    )
  await service.ready
  const limits = Object.values(service.app.endpoints).map((endpoint) => settleLimits(endpoint.limits))
  const largest = (limit: keyof Destination['limits']) =>
    Math.max(service.app.limits[limit], ...limits.map((one) => one[limit]))
  const receive = largest('receive')
  const server = createServer({
    // The endpoint's own limits are reported with their place; this one ends what is beyond all of them.
    maxHeaderSize: largest('uri') + largest('headers') + 1024,
    requireHostHeader: false,
    headersTimeout: receive,
    requestTimeout: service.streams ? 0 : receive + 1000,
    connectionsCheckingInterval: Math.min(1000, Math.max(50, receive / 4)),
  })
  // Their bytes are limited. Beyond a number of its own Node would drop some without a word, also from what is counted.
  server.maxHeadersCount = 0
  const answer = (request: IncomingMessage, response: ServerResponse, isAsking = false) => {
    const incoming = service.incoming(request, response, isAsking)
    if (request.headers.host === undefined && request.httpVersion === '1.1') {
      const verdict = rejectRaw(service, 'framing', { path: ['header', 'host'], code: 'missing' })
      send(service.refuse(verdict), response)
      return
    }
    const socket: Connection = request.socket
    socket[receiving] = incoming.body
    const received = () => {
      // Another request may be coming in over the connection by now.
      if (socket[receiving] === incoming.body) socket[receiving] = null
    }
    startOn(incoming, () =>
      service.answer(incoming, response).then(received, (error) => {
        received()
        fail(error, response)
      }),
    )
  }
  server.on('request', (request, response) => answer(request, response))
  // Only here is it this server that tells a client to go on: elsewhere Node has done so already.
  server.on('checkContinue', (request, response) => answer(request, response, true))
  server.on('checkExpectation', (request, response) => answer(request, response))
  // A tunnel is nothing that an endpoint declares.
  server.on('connect', (_, socket) => {
    socket.on('error', ignore)
    const answer = messageOf(service.refuse(rejectRaw(service, 'unknownMethod', { path: [], code: '' })))
    // What is still sent is taken, or nothing would say that the client has gone.
    socket.resume().end(answer, () => socket.destroy())
  })
  const { upgrade } = service
  if (upgrade)
    server.on('upgrade', (request, socket, head) => {
      socket.on('error', ignore)
      // Before an earlier answer has ended, there is no way to speak another protocol.
      if ('_httpMessage' in socket && socket._httpMessage) socket.destroy()
      else if (!upgrade(request, socket, head)) takeAgain(server, request, socket, head)
    })
  server.on('clientError', (error: ClientError, socket: Connection) => {
    const { failure, trouble, fault } = meaningOf(error)
    const body = socket[receiving]
    if (body) body.fail(trouble)
    else if (socket.writable && error.code !== 'ECONNRESET')
      socket.end(messageOf(service.refuse(rejectRaw(service, failure, fault))))
    else socket.destroy()
  })
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject)
    server.listen(port, host, () => {
      server.off('error', reject)
      resolve()
    })
  })
  const { port: taken } = server.address() as AddressInfo
  const close = () =>
    new Promise<void>((resolve) => {
      // Connections that nothing goes over are closed with it.
      server.close(() => resolve(service.close?.()))
    })
  return { server, port: taken, url: `http://${host.includes(':') ? `[${host}]` : host}:${taken}`, close }
}

/** Node lets go of a connection that it gives away: a client that resets it would end the process. */
const ignore = () => undefined

/** What `serve` made, as a server takes it. */
function serving(handle: Handle): Listenable | undefined {
  const service = serviceOf(handle)
  if (!service) return undefined
  return {
    app: service.app,
    ready: service.ready,
    streams: false,
    refuse: service.refuse,
    incoming: (request, response, isAsking) => new NodeIncoming(request, response, request.url, isAsking),
    answer: (incoming, response) =>
      service.process(incoming).then((reply) => {
        const isWhole = incoming.node.complete || reply.headers.connection
        return deliver(service, isWhole ? reply : ended(reply), response)
      }),
  }
}

/**
 * A request for another protocol that is not granted is one like others (RFC 9110, section 7.8): it is read once more,
 * without what asked for that.
 */
function takeAgain(server: Server, request: IncomingMessage, socket: Duplex, head: Uint8Array): void {
  const { method, url, httpVersion, rawHeaders } = request
  const lines = [`${method} ${url} HTTP/${httpVersion}`]
  for (let at = 0; at < rawHeaders.length; at += 2) {
    const name = (rawHeaders[at] as string).toLowerCase()
    const value = rawHeaders[at + 1] as string
    if (name === 'connection') lines.push(`connection: ${value.replace(/\b(?:upgrade|http2-settings)\b/gi, '')}`)
    else if (name !== 'upgrade' && name !== 'http2-settings') lines.push(`${name}: ${value}`)
  }
  socket.unshift(head)
  socket.unshift(Buffer.from(`${lines.join('\r\n')}\r\n\r\n`, 'latin1'))
  server.emit('connection', socket)
}

/** A connection, with the body that is being received over it. */
interface Connection extends Socket {
  [receiving]?: NodeBody | null
}
const receiving = /* @__PURE__ */ Symbol('receiving')

/** A connection whose request was not read to its end cannot carry another. */
const ended = (reply: Reply): Reply => ({ ...reply, headers: { ...reply.headers, connection: 'close' } })

interface ClientError extends Error {
  readonly code?: string
  readonly rawPacket?: Uint8Array
}
interface Meaning {
  readonly failure: StatusName
  readonly trouble: 'late' | 'broken'
  readonly fault: Omit<Fault, 'stage'>
}

/** What Node's parser means by its errors. */
function meaningOf({ code = '', rawPacket }: ClientError): Meaning {
  const broken = (path: Fault['path'], variant = 'message', about = {}): Meaning => {
    return { failure: 'framing', trouble: 'broken', fault: { path, code: 'bad_syntax', variant, about } }
  }
  switch (code) {
    case 'ERR_HTTP_REQUEST_TIMEOUT':
      return { failure: 'late', trouble: 'late', fault: { path: ['header'], code: 'bad_syntax', variant: 'late' } }
    case 'HPE_HEADER_OVERFLOW':
      return { failure: 'headers', trouble: 'broken', fault: { path: ['header'], code: 'too_large' } }
    case 'HPE_UNEXPECTED_CONTENT_LENGTH':
    case 'HPE_UNEXPECTED_TRANSFER_ENCODING':
      return broken(['header', 'content-length'], 'conflict')
    case 'HPE_INVALID_CONTENT_LENGTH':
      // A length is as bad to Node's parser beside a transfer coding that does not end in chunked.
      return /^transfer-encoding[ \t]*:(?!.*chunked[ \t]*$)/im.test(headOf(rawPacket))
        ? broken(['header', 'transfer-encoding'], 'framing')
        : broken(['header', 'content-length'], 'length')
    case 'HPE_INVALID_TRANSFER_ENCODING':
      return broken(['header', 'transfer-encoding'], 'framing')
    case 'HPE_INVALID_METHOD': {
      const line = new TextDecoder().decode(rawPacket?.slice(0, 200))
      const isRequest = /^[!#$%&'*+.^_`|~0-9A-Za-z-]+ \S+ HTTP\/1\.[01]\r?\n/.test(line)
      return isRequest
        ? { failure: 'unknownMethod', trouble: 'broken', fault: { path: [], code: '' } }
        : broken(['path'], 'message', { reason: 'this is no request line' })
    }
    case 'HPE_INVALID_URL':
    case 'HPE_INVALID_VERSION':
    case 'HPE_INVALID_CONSTANT':
      return broken(['path'], 'message', { reason: 'this is no request line' })
    default:
      return broken(['header'], 'message', { reason: 'these are no header fields' })
  }
}

/** The lines before the body, of what has come. */
const headOf = (packet: Uint8Array | undefined) =>
  new TextDecoder('latin1').decode(packet).split(/\r?\n\r?\n/, 1)[0] ?? ''

function rejectRaw({ app }: Listenable, failure: StatusName, fault: Omit<Fault, 'stage'>) {
  const faults = fault.code === '' ? [] : [{ ...fault, stage: 'receive' as const }]
  const status = statusFor(failure, app.statuses, fault.code)
  return reject(undefined, faults, { status, stage: 'receive', headers: { connection: 'close' }, house: app })
}

/** An answer as the message that it is, for a connection whose request never became one. */
function messageOf({ status, headers, body }: Reply): string {
  const lines = Object.entries({ ...headers, 'content-length': Buffer.byteLength(body ?? '') }).map(
    ([name, value]) => `${name}: ${value}\r\n`,
  )
  return `HTTP/1.1 ${status} ${status}\r\n${lines.join('')}\r\n${body ?? ''}`
}
