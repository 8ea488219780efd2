/** Whether a JSON Schema takes a value: by what reads schemas, which the open suite of the standard judges. */
import { type Field, judgeValue } from 'yosei'
import { readJsonSchema } from 'yosei/json-schema'

const known = new WeakMap<object, Field>()

export function takes(schema: object, value: unknown): boolean {
  const field = known.get(schema) ?? readJsonSchema(modern(schema), { formats: 'assert', notes })
  known.set(schema, field)
  return judgeValue(field, value).outcome === 'accepted'
}

interface Old {
  readonly minimum?: number
  readonly exclusiveMinimum?: unknown
  readonly $schema?: unknown
  readonly format?: unknown
}
/** A draft-04 schema, such as that of OpenAPI 3.0, in words of 2020-12; without the format `uri` that references have there. */
function modern(schema: object): object {
  const isOfOpenApi = JSON.stringify(schema).includes('https://spec.openapis.org/')
  return JSON.parse(JSON.stringify(schema), (_, one: Old | null) => {
    if (typeof one !== 'object' || one === null || Array.isArray(one)) return one
    const { minimum, exclusiveMinimum, $schema, format, ...rest } = one
    return {
      ...rest,
      ...(exclusiveMinimum === true
        ? { exclusiveMinimum: minimum }
        : {
            ...(minimum === undefined ? {} : { minimum }),
            ...(exclusiveMinimum === undefined ? {} : { exclusiveMinimum }),
          }),
      ...(typeof $schema !== 'string' ? ($schema === undefined ? {} : { $schema }) : {}),
      ...(format === undefined || (isOfOpenApi && /^uri/.test(String(format))) ? {} : { format }),
    }
  })
}
const notes = ({ what }: { readonly what: string }) => {
  if (!what.includes('media-range')) throw new Error(what)
}
