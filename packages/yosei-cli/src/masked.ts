/** Requests as they may be printed: builds keep their output where many can read it. */
import { type Endpoint, formatAddress, type Intake, isSecretAt, type Message } from 'yosei'
import { masked } from './book/index.js'

/** The target of a request to an endpoint, without the values of secrets, and of undeclared names. */
export function maskedTarget(app: Intake, name: string | undefined, target: string): string {
  const [path = '', ...query] = target.split('?')
  const endpoint = app.endpoints[name ?? '']
  const pairs = query
    .join('?')
    .split('&')
    .map((pair) => {
      const [name = '', ...value] = pair.split('=')
      const declared = name.replace(/(?:\[|%5B).*$/i, '')
      return value.length > 0 && (!endpoint || isSecretAt(endpoint, formatAddress(['query', declared])))
        ? `${name}=${masked}`
        : pair
    })
  return `${endpoint ? maskedPath(endpoint, path) : path}${query.length > 0 ? `?${pairs.join('&')}` : ''}`
}

/** The template stands at the end of a path, behind the base. */
function maskedPath(endpoint: Endpoint, path: string): string {
  const segments = path.split('/')
  const template = endpoint.template.split('/')
  return segments
    .map((segment, index) => {
      const name = /^\{(.*)\}$/.exec(template[index - segments.length + template.length] ?? '')?.[1]
      return name !== undefined && isSecretAt(endpoint, formatAddress(['path', name])) ? masked : segment
    })
    .join('/')
}

/** Whether the value at an address of a request to an endpoint may be printed. */
export function isShown(app: Intake, name: string | undefined, address: string): boolean {
  const endpoint = app.endpoints[name ?? '']
  return endpoint !== undefined && !isSecretAt(endpoint, address)
}

const secretHeaders = new Set(['authorization', 'proxy-authorization', 'cookie'])

/** The value of a header field: fields that are not declared pass, unless they identify the caller. */
export function maskedHeader(app: Intake, name: string | undefined, [field, value]: readonly [string, string]): string {
  const { header } = (app.endpoints[name ?? ''] ?? {}) as { header?: { readonly fields: object } }
  const isDeclared = header !== undefined && Object.hasOwn(header.fields, field)
  const isTold = isDeclared ? isShown(app, name, formatAddress(['header', field])) : !secretHeaders.has(field)
  return isTold ? value : masked
}

/** A request as data, without its secrets: of a body that is no JSON only its size. */
export function maskedMessage(
  app: Intake,
  name: string | undefined,
  { method, target, headers, body }: Message<string | Uint8Array | null>,
) {
  return {
    method,
    target: maskedTarget(app, name, target),
    headers: headers.map((field) => [field[0], maskedHeader(app, name, field)]),
    body: maskedBody(app, name, body),
  }
}

function maskedBody(app: Intake, name: string | undefined, body: string | Uint8Array | null): string | null {
  if (body === null || body === '') return body
  try {
    return JSON.stringify(withoutSecrets(app, name, JSON.parse(String(body)), ['body']))
  } catch {
    return `(${body.length} bytes)`
  }
}

/** A title that is made of the request has the secrets of its path. */
export function maskedTitle(app: Intake, name: string | undefined, { title, message }: TitledSample): string {
  const [path = ''] = message.target.split('?')
  return title.replace(path, () => maskedTarget(app, name, path))
}
interface TitledSample {
  readonly title: string
  readonly message: { readonly target: string }
}

/** No request is nested deeper. */
const deepest = 64

/** A value without the secrets in it. */
export function withoutSecrets(
  app: Intake,
  name: string | undefined,
  value: unknown,
  path: readonly (string | number)[],
): unknown {
  // What a reader made may hold itself.
  if (path.length > deepest) return '…'
  const below = (one: unknown, step: string | number) => withoutSecrets(app, name, one, [...path, step])
  if (Array.isArray(value)) return value.map(below)
  if (typeof value === 'object' && value !== null && !(value instanceof Date))
    return Object.fromEntries(Object.entries(value).map(([step, one]) => [step, below(one, step)]))
  return isShown(app, name, formatAddress(path)) ? value : masked
}
