/** Which endpoint a method and a raw path mean. */
import type { EndpointNode } from '../declare/endpoint.js'
import { decodePercent } from '../grammar/percent.js'
import { type SettledLimits, settleLimits } from '../terms/policy.js'
import { isMixed, type Mixed, namesOf, type Segment, shapeOf } from '../terms/template.js'
import { type Telling, tellEndpoints } from './discriminate.js'
import { type Carried, carriedBy } from './values.js'

/** What a method means at the end of a template. */
export interface Destination {
  readonly name: string
  readonly endpoint: EndpointNode
  readonly limits: SettledLimits
  /** The template's parameters, in its order. */
  readonly parameters: readonly Carried[]
  readonly headers: readonly Carried[]
  /** The header field that tells it from others of its method and path, for `Vary`. */
  readonly vary?: string
}
/** Several endpoints of one method and path, and what distinguishes them. */
export interface Crossing {
  readonly telling: Telling<Destination>
}
interface Junction {
  readonly literal: Map<string, Junction>
  /** By literals in lower case; of several that differ in case alone, the first. */
  readonly folded: Map<string, Junction>
  /** The same in a row. */
  readonly literals: { readonly text: string; readonly next: Junction }[]
  parameter?: Junction
  /** Parameters with literals about them, those with the longest first. */
  readonly mixed: { readonly segment: Mixed; readonly shape: string; readonly next: Junction }[]
  readonly methods: Map<string, Destination | Crossing>
}
/**
 * The templates of an intake, as a tree of path segments: a match costs by the depth of the path, not by their number.
 */
export type Routes = Junction

export interface Match {
  readonly destination: Destination | Crossing
  /** The raw segments of the path's parameters. */
  readonly segments: readonly string[]
}

const junction = (): Junction => ({
  literal: new Map(),
  folded: new Map(),
  literals: [],
  mixed: [],
  methods: new Map(),
})

export function layRoutes(app: {
  readonly endpoints: { readonly [name: string]: EndpointNode }
  readonly base: string
}): Routes {
  const root = junction()
  const ends = new Map<Junction, Map<string, Destination[]>>()
  for (const [name, endpoint] of Object.entries(app.endpoints)) {
    const at = [...app.base.split('/').slice(1), ...endpoint.segments].reduce(goOn, root)
    const methods = ends.get(at) ?? new Map<string, Destination[]>()
    ends.set(at, methods)
    const all = methods.get(endpoint.method) ?? []
    methods.set(endpoint.method, all)
    all.push({
      name,
      endpoint,
      limits: settleLimits(endpoint.limits),
      parameters: carriedBy(endpoint.path, endpoint.segments.flatMap(namesOf)),
      headers: carriedBy(endpoint.header),
    })
  }
  for (const [at, methods] of ends)
    for (const [method, all] of methods) {
      const [only] = all
      // Endpoints that nothing tells apart are refused where an intake is made.
      if (only) at.methods.set(method, all.length === 1 ? only : (crossing(all) ?? only))
    }
  return root
}

/** The junction behind a segment, made if there is none. */
function goOn(at: Junction, segment: Segment): Junction {
  const next = junction()
  if (typeof segment === 'string') {
    const known = at.literal.get(segment)
    if (known) return known
    at.literal.set(segment, next)
    if (!at.folded.has(segment.toLowerCase())) at.folded.set(segment.toLowerCase(), next)
    at.literals.push({ text: segment, next })
    return next
  }
  if (!isMixed(segment)) {
    at.parameter ??= next
    return at.parameter
  }
  const shape = shapeOf(segment)
  const known = at.mixed.find((one) => one.shape === shape)
  if (known) return known.next
  at.mixed.push({ segment, shape, next })
  at.mixed.sort((a, b) => literalLength(b.segment) - literalLength(a.segment))
  return next
}
const literalLength = ({ literals }: Mixed) => literals.join('').length

function crossing(all: readonly Destination[]): Crossing | undefined {
  const first = tellEndpoints(all)
  const vary = first?.part === 'header' ? first.name : first?.part === 'body' ? 'content-type' : undefined
  const telling = vary === undefined ? first : tellEndpoints(all.map((one) => ({ ...one, vary })))
  return telling && { telling }
}

/**
 * Literal segments win over parameters, the longest literals about them first, with backtracking; HEAD is taken by GET (RFC 9110, section 9.3.2).
 *
 * @param folds Whether the case of letters and slashes too many make no difference, as in most routers.
 * @returns the match, or the methods that the path's templates take: none if no template matches the path.
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
/** How the literals of a template are looked for: with case or without, percent-decoded or not. */
type How = 'raw' | 'decoded' | 'cased' | 'folded'
/** What a parameter may be: a value; a dot segment too, as some routers have it; or nothing, as few do. */
type Takes = 'values' | 'dots' | 'anything'

/** Without doubled slashes, and without one at the end. */
export function withoutSlashes(path: string): string {
  const single = path.includes('//') ? path.replace(/\/{2,}/g, '/') : path
  return single.length > 1 && single.endsWith('/') ? single.slice(0, -1) : single
}

/**
 * Goes on from where a segment of the path starts; one past its end if it has ended.
 */
function descend(
  at: Junction,
  method: string,
  path: string,
  from: number,
  segments: string[],
  how: How,
  takes: Takes = 'values',
): Destination | Crossing | undefined {
  if (from > path.length || path.length === 1)
    return at.methods.get(method) ?? (method === 'HEAD' ? at.methods.get('GET') : undefined)
  const slash = path.indexOf('/', from)
  const end = slash < 0 ? path.length : slash
  const literal = how === 'raw' ? rawLiteral(at, path, from, end) : literalAt(at, path.slice(from, end), how)
  const through = literal && descend(literal, method, path, end + 1, segments, how, takes)
  if (through || !(at.parameter || at.mixed.length > 0)) return through
  const raw = path.slice(from, end)
  for (const { segment, next } of at.mixed) {
    const values = valuesIn(segment, raw, how === 'folded' || how === 'cased')
    if (!values) continue
    const { length } = segments
    segments.push(...values)
    const reached = descend(next, method, path, end + 1, segments, how, takes)
    if (reached) return reached
    segments.length = length
  }
  if (!at.parameter) return undefined
  if (takes === 'values' ? !canFill(how === 'raw' ? raw : decodePercent(raw)) : raw === '' && takes === 'dots')
    return undefined
  segments.push(raw)
  const reached = descend(at.parameter, method, path, end + 1, segments, how, takes)
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

function literalAt({ literal, folded }: Junction, raw: string, how: Exclude<How, 'raw'>): Junction | undefined {
  const segment = how === 'cased' ? raw : decodePercent(raw)
  if (typeof segment !== 'string') return undefined
  return literal.get(segment) ?? (how === 'decoded' ? undefined : folded.get(segment.toLowerCase()))
}

const octet = /%[0-9a-f]{2}/gi
const unreserved = /%(?:2[DdEe]|5[Ff]|7[Ee]|3\d|[46][1-9A-Fa-f]|[57][0-9Aa])/g

/**
 * What stands in the places of a segment's parameters, none of them empty: split raw, at the first place of each literal,
 * and decoded later. Only what means the same encoded is decoded before (RFC 3986, section 2.3).
 */
function valuesIn({ literals, names }: Mixed, sent: string, folds: boolean): readonly string[] | undefined {
  // The digits of an octet mean the same in either case (RFC 3986, section 2.1).
  const raw = sent.replace(unreserved, (one) => decodeURIComponent(one)).replace(octet, (one) => one.toUpperCase())
  const text = folds ? raw.toLowerCase() : raw
  const written = literals.map((literal) => writtenRaw(folds ? literal.toLowerCase() : literal))
  const [first = ''] = written
  const last = written.at(-1) as string
  if (!text.startsWith(first)) return undefined
  const values: string[] = []
  let at = first.length
  for (let i = 1; i < names.length; i++) {
    const literal = written[i] as string
    const found = text.indexOf(literal, at + 1)
    if (found < 0) return undefined
    values.push(raw.slice(at, found))
    at = found + literal.length
  }
  const end = text.length - last.length
  if (end <= at || !text.endsWith(last)) return undefined
  values.push(raw.slice(at, end))
  return values
}

/** A literal of a template as it stands in a path (RFC 3986, section 3.3). */
const writtenRaw = (literal: string) => literal.replace(/[^A-Za-z0-9._~!$&'()*+,;=:@%-]/gu, encodeURIComponent)

/** A parameter is never empty, nor a dot segment (RFC 3986, section 3.3), however it is encoded. */
const canFill = (segment: ReturnType<typeof decodePercent>) => segment !== '' && segment !== '.' && segment !== '..'

/** The methods of all templates that match a path. */
function allowedAt(routes: Routes, path: string, folds: boolean): string[] {
  const segments = path === '/' ? [] : path.split('/').slice(1)
  let reached = path.startsWith('/') ? [routes] : []
  for (const segment of segments) {
    reached = reached.flatMap((at) => {
      const parameter = at.parameter && canFill(decodePercent(segment)) ? at.parameter : undefined
      const mixed = at.mixed.filter((one) => valuesIn(one.segment, segment, folds)).map(({ next }) => next)
      return [literalAt(at, segment, folds ? 'folded' : 'decoded'), ...mixed, parameter].filter(
        (next) => next !== undefined,
      )
    })
  }
  const allowed = new Set(reached.flatMap(({ methods }) => [...methods.keys()]))
  if (allowed.has('GET')) allowed.add('HEAD')
  if (allowed.size > 0) allowed.add('OPTIONS')
  return [...allowed].sort()
}

/** What the grammar of a request target has no place for (RFC 9112, section 3.2). */
export const isNoTarget = (target: string): boolean => target.includes('#') || target.includes('\\')

/**
 * What routers may take a path for, one way of folding it after the other: none if it stands there as it is declared, or
 * no router can take it for a declared path; `undefined` if it can be folded in more ways than anybody means.
 */
export function meantBy(
  routes: Routes,
  method: string,
  target: string,
  folds: boolean,
): ReadonlySet<Destination | Crossing> | undefined {
  const isOdd = odd.test(target)
  const path = beforeQuery(target)
  const at = (one: string, how: How, takes?: Takes) =>
    one.startsWith('/') ? descend(routes, method, one, 1, [], how, takes) : undefined
  const plain = isOdd ? undefined : at(path, 'raw')
  if (plain && (!folds || plain === at(path, 'folded'))) return new Set()
  const readings = isOdd ? readingsOf(path) : [path]
  if (!readings) return undefined
  const meant = (takes: Takes) => {
    const ends = readings.flatMap((one) => [
      at(one, 'raw', takes),
      at(one, 'decoded', takes),
      ...(folds ? [at(withoutSlashes(one), 'cased', takes), at(withoutSlashes(one), 'folded', takes)] : []),
    ])
    return new Set(ends.filter((end) => end !== undefined))
  }
  const found = meant('dots')
  return found.size > 0 ? found : meant('anything')
}

/** All ways of folding together are not many more, but for a path that is made to have them; a long one is dear to fold. */
const mostReadings = (path: string) => Math.max(64, Math.min(256, Math.floor(500_000 / path.length)))
const odd = /[%;\\#]|\/\/|\/\.{1,2}(?:[/?]|$)|^[^/]/

/** The paths that a target stands for, if a router folds it in any of these ways, one after the other. */
function readingsOf(sent: string): readonly string[] | undefined {
  const most = mostReadings(sent)
  const found = new Set([sent])
  for (const path of found) {
    if (found.size > most) return undefined
    for (const fold of foldings) found.add(fold(path))
  }
  return [...found]
}
const beforeQuery = (path: string) => path.replace(/[?].*$/s, '')
const foldings: readonly ((path: string) => string)[] = [
  withoutDots,
  (path) => path.replace(/%[0-7][0-9a-f]/gi, (one) => String.fromCharCode(Number.parseInt(one.slice(1), 16))),
  (path) => path.replaceAll('\\', '/'),
  (path) => path.replace(/;[^/]*/g, ''),
  (path) => path.replace(/[?#].*$/s, ''),
  // A scheme and a host, or a host alone.
  (path) => path.replace(/^(?:[a-z][a-z0-9+.-]*:)?\/\/[^/]*/i, ''),
  withoutSlashes,
]

/** Without `.` and `..` (RFC 3986, section 5.2.4), which may be encoded. */
function withoutDots(path: string): string {
  const kept: string[] = []
  for (const sent of path.split('/')) {
    const segment = sent.replace(/%2e/gi, '.')
    if (segment === '..') {
      if (kept.length > 1) kept.pop()
    } else if (segment !== '.') kept.push(sent)
  }
  return /\/\.{1,2}$/.test(path) ? `${kept.join('/')}/` : kept.join('/')
}
