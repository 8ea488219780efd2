/** Which endpoint a method and a raw path mean. */
import type { EndpointNode } from '../declare/endpoint.js'
import { decodePercent } from '../grammar/percent.js'
import { type SettledLimits, settleLimits } from '../terms/policy.js'
import { type Carried, carriedBy } from './values.js'

/** What a method means at the end of a template. */
export interface Destination {
  readonly name: string
  readonly endpoint: EndpointNode
  readonly limits: SettledLimits
  /** The template's parameters, in its order. */
  readonly parameters: readonly Carried[]
  readonly headers: readonly Carried[]
}
interface Junction {
  readonly literal: Map<string, Junction>
  /** By literals in lower case; of several that differ in case alone, the first. */
  readonly folded: Map<string, Junction>
  /** The same in a row. */
  readonly literals: { readonly text: string; readonly next: Junction }[]
  parameter?: Junction
  readonly methods: Map<string, Destination>
}
/**
 * The templates of an intake, as a tree of path segments: a match costs by the depth of the path, not by their number.
 */
export type Routes = Junction

export interface Match {
  readonly destination: Destination
  /** The raw segments of the path's parameters. */
  readonly segments: readonly string[]
}

const junction = (): Junction => ({ literal: new Map(), folded: new Map(), literals: [], methods: new Map() })

export function layRoutes(app: {
  readonly endpoints: { readonly [name: string]: EndpointNode }
  readonly base: string
}): Routes {
  const root = junction()
  for (const [name, endpoint] of Object.entries(app.endpoints)) {
    let at = root
    for (const segment of [...app.base.split('/').slice(1), ...endpoint.segments]) {
      let next = typeof segment === 'string' ? at.literal.get(segment) : at.parameter
      if (!next) {
        next = junction()
        if (typeof segment === 'string') {
          at.literal.set(segment, next)
          if (!at.folded.has(segment.toLowerCase())) at.folded.set(segment.toLowerCase(), next)
          at.literals.push({ text: segment, next })
        } else at.parameter = next
      }
      at = next
    }
    const names = endpoint.segments.flatMap((segment) => (typeof segment === 'string' ? [] : [segment.name]))
    at.methods.set(endpoint.method, {
      name,
      endpoint,
      limits: settleLimits(name, endpoint.limits),
      parameters: carriedBy(endpoint.path, names),
      headers: carriedBy(endpoint.header),
    })
  }
  return root
}

/**
 * Literal segments win over parameters, with backtracking; HEAD is taken by GET (RFC 9110, section 9.3.2).
 *
 * @param folds Whether the case of letters and slashes too many make no difference, as in most routers.
 * @returns the match, or the methods that the path's templates take: none where no template matches the path.
 */
export function match(
  routes: Routes,
  method: string,
  sent: string,
  folds = false,
): Match | { readonly allowed: readonly string[] } {
  const segments: string[] = []
  const path = folds ? withoutSlashes(sent) : sent
  const how = folds ? 'folded' : path.includes('%') ? 'decoded' : 'raw'
  const destination = path.charCodeAt(0) === 47 ? descend(routes, method, path, 1, segments, how) : undefined
  return destination ? { destination, segments } : { allowed: allowedAt(routes, path, folds) }
}
/** How the literals of a template are looked for. */
type How = 'raw' | 'decoded' | 'folded'

/** Without doubled slashes, and without one at the end. */
export function withoutSlashes(path: string): string {
  const single = path.includes('//') ? path.replace(/\/{2,}/g, '/') : path
  return single.length > 1 && single.endsWith('/') ? single.slice(0, -1) : single
}

/** Goes on from where a segment of the path starts; one past its end where it has ended. */
function descend(
  at: Junction,
  method: string,
  path: string,
  from: number,
  segments: string[],
  how: How,
): Destination | undefined {
  if (from > path.length || path.length === 1)
    return at.methods.get(method) ?? (method === 'HEAD' ? at.methods.get('GET') : undefined)
  const slash = path.indexOf('/', from)
  const end = slash < 0 ? path.length : slash
  const literal =
    how === 'raw' ? rawLiteral(at, path, from, end) : decodedLiteral(at, path.slice(from, end), how === 'folded')
  const through = literal && descend(literal, method, path, end + 1, segments, how)
  if (through || !at.parameter) return through
  const raw = path.slice(from, end)
  if (!canFill(how === 'raw' ? raw : decodePercent(raw))) return undefined
  segments.push(raw)
  const reached = descend(at.parameter, method, path, end + 1, segments, how)
  if (!reached) segments.pop()
  return reached
}

/** Few literals are compared in place; among many, the segment is looked up. */
const few = 4
function rawLiteral({ literal, literals }: Junction, path: string, from: number, end: number): Junction | undefined {
  if (literals.length > few) return literal.get(path.slice(from, end))
  for (let i = 0; i < literals.length; i++) {
    const { text, next } = literals[i] as (typeof literals)[number]
    if (text.length === end - from && path.startsWith(text, from)) return next
  }
  return undefined
}

function decodedLiteral({ literal, folded }: Junction, raw: string, folds: boolean): Junction | undefined {
  const segment = decodePercent(raw)
  if (typeof segment !== 'string') return undefined
  return literal.get(segment) ?? (folds ? folded.get(segment.toLowerCase()) : undefined)
}

/** A parameter is never empty, nor a dot segment (RFC 3986, section 3.3), however it is encoded. */
const canFill = (segment: ReturnType<typeof decodePercent>) => segment !== '' && segment !== '.' && segment !== '..'

/** The methods of all templates that match a path. */
function allowedAt(routes: Routes, path: string, folds: boolean): string[] {
  const segments = path === '/' ? [] : path.split('/').slice(1)
  let reached = path.startsWith('/') ? [routes] : []
  for (const segment of segments) {
    reached = reached.flatMap((at) => {
      const parameter = at.parameter && canFill(decodePercent(segment)) ? at.parameter : undefined
      return [decodedLiteral(at, segment, folds), parameter].filter((next) => next !== undefined)
    })
  }
  const allowed = new Set(reached.flatMap(({ methods }) => [...methods.keys()]))
  if (allowed.has('GET')) allowed.add('HEAD')
  if (allowed.size > 0) allowed.add('OPTIONS')
  return [...allowed].sort()
}
