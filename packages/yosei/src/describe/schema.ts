/** What a JSON Schema is made of here, and what it leaves unsaid. */

/** A JSON Schema (2020-12) as plain JSON. */
export type JsonSchema = { readonly [keyword: string]: unknown }

/** A demand that the vocabulary has no keyword for. */
export interface Unsaid {
  /** Of the field, as in errors: `[]` for each element, `{}` for each name; empty for the whole value. */
  readonly address: string
  /** The demand in words. They also stand in the `description` of the schema there. */
  readonly words: string
}

/** A description of an API, as plain JSON. */
export interface OpenApi {
  /** The version of the specification. */
  readonly openapi: string
  /** The title and the version of the service. */
  readonly info: { readonly title: string; readonly version: string }
  /** The operations, by path and method. */
  readonly paths: { readonly [path: string]: { readonly [method: string]: unknown } }
  readonly [name: string]: unknown
}

/** `null` is a value too. */
export function orNull(schema: JsonSchema): JsonSchema {
  const { type, enum: values, const: value } = schema
  if ('const' in schema) {
    const { const: _, ...rest } = schema
    return { ...rest, enum: [value, null] }
  }
  if (Array.isArray(values)) return { ...schema, ...withNull(type), enum: [...values, null] }
  return typeof type === 'string' ? { ...schema, ...withNull(type) } : { anyOf: [schema, { type: 'null' }] }
}
const withNull = (type: unknown) => (typeof type === 'string' ? { type: [type, 'null'] } : {})

/** A schema of what lies at a path of names. */
export const inside = (path: readonly string[], schema: JsonSchema): JsonSchema =>
  path.reduceRight<JsonSchema>((inner, name) => ({ properties: { [name]: inner } }), schema)

/** That something is there at a path of names, and is of a schema. */
export function present([name, ...more]: readonly string[], schema?: JsonSchema): JsonSchema {
  if (name === undefined) return schema ?? {}
  // Of what is no object, `required` says nothing.
  const below = more.length > 0 ? { type: 'object', ...present(more, schema) } : schema
  return { required: [name], ...(below === undefined ? {} : { properties: { [name]: below } }) }
}
