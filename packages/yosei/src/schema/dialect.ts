/** How OpenAPI has JSON Schema: in 3.0 with words of its own, and both with formats and directions. */
import { isNamed } from '../kinds/run.js'

type Keywords = { readonly [keyword: string]: unknown }

/** Formats of the registry of OpenAPI that say nothing of a JSON value here. */
const free: ReadonlySet<string> = new Set(['int64', 'float', 'double', 'binary', 'password'])
/** The others, in words of JSON Schema. */
const said: { readonly [format: string]: Keywords } = {
  int32: { minimum: -(2 ** 31), maximum: 2 ** 31 - 1 },
  byte: { format: 'base64' },
}

/** The keywords of a schema as 2020-12 has them, of what a client sends. */
export function keywordsOfApi(schema: Keywords, dialect: '3.0' | '3.1'): Keywords {
  const own = dialect === '3.0' ? modern(schema) : schema
  return sent(formatted('example' in own && !('examples' in own) ? { ...own, examples: [own['example']] } : own))
}

/** OpenAPI 3.0.3, section 4.7.24: siblings of `$ref` are ignored, `nullable` adds a type, limits are exclusive by a flag. */
function modern(schema: Keywords): Keywords {
  if ('$ref' in schema) return { $ref: schema['$ref'] }
  const { nullable, exclusiveMinimum, exclusiveMaximum, minimum, maximum, type, ...rest } = schema
  const isNullable = nullable === true && typeof type === 'string'
  return {
    ...rest,
    ...(type === undefined ? {} : { type: isNullable ? [type, 'null'] : type }),
    ...limit('minimum', 'exclusiveMinimum', minimum, exclusiveMinimum),
    ...limit('maximum', 'exclusiveMaximum', maximum, exclusiveMaximum),
  }
}
const limit = (name: string, strict: string, value: unknown, isStrict: unknown): Keywords =>
  value === undefined ? {} : { [isStrict === true ? strict : name]: value }

function formatted(schema: Keywords): Keywords {
  const { format, ...rest } = schema
  if (typeof format !== 'string') return schema
  if (free.has(format)) return format === 'password' ? { ...rest, writeOnly: true } : rest
  return Object.hasOwn(said, format) ? { ...said[format], ...rest } : schema
}

/** What only the server sets need not be sent: it is dropped, whatever it is. */
function sent(schema: Keywords): Keywords {
  const { properties, required } = schema
  if (!isNamed(properties)) return schema
  const isSet = (one: unknown) => isNamed(one) && one['readOnly'] === true
  const dropped = Object.keys(properties).filter((name) => isSet(properties[name]))
  if (dropped.length === 0) return schema
  return {
    ...schema,
    properties: Object.fromEntries(
      Object.entries(properties).map(([name, one]) => [name, isSet(one) ? serverSet : one]),
    ),
    ...(Array.isArray(required) ? { required: required.filter((name) => !dropped.includes(name)) } : {}),
  }
}
const serverSet = Object.freeze({ readOnly: true })
