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

export const isList = (value: unknown): value is readonly unknown[] => Array.isArray(value)
export const isSchema = (value: unknown): value is Schema => typeof value === 'boolean' || isNamed(value)

/** The schemas right below a schema, each with the steps to it. */
export function schemasIn(schema: Schema): readonly (readonly [steps: readonly string[], schema: Schema])[] {
  const found: [readonly string[], Schema][] = []
  if (typeof schema === 'boolean') return found
  for (const keyword of Object.keys(schema)) {
    const holds = Object.hasOwn(positions, keyword) ? positions[keyword as keyof typeof positions] : undefined
    const value = schema[keyword]
    if (holds === 'one') {
      if (isSchema(value)) found.push([[keyword], value])
    } else if (holds !== undefined && (holds === 'list' ? Array.isArray(value) : isNamed(value)))
      for (const [name, one] of Object.entries(value as { readonly [name: string]: unknown }))
        if (isSchema(one)) found.push([[keyword, name], one])
  }
  return found
}
