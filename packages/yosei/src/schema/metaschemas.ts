/** The schemas that JSON Schema 2020-12 is described by, each by its address: data of the specification. */
import { isNamed } from '../kinds/run.js'

const base = 'https://json-schema.org/draft/2020-12'
const $schema = `${base}/schema`
const here = { $dynamicRef: '#meta' }
const all = { $ref: '#/$defs/schemaArray' }
const count = { $ref: '#/$defs/nonNegativeInteger' }
const countFromZero = { $ref: '#/$defs/nonNegativeIntegerDefault0' }
const texts = { $ref: '#/$defs/stringArray' }
const byName = { type: 'object', additionalProperties: here, default: {} }
const anchor = { $ref: '#/$defs/anchorString' }
const uri = { $ref: '#/$defs/uriString' }
const reference = { $ref: '#/$defs/uriReferenceString' }

const part = (name: string, title: string, rest: { readonly [keyword: string]: unknown }) => ({
  [`${base}/meta/${name}`]: {
    $schema,
    $id: `${base}/meta/${name}`,
    $vocabulary: { [`${base}/vocab/${name}`]: true },
    $dynamicAnchor: 'meta',
    title,
    type: ['object', 'boolean'],
    ...rest,
  },
})
const format = { properties: { format: { type: 'string' } } }
const used = ['core', 'applicator', 'unevaluated', 'validation', 'meta-data', 'format-annotation', 'content']

export const metaschemas: { readonly [uri: string]: { readonly [keyword: string]: unknown } } = {
  [$schema]: {
    $schema,
    $id: $schema,
    $vocabulary: Object.fromEntries(used.map((name) => [`${base}/vocab/${name}`, true])),
    $dynamicAnchor: 'meta',
    title: 'Core and Validation specifications meta-schema',
    allOf: used.map((name) => ({ $ref: `meta/${name}` })),
    type: ['object', 'boolean'],
    properties: {
      definitions: { ...byName, deprecated: true },
      dependencies: {
        type: 'object',
        additionalProperties: { anyOf: [here, { $ref: 'meta/validation#/$defs/stringArray' }] },
        deprecated: true,
        default: {},
      },
      $recursiveAnchor: { $ref: 'meta/core#/$defs/anchorString', deprecated: true },
      $recursiveRef: { $ref: 'meta/core#/$defs/uriReferenceString', deprecated: true },
    },
  },
  ...part('core', 'Core vocabulary meta-schema', {
    properties: {
      $id: { ...reference, $comment: 'Non-empty fragments not allowed.', pattern: '^[^#]*#?$' },
      $schema: uri,
      $ref: reference,
      $anchor: anchor,
      $dynamicRef: reference,
      $dynamicAnchor: anchor,
      $vocabulary: { type: 'object', propertyNames: uri, additionalProperties: { type: 'boolean' } },
      $comment: { type: 'string' },
      $defs: { type: 'object', additionalProperties: here },
    },
    $defs: {
      anchorString: { type: 'string', pattern: '^[A-Za-z_][-A-Za-z0-9._]*$' },
      uriString: { type: 'string', format: 'uri' },
      uriReferenceString: { type: 'string', format: 'uri-reference' },
    },
  }),
  ...part('applicator', 'Applicator vocabulary meta-schema', {
    properties: {
      prefixItems: all,
      items: here,
      contains: here,
      additionalProperties: here,
      properties: byName,
      patternProperties: { ...byName, propertyNames: { format: 'regex' } },
      dependentSchemas: byName,
      propertyNames: here,
      if: here,
      then: here,
      else: here,
      allOf: all,
      anyOf: all,
      oneOf: all,
      not: here,
    },
    $defs: { schemaArray: { type: 'array', minItems: 1, items: here } },
  }),
  ...part('unevaluated', 'Unevaluated applicator vocabulary meta-schema', {
    properties: { unevaluatedItems: here, unevaluatedProperties: here },
  }),
  ...part('validation', 'Validation vocabulary meta-schema', {
    properties: {
      type: {
        anyOf: [
          { $ref: '#/$defs/simpleTypes' },
          { type: 'array', items: { $ref: '#/$defs/simpleTypes' }, minItems: 1, uniqueItems: true },
        ],
      },
      const: true,
      enum: { type: 'array', items: true },
      multipleOf: { type: 'number', exclusiveMinimum: 0 },
      maximum: { type: 'number' },
      exclusiveMaximum: { type: 'number' },
      minimum: { type: 'number' },
      exclusiveMinimum: { type: 'number' },
      maxLength: count,
      minLength: countFromZero,
      pattern: { type: 'string', format: 'regex' },
      maxItems: count,
      minItems: countFromZero,
      uniqueItems: { type: 'boolean', default: false },
      maxContains: count,
      minContains: { ...count, default: 1 },
      maxProperties: count,
      minProperties: countFromZero,
      required: texts,
      dependentRequired: { type: 'object', additionalProperties: texts },
    },
    $defs: {
      nonNegativeInteger: { type: 'integer', minimum: 0 },
      nonNegativeIntegerDefault0: { ...count, default: 0 },
      simpleTypes: { enum: ['array', 'boolean', 'integer', 'null', 'number', 'object', 'string'] },
      stringArray: { type: 'array', items: { type: 'string' }, uniqueItems: true, default: [] },
    },
  }),
  ...part('meta-data', 'Meta-data vocabulary meta-schema', {
    properties: {
      title: { type: 'string' },
      description: { type: 'string' },
      default: true,
      deprecated: { type: 'boolean', default: false },
      readOnly: { type: 'boolean', default: false },
      writeOnly: { type: 'boolean', default: false },
      examples: { type: 'array', items: true },
    },
  }),
  ...part('format-annotation', 'Format vocabulary meta-schema for annotation results', format),
  ...part('format-assertion', 'Format vocabulary meta-schema for assertion results', format),
  ...part('content', 'Content vocabulary meta-schema', {
    properties: { contentEncoding: { type: 'string' }, contentMediaType: { type: 'string' }, contentSchema: here },
  }),
}

/** By keyword, the vocabularies that have it. */
export const vocabularies: { readonly [keyword: string]: readonly string[] | undefined } = Object.values(
  metaschemas,
).reduce<{ [keyword: string]: readonly string[] | undefined }>((found, { $id, $vocabulary, properties }) => {
  if ($id !== $schema && isNamed(properties))
    for (const keyword of Object.keys(properties))
      found[keyword] = [...(found[keyword] ?? []), ...Object.keys($vocabulary as object)]
  return found
}, {})
