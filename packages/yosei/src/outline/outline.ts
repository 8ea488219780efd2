/** Declarations as plain JSON: what every reader uses that is not on the hot path. */

import { type EndpointNode, endpointNode, rootOf } from '../declare/endpoint.js'
import { intakeNode, isIntake } from '../declare/intake.js'
import { encode } from '../engine/interpret.js'
import { writeInstant } from '../grammar/times.js'
import { childrenOf } from '../kinds/brought.js'
import type { Node } from '../kinds/kind.js'
import { isSecret, nodesAt } from '../kinds/locate.js'
import type { RecordNode } from '../kinds/record.js'
import { resolve } from '../kinds/resolve.js'
import { holdsSecret, isLarge } from '../kinds/shape.js'
import { ruleInService, ruleOf } from '../rules/brought.js'
import type { AnyCondition } from '../rules/condition.js'
import { addressesIn, conditionMaker } from '../rules/conditions.js'
import { areTimes, measuresAt } from '../rules/measure.js'
import type { AnyRule } from '../rules/rule.js'
import { type Path, parseAddress } from '../terms/address.js'
import type { Endpoint, Intake } from '../terms/endpoint.js'
import { languagesOf } from '../words/languages.js'
import { wordFault } from '../words/messages.js'
import type { EndpointOutline, IntakeOutline, Json, KindName } from './types.js'

type JsonObject = { readonly [name: string]: Json }

/**
 * An endpoint or an intake as plain JSON: kinds, limits, annotations, rules as data and in words. Its shape stays.
 *
 * @example
 * JSON.stringify(outline(app), null, 2)
 */
export function outline(of: Intake): IntakeOutline
export function outline(of: Endpoint): EndpointOutline
export function outline(of: Endpoint | Intake): EndpointOutline | IntakeOutline
export function outline(of: Endpoint | Intake): EndpointOutline | IntakeOutline {
  if (!isIntake(of)) return outlineEndpoint(endpointNode(of as Endpoint))
  const { endpoints, title, version, base, limits, statuses, languages } = intakeNode(of)
  return {
    ...plain({ title, version, base, limits, statuses }),
    languages: languagesOf(languages),
    endpoints: Object.fromEntries(Object.entries(endpoints).map(([name, one]) => [name, outlineEndpoint(one)])),
  }
}

/**
 * Whether the value at an address of an endpoint is a secret, lies in one, or holds one. An undeclared address counts
 * as a secret.
 */
export function isSecretAt(endpoint: Endpoint, address: string): boolean {
  const node = endpointNode(endpoint)
  const path = parseAddress(address)
  const bodies = node.bodies.length === 0 ? [undefined] : node.bodies
  const found = path ? bodies.flatMap((body) => nodesAt(rootOf(node, body), path)) : []
  return (
    found.length === 0 ||
    found.some((one) => holdsSecret(one, childrenOf)) ||
    bodies.some((body) => isSecret(rootOf(node, body), path as Path))
  )
}

function outlineEndpoint(endpoint: EndpointNode): EndpointOutline {
  const {
    segments: _,
    origin: __,
    path,
    query,
    header,
    cookie,
    bodies,
    who,
    attest,
    may,
    gives,
    rules,
    lookups,
    ...rest
  } = endpoint
  const { field, definitions } = outliner()
  const part = ({ fields }: RecordNode) => mapValues(fields, (one) => field(one))
  const root = rootOf(endpoint)
  const whole = {
    ...plain(rest),
    path: part(path),
    query: part(query),
    header: part(header),
    cookie: part(cookie),
    body: Object.fromEntries(bodies.map(({ mediaType, node }) => [mediaType, field(node)])),
    ...(who ? { who: field(who) } : {}),
    ...(gives ? { gives: field(gives) } : {}),
    ...(attest ? { attested: true } : {}),
    ...(may ? { may: toJson(may, (one) => concealed(one, root)) } : {}),
    rules: outlineRules(rules, root),
    lookups: mapValues(lookups, ({ follows = {}, ...lookup }) => ({
      ...plain(lookup, (one) => concealed(one, root)),
      ...(Object.keys(follows).length > 0 ? { follows: Object.keys(follows) } : {}),
    })),
  }
  const found = definitions.size > 0 ? { ...whole, definitions: Object.fromEntries(definitions) } : whole
  // Its parts are built as JSON: a test holds each against its type.
  return found as unknown as EndpointOutline
}

const outlineRules = (rules: readonly AnyRule[], root: Node): Json =>
  rules.map((rule) => ({
    ...plain(toldOf(rule, root), (one) => concealed(one, root)),
    waits: ruleOf(rule).waits(rule),
    words: ruleWords(rule, root),
  }))

/** A rule without the field that a secret must fit: that may say what the secret is. */
function toldOf(rule: AnyRule, root: Node): object {
  if (rule.rule !== 'fits' || !isSecret(root, pathOf(rule.address))) return rule
  const { field: _, ...told } = rule
  return told
}

const pathOf = (address: string) => parseAddress(address) as Path

/** A condition on a secret, without what the secret is compared with. */
function concealed(of: unknown, root: Node): JsonObject | undefined {
  if (typeof of !== 'object' || of === null || !('condition' in of && 'address' in of)) return undefined
  const { condition, address } = of as { condition: string; address: string }
  return isSecret(root, pathOf(address)) ? { condition, address } : undefined
}

/** What a field says of its values: of a secret nothing. */
const ofValues = /* @__PURE__ */ new Set(['default', 'examples', 'value', 'values', 'titles', 'branches', 'judge'])

/** Outlines fields; declarations that hold themselves stand there once, and are referred to by name. */
function outliner() {
  const names = new Map<Node, string>()
  const definitions = new Map<string, Json>()
  const seen = new Set<Node>()

  function field(node: Node, isHidden = false): JsonObject {
    if (!isHidden && isLarge(node, childrenOf)) {
      if (seen.has(node)) return { kind: 'later', need: node.need, of: reference(node) }
      seen.add(node)
    }
    return whole(node, isHidden)
  }

  function whole(node: Node, isHidden: boolean): JsonObject {
    if (node.kind === 'later') return { ...plain(node), ...(isHidden ? {} : { of: reference(resolve(node)) }) }
    const hides = isHidden || Boolean(node.secret)
    const children = new Set<unknown>(childrenOf(node).map(([, child]) => child))
    const shown = hides
      ? Object.fromEntries(Object.entries(node).filter(([name]) => !ofValues.has(name)))
      : asSent(node)
    const kind: KindName = node.kind
    const own = {
      kind,
      ...plain(shown, (value) => (children.has(value) ? field(value as Node, hides) : undefined)),
      ...relativeIn(node),
    }
    return node.kind === 'record' && node.rules
      ? { ...own, rules: outlineRules(node.rules as readonly AnyRule[], node) }
      : own
  }

  function reference(node: Node): string {
    const known = names.get(node)
    if (known !== undefined) return known
    const own = node.name ?? 'value'
    const taken = new Set(names.values())
    let name = own
    for (let number = 2; taken.has(name); number++) name = `${own}-${number}`
    names.set(node, name)
    definitions.set(name, whole(node, false))
    return name
  }

  return { field, definitions }
}

/** A field whose default is in the form that is sent: `PT5M`, and not its milliseconds. */
const asSent = (node: Node): object =>
  node.kind === 'schema'
    ? { ...node, judge: undefined, schema: node.judge.document }
    : node.default === undefined || typeof node.default === 'function'
      ? node
      : { ...node, default: encode(node, node.default) }

const units: { readonly [unit: string]: string } = {
  ms: 'millisecond',
  s: 'second',
  m: 'minute',
  h: 'hour',
  d: 'day',
  mo: 'month',
  y: 'year',
}

/** The limits that count from now, in words: `36 hours from now`, `18 years ago`. */
export function relativeOf(node: Node): { readonly from?: string; readonly until?: string } {
  if (node.kind !== 'instant' && node.kind !== 'day') return {}
  const words = (['from', 'until'] as const).flatMap((name): [string, string][] => {
    const limit = node[name]
    const [, sign, count, unit] = /^([+-])(\d+(?:\.\d+)?)(ms|s|m|h|d|mo|y)$/.exec(String(limit)) ?? []
    if (count === undefined || unit === undefined) return []
    const span = `${count} ${units[unit]}${count === '1' ? '' : 's'}`
    const now = node.kind === 'day' ? 'today' : 'now'
    return [[name, Number(count) === 0 ? now : sign === '-' ? `${span} ago` : `${span} from ${now}`]]
  })
  return Object.fromEntries(words)
}
const relativeIn = (node: Node): JsonObject => {
  const relative = relativeOf(node)
  return Object.keys(relative).length === 0 ? {} : { relative }
}

const mapValues = <T>(values: { readonly [name: string]: T }, map: (value: T) => Json): JsonObject =>
  Object.fromEntries(Object.entries(values).map(([name, value]) => [name, map(value)]))

/** What JSON can carry of an object: patterns as their source, dates and big integers as text, functions not at all. */
function plain(of: object, child: (value: unknown) => JsonObject | undefined = () => undefined): JsonObject {
  const entries = Object.entries(of).flatMap(([name, value]): [string, Json][] => {
    if (typeof value === 'function') return name === 'default' ? [['computed', true]] : []
    return value === undefined ? [] : [[name, toJson(value, child)]]
  })
  return Object.fromEntries(entries)
}

function toJson(value: unknown, child: (value: unknown) => JsonObject | undefined): Json {
  const known = child(value)
  if (known) return known
  if (typeof value === 'bigint') return String(value)
  if (value instanceof Date) return writeInstant(value)
  if (value instanceof RegExp) return value.source
  if (Array.isArray(value)) return value.map((one) => toJson(one, child))
  return typeof value === 'object' && value !== null ? plain(value, child) : (value as Json)
}

/** A rule as the sentence that its error would be. */
export function ruleWords(rule: AnyRule, root: Node): string {
  const { code, variant, about, at } = ruleInService(rule).sentence(rule, {
    isTime: (address) => measuresAt(root, pathOf(address)).some((measure) => areTimes.includes(measure)),
    isSecret: (address) => isSecret(root, pathOf(address)),
  })
  const all = `${at.join(' and ')} ${wordFault({ path: [], stage: 'rules', code, variant, messages: rule.message, about })}`
  const by = 'by' in rule ? rule.by : undefined
  const words = by
    ? wordFault({ path: [], stage: 'rules', code: 'rule', variant: 'by', about: { words: all, addresses: by } })
    : all
  // Of a condition on a secret not even the words are reported.
  const during = (rule.during ?? []).filter(
    (one) => !addressesIn(one).some((address) => isSecret(root, pathOf(address))),
  )
  const [when, ...more] = during
  if (!when) return words
  const whole = more.length > 0 ? (conditionMaker.all(...during) as AnyCondition) : when
  return wordFault({ path: [], stage: 'rules', code: 'rule', variant: 'while', about: { words, when: whole } })
}
