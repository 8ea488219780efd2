/** Where schemas stand in a schema: JSON Schema 2020-12 Core, section 10, and Validation, section 8. */
import { isNamed } from '../kinds/run.js'

/** A schema: an object of keywords, or `true` for any value, or `false` for none. */
export type Schema = boolean | { readonly [keyword: string]: unknown }

type Holds = 'one' | 'list' | 'names'
/** By the keyword: one schema, a list of them, or schemas under names. */
const positions = {
  additionalProperties: 'one',
  contains: 'one',
  contentSchema: 'one',
  else: 'one',
  if: 'one',
  items: 'one',
  not: 'one',
  propertyNames: 'one',
  then: 'one',
  unevaluatedItems: 'one',
  unevaluatedProperties: 'one',
  allOf: 'list',
  anyOf: 'list',
  oneOf: 'list',
  prefixItems: 'list',
  $defs: 'names',
  definitions: 'names',
  dependencies: 'names',
  dependentSchemas: 'names',
  patternProperties: 'names',
  properties: 'names',
} as const satisfies { readonly [keyword: string]: Holds }

export const isSchema = (value: unknown): value is Schema => typeof value === 'boolean' || isNamed(value)

/** The schemas right below a schema, each with the steps to it. */
export function schemasIn(schema: Schema): readonly (readonly [steps: readonly string[], schema: Schema])[] {
  if (typeof schema === 'boolean') return []
  return Object.entries(positions).flatMap(([keyword, holds]): [readonly string[], Schema][] => {
    const value = Object.hasOwn(schema, keyword) ? schema[keyword] : undefined
    if (holds === 'one') return isSchema(value) ? [[[keyword], value]] : []
    if (!(holds === 'list' ? Array.isArray(value) : isNamed(value))) return []
    const held = Object.entries(value as { readonly [name: string]: unknown })
    return held.flatMap(([name, one]): [string[], Schema][] => (isSchema(one) ? [[[keyword, name], one]] : []))
  })
}
