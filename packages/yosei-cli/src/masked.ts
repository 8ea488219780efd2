/** A sample as it may be printed: builds keep their output where many can read it. */
import { type Endpoint, type Intake, isSecretAt } from 'yosei'
import type { AnyVerdict, Sample } from './book/index.js'

const masked = '(secret)'

/** The target of a sample's request, without the values of secrets, and of names that nobody declared. */
export function maskedTarget(app: Intake, { message }: Sample, verdict: AnyVerdict): string {
  const [path = '', ...query] = message.target.split('?')
  const endpoint = app.endpoints[verdict.endpoint ?? ''] as (Endpoint & { template: string }) | undefined
  const pairs = query
    .join('?')
    .split('&')
    .map((pair) => {
      const [name = '', ...value] = pair.split('=')
      const declared = name.replace(/(?:\[|%5B).*$/i, '')
      return value.length > 0 && (!endpoint || isSecretAt(endpoint, `query[${JSON.stringify(declared)}]`))
        ? `${name}=${masked}`
        : pair
    })
  return `${endpoint ? maskedPath(endpoint, path) : path}${query.length > 0 ? `?${pairs.join('&')}` : ''}`
}

/** The template stands at the end of a path, behind the base. */
function maskedPath(endpoint: Endpoint & { template: string }, path: string): string {
  const segments = path.split('/')
  const template = endpoint.template.split('/')
  return segments
    .map((segment, index) => {
      const name = /^\{(.*)\}$/.exec(template[index - segments.length + template.length] ?? '')?.[1]
      return name !== undefined && isSecretAt(endpoint, `path[${JSON.stringify(name)}]`) ? masked : segment
    })
    .join('/')
}

/** Whether the value at an address may be printed. */
export function isShown(app: Intake, verdict: AnyVerdict, address: string): boolean {
  const endpoint = app.endpoints[verdict.endpoint ?? '']
  return endpoint !== undefined && !isSecretAt(endpoint, address)
}
