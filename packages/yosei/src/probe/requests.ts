/** What an endpoint demands of a request as a whole, before its fields are read; each with a message that breaks it. */
import type { BodyNode, EndpointNode } from '../declare/endpoint.js'
import { challengeOf, type IntakeNode } from '../declare/intake.js'
import type { Message } from '../read/message.js'
import { syntaxOf } from '../read/syntax.js'
import type { StatusName } from '../terms/statuses.js'
import { readSize } from '../terms/units.js'
import { formOf } from './files.js'

export interface WholeDemand {
  readonly address: string
  readonly code: string
  readonly what: string
  readonly failure: StatusName
  /** Why no message breaks it. */
  readonly because?: string
  broken(message: Message<string | null>): Message<string | null>
}

/** A limit that is larger is not tried. */
const largest = 20_000_000

export function demandsOnWhole(endpoint: EndpointNode, body: BodyNode | undefined): readonly WholeDemand[] {
  const { limits = {}, bodies } = endpoint
  const syntax = body && syntaxOf(body)
  const types = bodies.map(({ mediaType }) => mediaType)
  const demands: WholeDemand[] = []
  const add = (failure: StatusName, address: string, code: string, what: string, broken: WholeDemand['broken']) =>
    demands.push({ failure, address, code, what, broken })
  if (body && !types.includes('*/*'))
    add('mediaType', 'header.content-type', 'wrong_media_type', types.join(', '), (message) => ({
      ...message,
      headers: [...message.headers.filter(([name]) => name !== 'content-type'), ['content-type', 'font/none']],
      body: message.body ?? 'x',
    }))
  if (body && /(?:^application\/|\+)json$/.test(body.mediaType))
    add('syntax', 'body', 'bad_syntax', 'JSON', (message) => ({ ...typed(message, body), body: '{' }))
  const { uri, headers, queryValues, parts } = limits
  if (uri !== undefined)
    add('uri', 'path', 'too_large', `limits.uri ${uri}`, (message) => ({
      ...message,
      target: `${message.target}${joint(message.target)}a=${'a'.repeat(readSize(uri))}`,
    }))
  if (headers !== undefined)
    add('headers', 'header', 'too_large', `limits.headers ${headers}`, (message) => ({
      ...message,
      headers: [...message.headers, ['x-padding', 'a'.repeat(readSize(headers))]],
    }))
  if (queryValues !== undefined)
    add('query', 'query', 'too_many', `limits.queryValues ${queryValues}`, (message) => ({
      ...message,
      target: `${message.target}${joint(message.target)}${'a&'.repeat(queryValues + 1)}`,
    }))
  if (parts !== undefined && syntax?.textPart === 'multipart')
    add('size', 'body', 'too_many_parts', `limits.parts ${parts}`, (message) => ({
      ...message,
      body: formOf(Object.fromEntries(Array.from({ length: parts + 1 }, (_, index) => [`a${index}`, '']))),
    }))
  if (limits.body !== undefined && body && syntax && !syntax.isStreamed) {
    const most = syntax.most(body.node, readSize(limits.body))
    const what = `limits.body ${limits.body}`
    if (most > largest)
      demands.push({
        failure: 'size',
        address: 'body',
        code: 'too_large',
        what,
        because: 'it is too large to be tried',
        broken: (one) => one,
      })
    else add('size', 'body', 'too_large', what, (message) => ({ ...typed(message, body), body: ' '.repeat(most + 1) }))
  }
  return demands
}

const joint = (target: string) => (target.includes('?') ? '&' : '?')
const typed = (message: Message<string | null>, { mediaType }: BodyNode): Message<string | null> =>
  message.headers.some(([name]) => name === 'content-type')
    ? message
    : { ...message, headers: [...message.headers, ['content-type', mediaType]] }

/** The caller has to be known, and to be let in. */
export function demandsOnWho(
  app: IntakeNode,
  { open, may }: EndpointNode,
): readonly {
  readonly address: string
  readonly code: 'not_known' | 'not_allowed'
  readonly what: string
  readonly failure: StatusName
}[] {
  if (!app.identify) return []
  const address = `header.${challengeOf(app).header}`
  return [
    ...(open ? [] : [{ address, code: 'not_known', what: 'a known caller', failure: 'notKnown' } as const]),
    ...(may ? [{ address, code: 'not_allowed', what: 'may', failure: 'notAllowed' } as const] : []),
  ]
}
