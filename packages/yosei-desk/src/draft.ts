/** A draft as a message that can be judged, and back. */

import { type BrokenMessage, type Message, parseMessage } from 'yosei'
import { bytesOf, fileMark, loneByte, textOf, withFiles } from './bytes.js'
import type { BookSample } from './kit.js'
import type { Draft } from './terms.js'

type Files = ReadonlyMap<string, Uint8Array>
const none: Files = new Map()

/**
 * The message of a draft. Parts of a form with files are separated by CRLF (RFC 2046, section 5.1.1).
 *
 * @param files What marks in it stand for.
 * @throws FileGone if a file is not among them.
 */
export function messageOf({ message: text }: Draft, files: Files = none): Message | BrokenMessage {
  const message = parseMessage(text)
  if ('reason' in message || typeof message.body !== 'string') return message
  const isMultipart = message.headers.some(([name, value]) => name === 'content-type' && /^multipart\//i.test(value))
  const body = isMultipart ? message.body.replace(/\r?\n/g, '\r\n') : message.body
  if (fileMark.test(body)) return { ...message, body: withFiles(body, files) }
  return { ...message, body: loneByte.test(body) ? bytesOf(body) : body }
}

/** A message as text, lines ended by LF. */
export function writtenMessage({ method, target, headers, body }: Message): string {
  const head = [`${method} ${target} HTTP/1.1`, ...headers.map(([name, value]) => `${capitals(name)}: ${value}`)]
  const content = body === null ? '' : typeof body === 'string' ? body : textOf(body)
  return content === '' ? head.join('\n') : `${head.join('\n')}\n\n${content.replaceAll('\r\n', '\n')}`
}
const capitals = (name: string) => name.replace(/(^|-)[a-z]/g, (one) => one.toUpperCase())

export const draftOf = ({ message, now, who }: BookSample): Draft => ({
  message: writtenMessage(message),
  ...(now ? { now: now.toISOString().replace('.000Z', 'Z') } : {}),
  ...(who ? { who: JSON.stringify(who.json) } : {}),
})
