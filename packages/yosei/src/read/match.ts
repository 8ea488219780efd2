/** Which endpoint a method and a raw path mean. */
import type { IntakeNode } from '../declare/endpoint.js'
import { decodePercent, malformed } from './percent.js'

interface Junction {
  readonly literal: Map<string, Junction>
  parameter?: Junction
  /** By method: the endpoint, and the names of its parameters in the order of the path. */
  readonly endpoints: Map<string, { readonly endpoint: string; readonly parameters: readonly string[] }>
}
/** The templates of an intake, as a tree of path segments. */
export type Routes = Junction

export interface Match {
  readonly endpoint: string
  /** The raw segments of the path's parameters. */
  readonly path: { readonly [name: string]: string }
}

const junction = (): Junction => ({ literal: new Map(), endpoints: new Map() })

export function layRoutes(app: IntakeNode): Routes {
  const root = junction()
  for (const [name, endpoint] of Object.entries(app.endpoints)) {
    let at = root
    for (const segment of [...app.base.split('/').slice(1), ...endpoint.segments]) {
      let next = typeof segment === 'string' ? at.literal.get(segment) : at.parameter
      if (!next) {
        next = junction()
        if (typeof segment === 'string') at.literal.set(segment, next)
        else at.parameter = next
      }
      at = next
    }
    const parameters = endpoint.segments.flatMap((segment) => (typeof segment === 'string' ? [] : [segment.name]))
    at.endpoints.set(endpoint.method, { endpoint: name, parameters })
  }
  return root
}

/**
 * Literal segments win over parameters, with backtracking; HEAD is taken by GET (RFC 9110, section 9.3.2).
 *
 * @returns the match, or the methods that the path's templates take: none where no template matches the path.
 */
export function match(routes: Routes, method: string, path: string): Match | { readonly allowed: readonly string[] } {
  const segments = path === '/' ? [] : path.slice(1).split('/')
  const allowed = new Set<string>()
  const values: string[] = []

  function descend(at: Junction, depth: number): Match | undefined {
    if (depth === segments.length) {
      const found = at.endpoints.get(method) ?? (method === 'HEAD' ? at.endpoints.get('GET') : undefined)
      if (found)
        return {
          endpoint: found.endpoint,
          path: Object.fromEntries(found.parameters.map((name, index) => [name, values[index] as string])),
        }
      for (const one of at.endpoints.keys()) allowed.add(one)
      return undefined
    }
    const raw = segments[depth] as string
    const segment = decodePercent(raw)
    const literal = segment === malformed ? undefined : at.literal.get(segment)
    const through = literal && descend(literal, depth + 1)
    if (through || !at.parameter || segment === '' || segment === '.' || segment === '..') return through
    values.push(raw)
    const found = descend(at.parameter, depth + 1)
    values.pop()
    return found
  }

  const found = path.startsWith('/') ? descend(routes, 0) : undefined
  if (found) return found
  if (allowed.has('GET')) allowed.add('HEAD')
  if (allowed.size > 0) allowed.add('OPTIONS')
  return { allowed: [...allowed].sort() }
}
