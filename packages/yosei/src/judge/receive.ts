/** The stage that receives the body: its bytes, within limits of size and time, their codings undone. */
import type { IntakeNode } from '../declare/intake.js'
import { sizeVariant } from '../kinds/file.js'
import type { RecordNode } from '../kinds/record.js'
import type { Fault } from '../kinds/run.js'
import { sentShape } from '../kinds/shape.js'
import { isUpload } from '../kinds/upload.js'
import type { FormOrTrouble, FormTerms } from '../read/form.js'
import { type BodySource, isNow, type Trouble } from '../read/message.js'
import { type ReadOptions, readPart, syntaxOf } from '../read/syntax.js'
import { Unreadable } from '../read/unreadable.js'
import type { Path } from '../terms/address.js'
import type { Size } from '../terms/declared.js'
import type { StatusName } from '../terms/statuses.js'
import { close, type Opened } from './open.js'
import { retryAfter } from './statuses.js'

/** What the platform does for a body: Node, or one with the web's interfaces. */
export interface Platform {
  /** Undoes a content coding; at most so many bytes come of it. */
  decode(
    bytes: Uint8Array,
    coding: 'gzip' | 'deflate' | 'br',
    most: number,
  ): Promise<Uint8Array | 'too_large' | 'broken'>
  /** Loads what `receiveForm` needs. */
  prepareForms(): Promise<unknown>
  receiveForm(chunks: AsyncIterable<Uint8Array> | Iterable<Uint8Array>, terms: FormTerms): Promise<FormOrTrouble>
}

/** Makes the platform ready for the bodies that an app takes, before a request needs it. */
export async function prepare({ endpoints }: IntakeNode, { prepareForms }: Platform): Promise<void> {
  if (Object.values(endpoints).some(({ bodies }) => bodies.some(isStreamed))) await prepareForms()
}

/** A body that could not be had. */
export interface Unreceived {
  readonly failure: StatusName
  /** None if it was not the request's. */
  readonly fault: Pick<Fault, 'code' | 'limit' | 'variant' | 'path'> | undefined
  readonly headers: { readonly [name: string]: string }
  readonly cause?: unknown
}

/** What came of a body. `value` is `undefined` if there was none. */
export interface Received {
  readonly value: unknown
  /** Whether other code parsed it: it may be anything then. */
  readonly isForeign?: boolean
  /** As it came, if other code has kept it. */
  readonly bytes?: Uint8Array | undefined
  /** Where it carries JSON among texts. */
  readonly json?: readonly Path[]
  /** Removes the files that came with it. */
  dispose?(): Promise<void>
}

/** A body that other code has parsed. */
export const foreign = (value: unknown, bytes?: Uint8Array): Received => ({ value, isForeign: true, bytes })

/** A body that other code has read, and that is not there any more: a mistake of the service. */
export const misplaced = (): Unreceived => ({
  failure: 'failure',
  fault: undefined,
  headers: {},
  cause: new Error(
    'the body was read before Yosei could, and request.body has nothing that it can be judged by: put Yosei before what reads the stream, or behind a parser that leaves the values of this media type at request.body',
  ),
})

/** A body of which other code has kept no bytes, although it must be had as it came: a mistake of the service. */
export const notKept = (): Unreceived => ({
  failure: 'failure',
  fault: undefined,
  headers: {},
  cause: new Error(
    "attest and keepBytes need the body as it came, and it was read before Yosei could: put Yosei before the parser, or let the parser keep the bytes and name where, as in gate(app, { bytesAt: 'rawBody' })",
  ),
})

/** What other code has read, unless it cannot be what this body is: a text and a file are no parsed values. */
export const takenOver = ({ body }: Opened, received: Received | Unreceived): Received | Unreceived =>
  body && 'value' in received && syntaxOf(body).isWhole && !isUpload(received.value) ? misplaced() : received

/** The body of a request that was had at once, or `undefined` if it has to be waited for. */
export function receiveNow(opened: Opened): Received | Unreceived | undefined {
  const { message, head, body } = opened
  const { body: sent } = message
  if (sent === null || sent === '') return head.contentLength ? broken : nothing
  if (!isNow(sent) || head.codings.length > 0 || isStreamed(body)) return undefined
  return readBytes(sent, opened)
}

const isStreamed = (body: Opened['body']) => body !== undefined && syntaxOf(body).isStreamed

const nothing: Received = { value: undefined }

/** The body as it came, within its limits of size and time; empty if there is none. */
export async function receiveBytes(opened: Opened): Promise<Uint8Array | Unreceived> {
  const { message, head, most, destination } = opened
  const { body: sent } = message
  if (sent === null || sent === '') return head.contentLength ? broken : new Uint8Array()
  const came = isNow(sent) ? sent : await sent.collect(most, destination.limits.receive)
  if (!isNow(sent) && isTrouble(came)) return troubles(opened)[came]
  const bytes = typeof came === 'string' ? new TextEncoder().encode(came) : came
  return wrongLength(came, opened) ?? (bytes.length > most ? troubles(opened).too_large : bytes)
}

/** What a body of these bytes says. */
export const readReceived = (
  bytes: Uint8Array,
  opened: Opened,
  platform: Platform,
): Received | Unreceived | Promise<Received | Unreceived> =>
  opened.head.codings.length > 0 && bytes.length > 0 ? decoded(bytes, opened, platform) : readBytes(bytes, opened)

/**
 * Waits for the body, and goes on with what came of it: without a promise more than it takes, as most requests come by
 * here.
 */
export function receive<T>(
  opened: Opened,
  platform: Platform,
  goOn: (received: Received | Unreceived) => T | Promise<T>,
): Promise<T> {
  const { message, head, body, most, destination } = opened
  const sent = message.body as string | Uint8Array | BodySource
  const milliseconds = destination.limits.receive
  if (isNow(sent)) return decoded(sent, opened, platform).then(goOn)
  if (isStreamed(body) && head.codings.length === 0)
    return receiveParts(sent.chunks(milliseconds), opened, platform).then(goOn)
  return sent.collect(most, milliseconds).then((bytes) => {
    if (isTrouble(bytes)) return goOn(troubles(opened)[bytes])
    if (head.codings.length > 0 || isStreamed(body)) return decoded(bytes, opened, platform).then(goOn)
    return goOn(readBytes(bytes, opened))
  })
}

async function decoded(sent: string | Uint8Array, opened: Opened, platform: Platform): Promise<Received | Unreceived> {
  const wrong = wrongLength(sent, opened)
  if (wrong) return wrong
  const bytes = await undo(typeof sent === 'string' ? new TextEncoder().encode(sent) : sent, opened, platform)
  if (!(bytes instanceof Uint8Array)) return bytes
  return isStreamed(opened.body) ? receiveParts([bytes], opened, platform) : readBytes(bytes, opened)
}

const isTrouble = (value: unknown): value is Trouble => typeof value === 'string'

const broken: Unreceived = {
  failure: 'broken',
  fault: { path: ['body'], code: 'bad_syntax', variant: 'broken' },
  headers: close,
}
const troubles = ({ most }: Opened): { readonly [K in Trouble]: Unreceived } => ({
  too_large: tooLarge(['body'], most),
  late: { failure: 'late', fault: { path: ['body'], code: 'bad_syntax', variant: 'late' }, headers: close },
  broken,
})

const tooLarge = (path: Path, limit: Size): Unreceived => ({
  failure: 'size',
  fault: { path, code: 'too_large', limit, variant: sizeVariant(limit) },
  headers: close,
})

/** Where Content-Length promised another number of bytes than came. */
function wrongLength(bytes: string | Uint8Array, { head, message }: Opened): Unreceived | undefined {
  if (head.contentLength === undefined) return undefined
  // A text of as many characters is taken to have as many bytes: what only a program hands over was never framed.
  const length = typeof bytes === 'string' && bytes.length !== head.contentLength ? byteLength(bytes) : bytes.length
  if (length < head.contentLength) return broken
  if (length === head.contentLength || message.headers.some(([name]) => name === 'transfer-encoding')) return undefined
  return {
    failure: 'framing',
    fault: { path: ['header', 'content-length'], code: 'bad_syntax', variant: 'longer' },
    headers: close,
  }
}

const byteLength = (text: string) => new TextEncoder().encode(text).length

function readBytes(bytes: string | Uint8Array, opened: Opened): Received | Unreceived {
  const { head, body, most } = opened
  const wrong = head.codings.length === 0 ? wrongLength(bytes, opened) : undefined
  if (wrong) return wrong
  if (bytes.length === 0) return nothing
  // A character of a text has up to three bytes, so most need not be counted.
  if (bytes.length > most || (typeof bytes === 'string' && bytes.length * 3 > most && byteLength(bytes) > most))
    return troubles(opened).too_large
  return { value: body ? syntaxOf(body).read(bytes, body.node, optionsOf(opened)) : bytes }
}

const optionsOf = ({ head, destination }: Opened): ReadOptions => ({
  contentType: head.contentType ?? '',
  uniqueNames: destination.endpoint.uniqueNames ?? false,
})

/** Undoes the codings, the last applied first. What they unpack to is held to the same limit. */
async function undo(bytes: Uint8Array, opened: Opened, { decode }: Platform): Promise<Uint8Array | Unreceived> {
  let plain = bytes
  for (const coding of opened.head.codings.toReversed()) {
    const decoded = await decode(plain, coding as 'gzip' | 'deflate' | 'br', opened.most)
    if (decoded === 'too_large') return troubles(opened).too_large
    if (decoded === 'broken')
      return { ...broken, fault: { path: ['body'], code: 'bad_syntax', variant: 'coding' }, headers: {} }
    plain = decoded
  }
  return plain
}

async function receiveParts(
  chunks: AsyncIterable<Uint8Array> | Iterable<Uint8Array>,
  opened: Opened,
  { receiveForm }: Platform,
): Promise<Received | Unreceived> {
  const { head, body, destination, most } = opened
  const { node } = body as NonNullable<typeof body>
  const { endpoint, limits } = destination
  const declared = sentShape(node) as RecordNode
  const form = await receiveForm(chunks, {
    contentType: head.contentType ?? '',
    declared,
    most: limits.body,
    mostInAll: most,
    mostParts: limits.parts,
    keepsUnlisted: (declared.unlisted ?? endpoint.unlisted?.body) === 'keep',
    readPart: (text) => readPart(text, node, optionsOf(opened)),
  })
  if (form === 'texts_too_large') return tooLarge(['body'], limits.body)
  if (form === 'too_many_parts') {
    const fault = { path: ['body'], code: 'too_many_parts', limit: limits.parts } as const
    return { failure: 'size', fault, headers: close }
  }
  if (isTrouble(form)) return troubles(opened)[form]
  if ('oversized' in form) return tooLarge(['body', ...form.oversized], form.limit)
  if ('failed' in form) {
    return { failure: 'unavailable', fault: undefined, headers: { ...retryAfter, ...close }, cause: form.failed }
  }
  if (form.broken) {
    await form.dispose()
    return { value: new Unreadable([{ code: 'bad_syntax', variant: 'form', about: { reason: form.broken } }]) }
  }
  return { value: form.values, json: form.json, dispose: form.dispose }
}
