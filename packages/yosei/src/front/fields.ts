/** Header fields on their way through (RFC 9110, section 7.6; RFC 7239). */
import type { IncomingMessage } from 'node:http'
import { isIP } from 'node:net'
import type { IntakeNode } from '../declare/intake.js'
import { type NotOpened, preview } from '../judge/open.js'
import type { Fault } from '../kinds/run.js'
import { type AnyMessage, lowerCase } from '../read/message.js'

/** Names and values by turns, as Node has them. */
export type RawFields = readonly string[]

/**
 * What one connection says to its two ends, besides what its `Connection` names (RFC 9110, section 7.6.1), by the lengths
 * of the names: most fields have another.
 */
const hopByHop: { readonly [length: number]: readonly string[] } = {
  2: ['te'],
  7: ['upgrade'],
  10: ['connection', 'keep-alive'],
  16: ['proxy-connection'],
  17: ['transfer-encoding'],
}

/** The names in a `Connection` field, but for those that say whether it stays. */
function connectionOptions(connection: string | undefined): readonly string[] {
  if (connection === undefined || /^(?:keep-alive|close)$/i.test(connection)) return none
  return connection.split(',').map((one) => one.trim().toLowerCase())
}
const none: readonly string[] = []

/** Those that go on; `written` are the ones that the front writes itself. */
export function endToEnd(raw: RawFields, written?: ReadonlySet<string>): string[] {
  let named = none
  for (let at = 0; at < raw.length; at += 2)
    if (raw[at]?.length === 10 && raw[at]?.toLowerCase() === 'connection')
      named = [...named, ...connectionOptions(raw[at + 1])]
  const fields: string[] = []
  for (let at = 0; at < raw.length; at += 2) {
    const name = raw[at] as string
    const lower = lowerCase(name)
    if (hopByHop[name.length]?.includes(lower) || written?.has(lower) || named.includes(lower)) continue
    fields.push(name, raw[at + 1] as string)
  }
  return fields
}

/** How the front tells of itself, and of the client, to the backend. */
export interface Telling {
  /** The name in `Via`. */
  readonly pseudonym: string
  /** The backend's own host. */
  readonly origin: string
  /** The same, if it is to see that in place of the one that the client named. */
  readonly host: string | undefined
  /** Whether `X-Forwarded-*` are sent, besides `Forwarded`. */
  readonly xForwarded: boolean
}

const written = new Set(['host', 'content-length', 'expect', 'via', 'forwarded', 'max-forwards'])
const writtenX = new Set([...written, 'x-forwarded-for'])

/** The header fields for the backend; those of the body's framing stand last. */
export function requestFields(request: IncomingMessage, target: string, telling: Telling): string[] {
  const { headers, rawHeaders, httpVersion, socket } = request
  const { pseudonym, xForwarded } = telling
  const scheme = 'encrypted' in socket ? 'https' : 'http'
  const host = hostOf(target) ?? headers.host
  const client = (socket.remoteAddress ?? 'unknown').replace(/^::ffff:(?=\d+\.)/, '')
  const fields = endToEnd(rawHeaders, xForwarded ? writtenX : written)
  fields.push('Host', telling.host ?? host ?? telling.origin, 'Via', joined(headers.via, `${httpVersion} ${pseudonym}`))
  fields.push(
    'Forwarded',
    joined(headers.forwarded, `for=${nodeOf(client)};${host ? `host=${quoted(host)};` : ''}proto=${scheme}`),
  )
  const { 'max-forwards': forwards } = headers
  if (forwards !== undefined) fields.push('Max-Forwards', fewer(String(forwards)))
  if (!xForwarded) return fields
  fields.push('X-Forwarded-For', joined(headers['x-forwarded-for'], client))
  // What stands there came with the request: a server before this one has seen more.
  if (host && headers['x-forwarded-host'] === undefined) fields.push('X-Forwarded-Host', host)
  if (headers['x-forwarded-proto'] === undefined) fields.push('X-Forwarded-Proto', scheme)
  return fields
}

/** The host of a target in absolute form comes before the field (RFC 9112, section 3.2.2). */
const hostOf = (target: string) => /^[a-z][a-z0-9+.-]*:\/\/([^/?#]*)/i.exec(target)?.[1]

/** One forward fewer, if it is a number (RFC 9110, section 7.6.2). */
const fewer = (forwards: string) => (/^[1-9]\d{0,8}$/.test(forwards) ? String(Number(forwards) - 1) : forwards)

const joined = (before: string | readonly string[] | undefined, own: string) =>
  before === undefined ? own : `${typeof before === 'string' ? before : before.join(', ')}, ${own}`

const quoted = (value: string) =>
  /^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(value) ? value : `"${value.replace(/[\\"]/g, '\\$&')}"`

/** RFC 7239, section 6. */
const nodeOf = (client: string) => (isIP(client) === 6 ? `"[${client}]"` : client)

/** Whether this very front has had the request before. */
export const hasPassed = ({ via }: IncomingMessage['headers'], pseudonym: string): boolean =>
  via?.includes(pseudonym) ?? false

/** Fields of which a message has one: two servers may each believe another. */
const single = new Set([
  'authorization',
  'content-encoding',
  'content-location',
  'content-range',
  'content-type',
  'from',
  'if-modified-since',
  'if-range',
  'if-unmodified-since',
  'max-forwards',
  'origin',
  'proxy-authorization',
  'range',
  'referer',
  'user-agent',
])
/** Fields that are for all who have a message, besides those that endpoints declare. */
const forAll = new Set([...single, 'accept', 'content-length', 'cookie', 'expect', 'forwarded', 'host', 'via'])

/** Why two servers could read a message in different ways: it goes to neither. */
export function oddityOf(
  { httpVersion, headers }: IncomingMessage,
  message: AnyMessage,
  app: IntakeNode,
): NotOpened | undefined {
  const head = preview(message)
  if ('fault' in head) return head
  const named = connectionOptions(headers.connection)
  let seen: string[] | undefined
  for (const [name] of message.headers) {
    // RFC 9112, section 6.1.
    if (name === 'transfer-encoding' && httpVersion === '1.0')
      return oddAt(name, { code: 'bad_syntax', variant: 'old' })
    if (named.length > 0 && named.includes(name) && (forAll.has(name) || isDeclared(name, app)))
      return oddAt('connection', { code: 'bad_syntax', variant: 'endToEnd', about: { name } })
    if (!single.has(name)) continue
    if (seen?.includes(name)) return oddAt(name, { code: 'sent_twice', limit: 2 })
    seen ??= []
    seen.push(name)
  }
  return undefined
}

const oddAt = (name: string, fault: Omit<Fault, 'stage' | 'path'>): NotOpened => ({
  failure: 'framing',
  fault: { path: ['header', name], ...fault },
  headers: { connection: 'close' },
})

const declared = new WeakMap<IntakeNode, ReadonlySet<string>>()
function isDeclared(name: string, app: IntakeNode): boolean {
  let names = declared.get(app)
  if (!names) {
    names = new Set(Object.values(app.endpoints).flatMap(({ header }) => Object.keys(header.fields)))
    declared.set(app, names)
  }
  return names.has(name)
}
