/** Writes schemas, kind by kind. */

import { encode } from '../engine/interpret.js'
import { childrenOf } from '../kinds/brought.js'
import type { Kind, Kinds, Node } from '../kinds/kind.js'
import { isSecret } from '../kinds/locate.js'
import type { RecordNode } from '../kinds/record.js'
import { resolve } from '../kinds/resolve.js'
import { holdsSecret, isLarge, sentShape } from '../kinds/shape.js'
import type { TaggedNode } from '../kinds/tagged.js'
import { relativeOf, ruleWords } from '../outline/outline.js'
import { addressesIn } from '../rules/conditions.js'
import type { AnyRule } from '../rules/rule.js'
import { EACH, EACH_NAME, formatAddress, type Path, parseAddress } from '../terms/address.js'
import { readSpan } from '../terms/units.js'
import { schemaOfRule } from './rules.js'
import { type JsonSchema, orNull, type Unsaid } from './schema.js'

/** What is said of a value: what is sent, what is read, or both in one, as a description of an API has it. */
export type Side = 'sent' | 'read' | 'both'

/** JSON Schema 2020-12, or what OpenAPI 3.0 has of it. */
export type Dialect = '2020-12' | 'openapi-3.0'
/** Keywords of rules that the older dialect lacks. */
const newer = /"(?:if|dependentRequired)":/

/** Settings that records and scalars have from what is around them. */
export interface Around {
  readonly unlisted: 'refuse' | 'drop' | 'keep'
  readonly coerce: boolean
}
const usual: Around = { unlisted: 'refuse', coerce: false }

/** Formats that the vocabulary has (Validation, section 7.3), and that read the same here. */
const standardFormats: ReadonlySet<string> = new Set([
  'date-time',
  'date',
  'time',
  'email',
  'idn-email',
  'hostname',
  'idn-hostname',
  'ipv4',
  'ipv6',
  'uri',
  'uri-reference',
  'iri',
  'iri-reference',
  'uri-template',
  'uuid',
  'json-pointer',
  'relative-json-pointer',
  'regex',
  'duration',
])

type Writing<N> = (node: N, writer: SchemaWriter, path: Path) => JsonSchema

/** Writes the schemas of one document: what holds itself, or has a name, stands once. */
export class SchemaWriter {
  readonly unsaid: Unsaid[] = []
  /** By the name, and by whether text is parsed inside. */
  readonly #made = new Map<Node, Map<boolean, string>>()
  readonly #schemas = new Map<string, JsonSchema>()
  #words: string[] = []
  /** Whether text is parsed inside what is being written. */
  #coerce: boolean

  /**
   * @param reference Where a definition is found by its name.
   * @param nameOf The name of a field that stands among the definitions, if it does.
   * @param reserved Names that others have there.
   * @param dialect What the older one has no keyword for stands in words.
   */
  constructor(
    readonly side: Side,
    readonly around: Around = usual,
    readonly reference: (name: string) => string = (name) => `#/$defs/${name}`,
    readonly nameOf: (node: Node) => string | undefined = () => undefined,
    readonly reserved: ReadonlySet<string> = new Set(),
    readonly dialect: Dialect = '2020-12',
  ) {
    this.#coerce = around.coerce
  }

  definitions(): { readonly [name: string]: JsonSchema } {
    return Object.fromEntries(this.#schemas)
  }

  /** Notes what no keyword says, at a place: in the list, and in the description of the schema that is being written. */
  leave(path: Path, words: string): void {
    this.unsaid.push({ address: formatAddress(path), words })
    this.#words.push(words)
  }

  schema(node: Node, path: Path): JsonSchema {
    // What is dropped may be anything.
    if (node.readOnly && this.side === 'sent') return node.readOnly === 'drop' ? { readOnly: true } : { not: {} }
    const name = this.nameOf(node)
    if (name !== undefined) return this.#referred(node, name, path)
    if (this.#seen.has(node)) return this.refer(node, path)
    if (isLarge(node, childrenOf)) this.#seen.add(node)
    return this.#whole(node, path)
  }
  readonly #seen = new Set<Node>()

  /** A reference to what a node is, which stands among the definitions. */
  refer(node: Node, path: Path): JsonSchema {
    const name = this.nameOf(node) ?? node.name ?? 'value'
    // A name that a reference can have as it is (OpenAPI, section 4.8.7.1).
    return this.#referred(node, name.replace(/[^A-Za-z0-9._-]/g, '_'), path)
  }
  #referred(node: Node, wanted: string, path: Path): JsonSchema {
    const names = this.#made.get(node) ?? new Map<boolean, string>()
    const known = names.get(this.#coerce)
    if (known !== undefined) return { $ref: this.reference(known) }
    let name = wanted
    for (let number = 2; this.#schemas.has(name) || this.reserved.has(name); number++) name = `${wanted}-${number}`
    this.#made.set(node, names.set(this.#coerce, name))
    this.#schemas.set(name, {})
    this.#schemas.set(name, this.#whole(node, path))
    return { $ref: this.reference(name) }
  }

  #whole(node: Node, path: Path): JsonSchema {
    const outer = this.#words
    const outerCoerce = this.#coerce
    this.#words = []
    this.#coerce = node.coerce ?? outerCoerce
    const hidden = Boolean(node.secret)
    const own = hidden && holdsValues(node) ? this.#hidden(path) : this.#own(node, path)
    const words = this.#words
    this.#words = outer
    const coerced = this.#coerced(node, own, path, words)
    this.#coerce = outerCoerce
    const whole = node.nullable ? orNull(coerced) : coerced
    const about = annotations(node, words, this.side)
    // What a reader is made of has words of its own.
    const told = [about['description'], whole['description']].filter((one) => one !== undefined)
    return { ...about, ...whole, ...(told.length > 0 ? { description: told.join('\n\n') } : {}) }
  }
  #own(node: Node, path: Path): JsonSchema {
    return (writings[node.kind] as Writing<Node>)(node, this, path)
  }
  /** A secret whose values would say what it is. */
  #hidden(path: Path): JsonSchema {
    this.leave(path, 'Its values are secret.')
    return {}
  }
  #coerced(node: Node, schema: JsonSchema, path: Path, words: string[]): JsonSchema {
    if (this.side === 'read' || !this.#coerce || !parsed.has(node.kind)) return schema
    const told = 'Text is parsed too.'
    this.unsaid.push({ address: formatAddress(path), words: told })
    words.push(told)
    return { anyOf: [schema, { type: 'string' }] }
  }

  /** A record, perhaps with the tags that a union implies. */
  record(node: RecordNode, path: Path, tags: readonly (readonly [tag: string, value: string])[] = []): JsonSchema {
    const unlisted = node.unlisted ?? this.around.unlisted
    const fields = Object.entries(node.fields).flatMap(([name, one]): [string, JsonSchema][] => {
      const below = [...path, name]
      if (!one.readOnly || this.side === 'read') return [[name, this.schema(one, below)]]
      if (this.side === 'both') return [[name, { ...this.schema(one, below), readOnly: true }]]
      // What must not be sent is no name that there is.
      return one.readOnly === true && unlisted === 'refuse' ? [] : [[name, this.schema(one, below)]]
    })
    const isNeeded = (one: Node) =>
      this.side === 'read' ? needOf(one) !== 'optional' : needOf(one) === 'required' && !one.readOnly
    const required = [
      ...tags.map(([tag]) => tag),
      ...Object.entries(node.fields).flatMap(([name, one]) => (isNeeded(one) ? [name] : [])),
    ]
    const isOpen = this.side === 'read' ? unlisted === 'keep' : unlisted !== 'refuse'
    const properties = {
      ...Object.fromEntries(tags.map(([tag, value]) => [tag, { const: value }])),
      ...Object.fromEntries(fields),
    }
    return {
      type: 'object',
      properties,
      ...(required.length > 0 ? { required } : {}),
      ...(isOpen ? {} : { additionalProperties: false }),
      ...this.rules((node.rules ?? []) as readonly AnyRule[], node, [], path),
    }
  }

  /** The rules of a record, as far as they can be said of it alone. */
  rules(rules: readonly AnyRule[], root: Node, base: readonly string[], path: Path): JsonSchema {
    const filled = new Set(rules.flatMap((rule) => (rule.rule === 'fill' ? [rule.address] : [])))
    const said = rules.flatMap((rule): JsonSchema[] => {
      if (rule.rule === 'fill' || rule.mode === 'observe' || this.side === 'read') return []
      const schema = schemaOfRule(rule, {
        root,
        base,
        exact: (field) => exactSchema(field, this.around),
        isSecret: (address) => isSecret(root, (parseAddress(address) ?? []).slice(base.length)),
        isFilled: (address) => filled.has(address),
      })
      const isSayable = this.dialect === '2020-12' || !newer.test(JSON.stringify(schema))
      if (schema && isSayable) return [schema]
      this.leave(path, sentence(ruleWords(rule, root)))
      return []
    })
    return said.length > 0 ? { allOf: said } : {}
  }

  /** A body with the rules of its endpoint that read nothing else. */
  body(node: Node, rules: readonly AnyRule[]): JsonSchema {
    const schema = this.schema(node, ['body'])
    const outer = this.#words
    this.#words = []
    const { allOf = [] } = this.rules(rules.filter(isOfBody), node, ['body'], ['body'])
    const told = [schema['description'], ...new Set(this.#words)].filter((one) => one !== undefined)
    this.#words = outer
    const all = [...((schema['allOf'] ?? []) as readonly unknown[]), ...(allOf as readonly unknown[])]
    return {
      ...schema,
      ...(told.length > 0 ? { description: told.join('\n\n') } : {}),
      ...(all.length > 0 ? { allOf: all } : {}),
    }
  }

  tagged({ tag, branches }: TaggedNode, path: Path, tags: readonly (readonly [string, string])[] = []): JsonSchema {
    return {
      oneOf: Object.entries(branches).map(([value, branch]) => {
        const shape = sentShape(branch)
        const implied = [...tags, [tag, value] as const]
        return shape.kind === 'tagged'
          ? this.tagged(shape, path, implied)
          : { title: value, ...this.record(shape as RecordNode, path, implied) }
      }),
    }
  }
}

/** Whether a rule is about a body, and about nothing else. */
export const isOfBody = ({ reads, blames, during = [] }: AnyRule): boolean =>
  [...reads, ...blames, ...during.flatMap(addressesIn)].every((address) => /^body\b/.test(address))

/** Whether a value must be there: what is made later says so itself. */
const needOf = (node: Node): Node['need'] =>
  node.kind === 'later' && node.need !== 'optional' ? needOf(resolve(node)) : node.need

const sentence = (words: string) => `${words.charAt(0).toUpperCase()}${words.slice(1)}.`
/** Kinds that text is parsed for. */
const parsed: ReadonlySet<Kind> = new Set<Kind>(['integer', 'number', 'bigInteger', 'flag', 'constant', 'choice'])
const holdsValues = ({ kind }: Node) =>
  kind === 'choice' || kind === 'constant' || kind === 'either' || kind === 'tagged'

/** A schema that says all of a field; `undefined` if there is none. */
function exactSchema(field: Node, around: Around): JsonSchema | undefined {
  const writer = new SchemaWriter('sent', around)
  const schema = writer.schema(field, [])
  // Of a record that must fit, some fields alone may be named.
  const isPlain = sentShape(field).kind !== 'record' && !holdsSecret(field, childrenOf)
  return isPlain && writer.unsaid.length === 0 && Object.keys(writer.definitions()).length === 0 ? schema : undefined
}

/** Of a secret nothing that says what it is. */
function annotations(node: Node, words: readonly string[], side: Side): JsonSchema {
  const { title, description, deprecated, examples, secret } = node
  const told = [...(description === undefined ? [] : [description]), ...new Set(words)]
  const isShown = !secret && !holdsSecret(node, childrenOf)
  const fallback = node.default
  return {
    ...(title === undefined ? {} : { title }),
    ...(told.length === 0 ? {} : { description: told.join('\n\n') }),
    ...(fallback === undefined || typeof fallback === 'function' || !isShown || side === 'read'
      ? {}
      : { default: asJson(encode(node, fallback)) }),
    ...(examples && isShown && side !== 'read' ? { examples: examples.map(asJson) } : {}),
    ...(deprecated ? { deprecated: true } : {}),
    ...(secret && side !== 'read' ? { writeOnly: true } : {}),
  }
}
const asJson = (value: unknown): unknown =>
  JSON.parse(JSON.stringify(value, (_, one) => (typeof one === 'bigint' ? String(one) : one)) ?? 'null')

/** A pattern as the vocabulary has it: with the flag `u`, and no other (Core, section 6.4). */
function patternOf({ source, flags }: RegExp): string | undefined {
  if (/[gimsvy]/.test(flags)) return undefined
  try {
    new RegExp(source, 'u')
  } catch {
    return undefined
  }
  // Without the flag, what is counted are halves of characters.
  const counted = /(?:\.|\[\^(?:[^\]\\]|\\.)*\]|\\[DSWP])(?![*+])/
  return flags.includes('u') || !counted.test(source) ? source : undefined
}

type Limits<T> = { readonly min?: T; readonly max?: T; readonly above?: T; readonly below?: T; readonly step?: T }
const limited = ({ min, max, above, below, step }: Limits<number>): JsonSchema => ({
  ...(min === undefined ? {} : { minimum: min }),
  ...(max === undefined ? {} : { maximum: max }),
  ...(above === undefined ? {} : { exclusiveMinimum: above }),
  ...(below === undefined ? {} : { exclusiveMaximum: below }),
  ...(step === undefined ? {} : { multipleOf: step }),
})
/** Limits that stand beside a text. */
function leaveLimits(node: Node, names: readonly string[], writer: SchemaWriter, path: Path): void {
  const words: { readonly [name: string]: string } = {
    min: 'At least',
    max: 'At most',
    above: 'More than',
    below: 'Less than',
    step: 'In steps of',
    digits: 'Digits, at most:',
    from: 'Not before',
    until: 'Not after',
  }
  const relative: { readonly [name: string]: string | undefined } = { ...relativeOf(node) }
  for (const name of names) {
    const { [name]: limit }: { readonly [name: string]: unknown } = { ...node }
    if (limit === undefined) continue
    const shown = relative[name] ?? (limit instanceof Date ? limit.toISOString() : String(limit))
    writer.leave(path, `${words[name]} ${shown}.`)
  }
}
const counted = (length: readonly [number, number] | undefined, least: string, most: string): JsonSchema => ({
  ...(length && length[0] > 0 ? { [least]: length[0] } : {}),
  ...(length && length[1] < Number.POSITIVE_INFINITY ? { [most]: length[1] } : {}),
})

const safe = Number.MAX_SAFE_INTEGER
const timeOfDayPattern = '^(?:[01][0-9]|2[0-3]):[0-5][0-9](?::[0-5][0-9])?$'
const durationPattern =
  '^P(?:[0-9]+W|(?=[0-9T])(?:[0-9]+D)?(?:T(?=[0-9])(?:[0-9]+H)?(?:[0-9]+M)?(?:[0-9]+(?:[.,][0-9]+)?S)?)?)$'
const integerPattern = '^-?(?:0|[1-9][0-9]*)$'

const writings: { readonly [K in Kind]: Writing<Kinds[K]> } = {
  text(node, writer, path) {
    const { length, pattern, format, tidy = [] } = node
    const isRead = writer.side === 'read'
    if (tidy.length > 0 && !isRead) {
      const limits = [
        ...(length ? [`${length[0]} to ${length[1]} characters`] : []),
        ...(pattern ? [`like ${pattern.source}`] : []),
        ...(format ? [format] : []),
      ]
      if (limits.length > 0) writer.leave(path, `When it is tidied (${tidy.join(', ')}): ${limits.join(', ')}.`)
      return { type: 'string' }
    }
    const source = pattern && patternOf(pattern)
    if (pattern && source === undefined) writer.leave(path, `Like ${pattern}.`)
    if (format && (!standardFormats.has(format) || format === 'duration')) writer.leave(path, `In the form ${format}.`)
    return {
      type: 'string',
      ...counted(length, 'minLength', 'maxLength'),
      ...(source === undefined ? {} : { pattern: source }),
      ...(format && format !== 'duration' ? { format } : {}),
    }
  },
  integer(node) {
    const { min, max, above, below } = node
    return {
      type: 'integer',
      ...(min === undefined && above === undefined ? { minimum: -safe } : {}),
      ...(max === undefined && below === undefined ? { maximum: safe } : {}),
      ...limited(node),
    }
  },
  number: (node) => ({ type: node.whole ? 'integer' : 'number', ...limited(node) }),
  bigInteger(node, writer, path) {
    leaveLimits(node, ['min', 'max', 'above', 'below', 'step'], writer, path)
    const asText = { type: 'string', pattern: integerPattern, maxLength: 1000 }
    if (writer.side === 'read') return asText
    return { anyOf: [{ type: 'integer', minimum: -safe, maximum: safe }, asText] }
  },
  decimal(node, writer, path) {
    leaveLimits(node, ['min', 'max', 'digits'], writer, path)
    const { scale } = node
    const behind = scale === undefined ? '(?:\\.[0-9]+)?' : scale === 0 ? '' : `(?:\\.[0-9]{1,${scale}})?`
    const asText = { type: 'string', pattern: `^-?(?:0|[1-9][0-9]*)${behind}$` }
    return node.numbers && writer.side !== 'read' ? { anyOf: [{ type: 'number' }, asText] } : asText
  },
  flag: () => ({ type: 'boolean' }),
  instant(node, writer, path) {
    leaveLimits(node, ['from', 'until'], writer, path)
    if (writer.side === 'read' || node.zone === undefined) return { type: 'string', format: 'date-time' }
    writer.leave(path, `A date-time; without an offset, in ${node.zone}.`)
    return { type: 'string' }
  },
  day(node, writer, path) {
    leaveLimits(node, ['from', 'until', 'weekdays'], writer, path)
    return { type: 'string', format: 'date' }
  },
  timeOfDay(node, writer, path) {
    leaveLimits(node, ['from', 'until'], writer, path)
    return { type: 'string', pattern: timeOfDayPattern }
  },
  duration(node, writer, path) {
    const { min, max } = node
    if (writer.side === 'read')
      return {
        type: 'integer',
        minimum: min === undefined ? 0 : readSpan(min),
        maximum: max === undefined ? safe : readSpan(max),
      }
    leaveLimits(node, ['min', 'max'], writer, path)
    writer.leave(path, 'An ISO 8601 duration of at most 2^53−1 milliseconds.')
    return { type: 'string', pattern: durationPattern }
  },
  choice({ values }) {
    const types = new Set(values.map((one) => (typeof one === 'string' ? 'string' : 'number')))
    const [type] = types
    return { ...(types.size === 1 ? { type } : {}), enum: values }
  },
  constant: ({ value }) => ({ const: value }),
  list({ item, length, distinct }, writer, path) {
    const isExact = plainItems.has(item.kind) && !(item as { tidy?: readonly string[] }).tidy?.length && !item.coerce
    if (distinct === true && !isExact) writer.leave(path, 'No two elements are the same.')
    if (typeof distinct === 'string') writer.leave(path, `No two elements have the same ${distinct}.`)
    return {
      type: 'array',
      items: writer.schema(item, [...path, EACH]),
      ...counted(length, 'minItems', 'maxItems'),
      ...(distinct === true ? { uniqueItems: true } : {}),
    }
  },
  tuple({ items }, writer, path) {
    if (writer.dialect === 'openapi-3.0') writer.leave(path, `A value of its own for each of ${items.length} places.`)
    return {
      type: 'array',
      prefixItems: items.map((item, index) => writer.schema(item, [...path, index])),
      items: false,
      minItems: items.length,
    }
  },
  record: (node, writer, path) => writer.record(node, path),
  table({ value, length, names }, writer, path) {
    const source = names && writer.dialect === '2020-12' ? patternOf(names) : undefined
    if (names && source === undefined) writer.leave(path, `Names are like ${names}.`)
    return {
      type: 'object',
      additionalProperties: writer.schema(value, [...path, EACH_NAME]),
      ...(source === undefined ? {} : { propertyNames: { pattern: source } }),
      ...counted(length, 'minProperties', 'maxProperties'),
    }
  },
  tagged: (node, writer, path) => writer.tagged(node, path),
  either: ({ branches }, writer, path) => ({ anyOf: branches.map((branch) => writer.schema(branch, path)) }),
  later(node, writer, path) {
    writer.leave(path, 'Nested to 64 levels at most.')
    return writer.refer(resolve(node), path)
  },
  readAs({ base, code }, writer, path) {
    writer.leave(
      path,
      writer.side === 'read' ? 'What a reader makes of it.' : `Read further; the code is ${code} if that fails.`,
    )
    return writer.side === 'read' ? {} : writer.schema(base, path)
  },
  anything(_, writer, path) {
    writer.leave(path, 'Nested to 64 levels at most.')
    return {}
  },
  schema({ judge, base }, writer, path) {
    if (base && judge.isRest) return { allOf: [writer.schema(base, path), judge.document as JsonSchema] }
    writer.leave(path, 'Nested to 64 levels at most.')
    return judge.document as JsonSchema
  },
  file({ bytes, types }, writer, path) {
    const words = [
      'A file',
      ...(types ? [`of ${types.join(', ')}`] : []),
      ...(bytes === undefined ? [] : [`up to ${bytes}`]),
    ]
    writer.leave(path, `${words.join(', ')}.`)
    return writer.side === 'both' ? { contentMediaType: 'application/octet-stream' } : {}
  },
}
/** Kinds whose values are the same just when their JSON is. */
const plainItems: ReadonlySet<Kind> = new Set<Kind>(['text', 'integer', 'number', 'choice', 'flag', 'day', 'constant'])
