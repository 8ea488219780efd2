/** A description as OpenAPI 3.0 has it: its schemas are of an older draft, with words of their own. */
import type { OpenApi } from './schema.js'

type Json = { readonly [name: string]: unknown }
const isJson = (value: unknown): value is Json => typeof value === 'object' && value !== null && !Array.isArray(value)

export function asOpenApi30(document: OpenApi): OpenApi {
  return { ...(walked(document) as OpenApi), openapi: '3.0.4' }
}

/** Everything but schemas stays; those stand under a few names. */
function walked(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(walked)
  if (!isJson(value)) return value
  return Object.fromEntries(
    Object.entries(value).map(([name, one]) => [
      name,
      name === 'schema' && isJson(one)
        ? schema30(one)
        : name === 'schemas' && isJson(one)
          ? Object.fromEntries(Object.entries(one).map(([key, each]) => [key, schema30(each as Json)]))
          : name === 'example'
            ? one
            : walked(one),
    ]),
  )
}

/** Keywords that 3.0 has under these names, and in this sense. */
const same: ReadonlySet<string> = new Set([
  '$ref',
  'title',
  'description',
  'default',
  'deprecated',
  'readOnly',
  'writeOnly',
  'format',
  'pattern',
  'multipleOf',
  'maxLength',
  'minLength',
  'maxItems',
  'minItems',
  'uniqueItems',
  'maxProperties',
  'minProperties',
  'required',
  'minimum',
  'maximum',
])
const lists = ['allOf', 'anyOf', 'oneOf'] as const

/** What 3.0 has no keyword for is left out: the writer has put it into words. */
function schema30(schema: Json): Json {
  const made: { [keyword: string]: unknown } = {}
  for (const [keyword, value] of Object.entries(schema)) if (same.has(keyword)) made[keyword] = value
  const { type, enum: values, const: constant, examples, exclusiveMinimum, exclusiveMaximum } = schema
  const types = Array.isArray(type) ? (type as readonly string[]) : type === undefined ? [] : [String(type)]
  const [first] = types.filter((one) => one !== 'null')
  if (first !== undefined) made['type'] = first
  if (types.includes('null')) made['nullable'] = true
  if ('const' in schema) made['enum'] = [constant]
  if ('contentMediaType' in schema) Object.assign(made, { type: 'string', format: 'binary' })
  if (Array.isArray(values)) made['enum'] = values
  if (Array.isArray(examples)) made['example'] = examples[0]
  if (exclusiveMinimum !== undefined) Object.assign(made, { minimum: exclusiveMinimum, exclusiveMinimum: true })
  if (exclusiveMaximum !== undefined) Object.assign(made, { maximum: exclusiveMaximum, exclusiveMaximum: true })
  for (const keyword of lists) {
    const all = schema[keyword]
    if (!Array.isArray(all)) continue
    const others = (all as readonly Json[]).filter((one) => one['type'] !== 'null')
    if (others.length < all.length) made['nullable'] = true
    const inner = others.map(schema30).filter((one) => Object.keys(one).length > 0)
    if (inner.length > 0) made[keyword] = inner
  }
  const { items, prefixItems, properties, additionalProperties, not } = schema
  if (Array.isArray(prefixItems)) Object.assign(made, { items: {}, maxItems: prefixItems.length })
  else if (isJson(items)) made['items'] = schema30(items)
  if (isJson(not)) made['not'] = schema30(not)
  if (isJson(properties))
    made['properties'] = Object.fromEntries(
      Object.entries(properties).map(([name, one]) => [name, isJson(one) ? schema30(one) : {}]),
    )
  if (isJson(additionalProperties)) made['additionalProperties'] = schema30(additionalProperties)
  else if (additionalProperties !== undefined) made['additionalProperties'] = additionalProperties
  // Beside a reference, 3.0 reads nothing.
  const { $ref, ...others } = made
  return $ref !== undefined && Object.keys(others).length > 0 ? { allOf: [{ $ref }], ...others } : made
}
