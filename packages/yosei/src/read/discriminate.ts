/** Endpoints that share one method and path: what tells a request of one from those of the others. */
import type { EndpointNode } from '../declare/endpoint.js'
import { inRange } from '../grammar/media-range.js'
import { decodePercent } from '../grammar/percent.js'
import type { Node } from '../kinds/kind.js'
import { sentShape } from '../kinds/shape.js'

/** A header or query field that each requires with values of its own; or the media types of their bodies. */
export type Telling<T> =
  | { readonly part: 'header' | 'query'; readonly name: string; readonly values: ReadonlyMap<string, T> }
  | { readonly part: 'body'; readonly bodies: readonly (readonly [mediaType: string, T])[] }

/** What tells some endpoints apart; `undefined` if nothing does. */
export function tellEndpoints<T extends { readonly endpoint: EndpointNode }>(
  all: readonly T[],
): Telling<T> | undefined {
  for (const part of ['header', 'query'] as const)
    for (const name of Object.keys(all[0]?.endpoint[part].fields ?? {})) {
      const values = valuesBy(all, part, name)
      if (values) return { part, name, values }
    }
  const bodies = all.flatMap((one) => one.endpoint.bodies.map(({ mediaType }) => [mediaType, one] as const))
  const haveBodies = all.every(({ endpoint }) => endpoint.bodies.length > 0)
  const areApart = bodies.every(([type, one]) =>
    bodies.every(([other, another]) => one === another || !(inRange(type, other) || inRange(other, type))),
  )
  return haveBodies && areApart ? { part: 'body', bodies } : undefined
}

function valuesBy<T extends { readonly endpoint: EndpointNode }>(
  all: readonly T[],
  part: 'header' | 'query',
  name: string,
): ReadonlyMap<string, T> | undefined {
  const values = new Map<string, T>()
  for (const one of all) {
    const { fields } = one.endpoint[part]
    const texts = Object.hasOwn(fields, name) ? textsOf(fields[name] as Node) : undefined
    if (!texts || texts.some((text) => values.has(text))) return undefined
    for (const text of texts) values.set(text, one)
  }
  return values
}

/** The texts that a field must be one of. */
function textsOf(field: Node): readonly string[] | undefined {
  const shape = sentShape(field)
  if (field.need !== 'required' || field.readOnly) return undefined
  if (shape.kind === 'choice') return shape.values.map(String)
  return shape.kind === 'constant' && shape.value !== null ? [String(shape.value)] : undefined
}

/** The first value of a name in a raw query. */
export function valueInQuery(query: string, wanted: string): string | undefined {
  for (const pair of query.split('&')) {
    const equals = pair.indexOf('=')
    const [name, value] = equals < 0 ? [pair, ''] : [pair.slice(0, equals), pair.slice(equals + 1)]
    if (decodePercent(name.replaceAll('+', ' ')) !== wanted) continue
    const decoded = decodePercent(value.replaceAll('+', ' '))
    return typeof decoded === 'string' ? decoded : ''
  }
  return undefined
}
