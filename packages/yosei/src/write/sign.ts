/** Signs messages that are at hand, as a client signs its requests. */
import { HeadFields } from '../judge/head.js'
import type { Message } from '../read/message.js'
import type { Sign } from '../terms/head.js'

/**
 * A message with the header fields by which it is attested. Those that it has already stay, unless `replaces` says that
 * they are made anew.
 *
 * @example
 * const signed = await signMessage(parseMessage(text), sign)
 */
export async function signMessage<B extends string | Uint8Array | null>(
  message: Message<B>,
  sign: Sign | undefined,
  now = new Date(),
  replaces: (name: string) => boolean = () => false,
): Promise<Message<B>> {
  if (!sign) return message
  const { method, target, headers, body } = message
  const bytes = body instanceof Uint8Array ? body : new TextEncoder().encode((body as string | null) ?? '')
  const given = Object.entries(await sign({ method, target, headers: new HeadFields(message), bytes, now }))
  const fields = given.map(([name, value]) => [name.toLowerCase(), value] as const)
  const has = (all: Message['headers'], name: string) => all.some(([known]) => known === name)
  const kept = headers.filter(([name]) => !(replaces(name) && has(fields, name)))
  return { ...message, headers: [...kept, ...fields.filter(([name]) => !has(kept, name))] }
}
