/** Rules as JSON Schema, as far as its vocabulary goes. */
import type { Node } from '../kinds/kind.js'
import { nodesAt } from '../kinds/locate.js'
import { sentShape } from '../kinds/shape.js'
import type { AnyCondition, ConditionName, Conditions } from '../rules/condition.js'
import type { Conditional } from '../rules/needed.js'
import type { AnyRule, RuleName, Rules } from '../rules/rule.js'
import { parseAddress } from '../terms/address.js'
import { inside, type JsonSchema, present } from './schema.js'

/** What a rule is written with. */
export interface RuleWriter {
  /** The record whose fields the rule names. */
  readonly root: Node
  /** How the addresses of the rule begin that name a field of the record: `body`, or nothing. */
  readonly base: readonly string[]
  /** A field of a rule `fits`, if its schema says all of it. */
  exact(field: Node): JsonSchema | undefined
  /** Whether the value at an address is a secret. */
  isSecret(address: string): boolean
  /** Whether the value at an address may be filled in. */
  isFilled(address: string): boolean
}

/**
 * A rule as a schema of its record: it takes just what the rule takes. `undefined` if the vocabulary cannot say that.
 */
export function schemaOfRule(rule: AnyRule, writer: RuleWriter): JsonSchema | undefined {
  const own = ownSchema(rule, writer)
  if (own === undefined) return undefined
  const during = (rule.during ?? []).map((one) => schemaOfCondition(one, writer))
  if (during.includes(undefined)) return undefined
  const [first, ...more] = during as JsonSchema[]
  if (!first) return own
  return { if: more.length === 0 ? first : { allOf: [first, ...more] }, then: own }
}

type Writing<T> = (of: T, writer: RuleWriter) => JsonSchema | undefined
/** What no keyword can: compare, add, count, or ask. */
const unsayable = () => undefined

const conditional =
  (wrong: (there: JsonSchema) => JsonSchema): Writing<Conditional<'needed' | 'absent'>> =>
  ({ rule, address, when }, writer) => {
    const path = pathOf(address, writer)
    const condition = schemaOfCondition(when, writer)
    // Of a record that was not sent, a rule may ask for nothing.
    if (path?.length !== 1 || condition === undefined) return undefined
    const other = onlyRequired(condition)
    if (rule === 'needed' && other !== undefined) return { dependentRequired: { [other]: [...path] } }
    return { if: condition, then: wrong(present(path)) }
  }
/** The one name that a schema asks for, if it asks for nothing else. */
function onlyRequired(schema: JsonSchema): string | undefined {
  const { required, ...others } = schema
  const [name, ...more] = Array.isArray(required) ? (required as string[]) : []
  return more.length === 0 && Object.keys(others).length === 0 ? name : undefined
}

interface Group {
  readonly names: readonly string[]
  readonly each: readonly JsonSchema[]
}
const counted =
  (by: (group: Group) => JsonSchema): Writing<AnyRule> =>
  ({ reads }, writer) =>
    groupOf(reads, writer, by)

const rules: { readonly [R in RuleName]: Writing<Rules[R]> } = {
  needed: conditional((there) => there),
  absent: conditional((there) => ({ not: there })),
  exactlyOne: counted(({ each }) => ({ oneOf: each })),
  atLeastOne: counted(({ each }) => ({ anyOf: each })),
  atMostOne: counted(({ each }) => ({ oneOf: [...each, { not: { anyOf: each } }] })),
  together: counted(({ names }) => ({
    dependentRequired: Object.fromEntries(names.map((one) => [one, names.filter((other) => other !== one)])),
  })),
  fits({ address, field }, writer) {
    const path = pathOf(address, writer)
    const schema = path && isAsSent(writer, path) && !writer.isFilled(address) ? writer.exact(field) : undefined
    return path && schema && inside(path, schema)
  },
  acyclic: unsayable,
  among: unsayable,
  apart: unsayable,
  ascending: unsayable,
  check: unsayable,
  count: unsayable,
  differ: unsayable,
  distinct: unsayable,
  equal: unsayable,
  fill: unsayable,
  find: unsayable,
  gap: unsayable,
  inOrder: unsayable,
  openAt: unsayable,
  sumWithin: unsayable,
}
const ownSchema = (rule: AnyRule, writer: RuleWriter) =>
  (rules[rule.rule] as Writing<AnyRule> | undefined)?.(rule, writer)

/** Fields of one record, of which some are sent. */
function groupOf(
  reads: readonly string[],
  writer: RuleWriter,
  by: (group: Group) => JsonSchema,
): JsonSchema | undefined {
  const paths = reads.map((address) => pathOf(address, writer))
  const parent = paths[0]?.slice(0, -1)
  const isOne = paths.every(
    (path) => path?.length === (parent?.length ?? 0) + 1 && parent?.every((step, at) => path[at] === step),
  )
  if (!parent || !isOne) return undefined
  const names = paths.map((path) => path?.at(-1) as string)
  const schema = by({ names, each: names.map((one) => present([one])) })
  // `required` says nothing of what is no object: alternatives would all hold.
  const isObject = parent.length === 0 && !writer.root.nullable
  return inside(parent, isObject ? schema : { if: { type: 'object' }, then: schema })
}

/** A condition as a schema that holds where it does. */
const schemaOfCondition = (condition: AnyCondition, writer: RuleWriter): JsonSchema | undefined =>
  (conditions[condition.condition] as Writing<AnyCondition> | undefined)?.(condition, writer)

function compared(address: string, values: readonly unknown[], schema: JsonSchema, writer: RuleWriter) {
  const path = pathOf(address, writer)
  const isPlain = values.every((one) => typeof one === 'string' || typeof one === 'number' || typeof one === 'boolean')
  const isRead = writer.isSecret(address) || writer.isFilled(address)
  return path && isPlain && !isRead && isAsSent(writer, path) ? present(path, schema) : undefined
}
const limited =
  (keyword: string): Writing<{ readonly address: string; readonly value: unknown }> =>
  ({ address, value }, writer) =>
    typeof value === 'number' ? compared(address, [value], { [keyword]: value }, writer) : undefined
const several =
  (keyword: 'allOf' | 'anyOf'): Writing<{ readonly of: readonly AnyCondition[] }> =>
  ({ of }, writer) => {
    const all = of.map((one) => schemaOfCondition(one, writer))
    return all.includes(undefined) ? undefined : { [keyword]: all }
  }

const conditions: { readonly [C in ConditionName]: Writing<Conditions[C]> } = {
  sent({ address }, writer) {
    const path = pathOf(address, writer)
    return path && present(path)
  },
  is: ({ address, value }, writer) => compared(address, [value], { const: value }, writer),
  in: ({ address, values }, writer) => compared(address, values, { enum: values }, writer),
  above: limited('exclusiveMinimum'),
  below: limited('exclusiveMaximum'),
  all: several('allOf'),
  any: several('anyOf'),
  not({ of }, writer) {
    const schema = schemaOfCondition(of, writer)
    return schema && { not: schema }
  },
  accepts: unsayable,
  suits: unsayable,
}

/** The names from the record to an address; `undefined` if it lies elsewhere, or in elements. */
function pathOf(address: string, { base }: RuleWriter): readonly string[] | undefined {
  const path = parseAddress(address)
  if (!path || path.length <= base.length || !base.every((step, at) => path[at] === step)) return undefined
  const own = path.slice(base.length)
  return own.every((step) => typeof step === 'string') ? (own as string[]) : undefined
}

const plainKinds: ReadonlySet<string> = new Set(['text', 'integer', 'number', 'flag', 'choice', 'constant'])
/** Whether what is read at a path is what is sent there: nothing fills it, tidies it, or reads it otherwise. */
function isAsSent({ root }: RuleWriter, path: readonly string[]): boolean {
  const nodes = nodesAt(root, path)
  return (
    nodes.length > 0 &&
    nodes.every((node) => {
      const shape = sentShape(node)
      const { tidy } = shape as { readonly tidy?: readonly string[] }
      return (
        plainKinds.has(shape.kind) &&
        node.kind !== 'readAs' &&
        node.need !== 'defaulted' &&
        !shape.coerce &&
        !tidy?.length
      )
    })
  )
}
