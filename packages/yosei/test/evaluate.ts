/** Judges values by JSON Schema (2020-12), as far as schemas are written here: by another author than the engine's. */
import { isDeepStrictEqual } from 'node:util'
import { judgeValue, text } from 'yosei'

type Schema = boolean | { readonly [keyword: string]: unknown }

/** Decimal texts as whole numbers of their smallest unit. */
function isMultiple(value: number, step: number): boolean {
  const [a, b] = [value, step].map((one) => {
    const [, digits = '', fraction = '', exponent = '0'] =
      /^-?(\d+)(?:\.(\d+))?(?:e([+-]\d+))?$/.exec(String(one)) ?? []
    return { whole: BigInt(digits + fraction), scale: fraction.length - Number(exponent) }
  }) as [{ whole: bigint; scale: number }, { whole: bigint; scale: number }]
  const scale = Math.max(a.scale, b.scale, 0)
  return (a.whole * 10n ** BigInt(scale - a.scale)) % (b.whole * 10n ** BigInt(scale - b.scale)) === 0n
}

/** `uri` is none: the specification's own schemas have it where references stand. */
const known: ReadonlySet<string> = new Set([
  'date-time',
  'date',
  'time',
  'email',
  'ipv4',
  'ipv6',
  'uri-reference',
  'uuid',
  'regex',
  'hostname',
])

const isObject = (value: unknown): value is { readonly [name: string]: unknown } =>
  typeof value === 'object' && value !== null && !Array.isArray(value)
const types: { readonly [type: string]: (value: unknown) => boolean } = {
  null: (value) => value === null,
  boolean: (value) => typeof value === 'boolean',
  string: (value) => typeof value === 'string',
  number: (value) => typeof value === 'number',
  integer: (value) => Number.isInteger(value),
  array: Array.isArray,
  object: isObject,
}

export function takes(schema: Schema, value: unknown, root: Schema = schema): boolean {
  if (typeof schema === 'boolean') return schema
  const below = (one: unknown, of: unknown) => takes(one as Schema, of, root)
  const names = isObject(value) ? Object.keys(value) : []
  const own = (schema['properties'] ?? {}) as { readonly [name: string]: Schema }
  const has = (name: string) => names.includes(name)
  const patterns = Object.keys(schema['patternProperties'] ?? {}).map((one) => new RegExp(one, 'u'))
  const all = (keyword: string) => schema[keyword] as readonly Schema[]
  const count = typeof value === 'string' ? [...value].length : 0
  const rules: { readonly [keyword: string]: (limit: never) => boolean } = {
    $ref: (ref: string) =>
      below(
        ref
          .split('/')
          .slice(1)
          .reduce<unknown>((at, step) => (at as { [step: string]: unknown })[step], root),
        value,
      ),
    type: (limit: string | readonly string[]) => [limit].flat().some((type) => types[type]?.(value)),
    const: (limit) => isDeepStrictEqual(limit, value),
    enum: (limit: readonly unknown[]) => limit.some((one) => isDeepStrictEqual(one, value)),
    minimum: (limit: number) => typeof value !== 'number' || value >= limit,
    maximum: (limit: number) => typeof value !== 'number' || value <= limit,
    // In draft 4 it says of the minimum that it is none of them.
    exclusiveMinimum: (limit: number | boolean) =>
      typeof value !== 'number' || (limit === true ? value > Number(schema['minimum']) : value > Number(limit)),
    exclusiveMaximum: (limit: number | boolean) =>
      typeof value !== 'number' || (limit === true ? value < Number(schema['maximum']) : value < Number(limit)),
    multipleOf: (limit: number) => typeof value !== 'number' || isMultiple(value, limit),
    minLength: (limit: number) => typeof value !== 'string' || count >= limit,
    maxLength: (limit: number) => typeof value !== 'string' || count <= limit,
    pattern: (limit: string) => typeof value !== 'string' || new RegExp(limit, 'u').test(value),
    format: (limit: never) =>
      typeof value !== 'string' ||
      !known.has(limit) ||
      judgeValue(text({ format: limit }), value).outcome === 'accepted',
    minItems: (limit: number) => !Array.isArray(value) || value.length >= limit,
    maxItems: (limit: number) => !Array.isArray(value) || value.length <= limit,
    uniqueItems: () =>
      !Array.isArray(value) ||
      value.every((one, at) => value.findIndex((other) => isDeepStrictEqual(one, other)) === at),
    prefixItems: () =>
      !Array.isArray(value) || all('prefixItems').every((one, at) => at >= value.length || below(one, value[at])),
    items: (limit: Schema) =>
      !Array.isArray(value) || value.slice(all('prefixItems')?.length ?? 0).every((one) => below(limit, one)),
    required: (limit: readonly string[]) => !isObject(value) || limit.every(has),
    dependentRequired: (limit: { readonly [name: string]: readonly string[] }) =>
      !isObject(value) || Object.entries(limit).every(([name, others]) => !has(name) || others.every(has)),
    properties: () =>
      !isObject(value) || names.every((name) => !Object.hasOwn(own, name) || below(own[name], value[name])),
    additionalProperties: (limit: Schema) =>
      !isObject(value) ||
      names.every(
        (name) => Object.hasOwn(own, name) || patterns.some((one) => one.test(name)) || below(limit, value[name]),
      ),
    // Those of the specification's own schemas: 3.0 is of draft 4, and schemas inside of 3.1 may be any.
    $dynamicRef: () => true,
    patternProperties: (limit: { readonly [pattern: string]: Schema }) =>
      !isObject(value) ||
      Object.entries(limit).every(([pattern, one]) =>
        names.every((name) => !new RegExp(pattern, 'u').test(name) || below(one, value[name])),
      ),
    dependentSchemas: (limit: { readonly [name: string]: Schema }) =>
      Object.entries(limit).every(([name, one]) => !has(name) || below(one, value)),
    contains: (limit: Schema) => !Array.isArray(value) || value.some((one) => below(limit, one)),
    propertyNames: (limit: Schema) => names.every((name) => below(limit, name)),
    minProperties: (limit: number) => !isObject(value) || names.length >= limit,
    maxProperties: (limit: number) => !isObject(value) || names.length <= limit,
    allOf: () => all('allOf').every((one) => below(one, value)),
    anyOf: () => all('anyOf').some((one) => below(one, value)),
    oneOf: () => all('oneOf').filter((one) => below(one, value)).length === 1,
    not: (limit: Schema) => !below(limit, value),
    if: (limit: Schema) =>
      below(limit, value) ? below(schema['then'] ?? true, value) : below(schema['else'] ?? true, value),
  }
  const notes = new Set([
    ...[
      '$schema',
      '$id',
      'id',
      '$comment',
      '$defs',
      'definitions',
      '$anchor',
      '$dynamicAnchor',
      'components',
      'then',
      'else',
    ],
    ...[
      'title',
      'description',
      'default',
      'examples',
      'example',
      'deprecated',
      'readOnly',
      'writeOnly',
      'contentMediaType',
    ],
    // What others have looked at is not known here: those of the specification are judged a little less strictly.
    'unevaluatedProperties',
  ])
  return Object.entries(schema).every(([keyword, limit]) => {
    const rule = rules[keyword]
    if (!rule && !notes.has(keyword)) throw new Error(`${keyword} is no keyword`)
    return rule?.(limit as never) ?? true
  })
}
