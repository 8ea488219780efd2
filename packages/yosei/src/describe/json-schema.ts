/** Declarations as JSON Schema. */
import { type IntakeNode, isIntake } from '../declare/intake.js'
import { fieldNode } from '../kinds/kind.js'
import { isJson } from '../read/media.js'
import type { Intake } from '../terms/endpoint.js'
import type { Field } from '../terms/types.js'
import type { JsonSchema, Unsaid } from './schema.js'
import { SchemaWriter } from './writer.js'

export { type Note, type ReadSchemaOptions, readJsonSchema } from '../schema/read.js'
export type { JsonSchema, Unsaid } from './schema.js'

/** Options of `writeJsonSchema`. */
export interface JsonSchemaOptions {
  /**
   * What is described: what a client sends, by default, or what a handler reads, as the JSON that `JSON.stringify` makes
   * of it.
   */
  readonly as?: 'sent' | 'read'
}
/** A schema, and what it does not say. */
export interface WrittenSchema {
  /** JSON Schema 2020-12. */
  readonly schema: JsonSchema
  /** What the vocabulary cannot say. A schema without any takes just what the field takes. */
  readonly unsaid: readonly Unsaid[]
}

/**
 * A field as a JSON Schema (2020-12), or the JSON bodies of an intake, each under the name of its endpoint in `$defs`.
 * All that the field takes, the schema takes. What the vocabulary cannot say stands in words, and is listed.
 *
 * @example
 * writeJsonSchema(record({ name: text({ length: [1, 40] }) })).schema
 */
export function writeJsonSchema(of: Field | Intake, { as = 'sent' }: JsonSchemaOptions = {}): WrittenSchema {
  if (isIntake(of)) return schemaOfBodies(of, as)
  const writer = new SchemaWriter(as)
  const schema = writer.schema(fieldNode(of as Field), [])
  const definitions = writer.definitions()
  return {
    schema: { $schema, ...schema, ...(Object.keys(definitions).length > 0 ? { $defs: definitions } : {}) },
    unsaid: writer.unsaid,
  }
}

const $schema = 'https://json-schema.org/draft/2020-12/schema'

function schemaOfBodies({ endpoints }: IntakeNode, as: 'sent' | 'read'): WrittenSchema {
  const unsaid: Unsaid[] = []
  const $defs: { [name: string]: JsonSchema } = {}
  for (const [name, { bodies, rules, unlisted, coerce }] of Object.entries(endpoints))
    for (const { mediaType, node } of bodies.filter((body) => isJson(body.mediaType))) {
      const own = Object.hasOwn($defs, name) ? `${name} ${mediaType}` : name
      const around = { unlisted: unlisted?.body ?? 'refuse', coerce: Boolean(coerce) } as const
      const writer = new SchemaWriter(as, around, (made) => `#/$defs/${own}.${made}`)
      $defs[own] = writer.body(node, rules)
      for (const [made, schema] of Object.entries(writer.definitions())) $defs[`${own}.${made}`] = schema
      unsaid.push(...writer.unsaid.map(({ address, words }) => ({ address: `${own}: ${address}`, words })))
    }
  return { schema: { $schema, $defs }, unsaid }
}
