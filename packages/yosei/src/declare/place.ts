/** The rules of an endpoint, each where it applies: its own, and those that its records bring. */

import { childrenOf } from '../kinds/brought.js'
import type { Node } from '../kinds/kind.js'
import { isSecret } from '../kinds/locate.js'
import { holdsRules, sentShape } from '../kinds/shape.js'
import type { AnyRule } from '../rules/rule.js'
import { type PlacedRule, placeRule } from '../rules/rules.js'
import { EACH, EACH_NAME, formatAddress, type Path, parseAddress } from '../terms/address.js'
import { mistake } from '../terms/mistake.js'
import type { Part } from '../terms/parts.js'
import { type BodyNode, type EndpointNode, oncePerBody, rootOf } from './endpoint.js'

/** A declaration whose records with rules lie where only a value tells: in a union, or in one that holds itself. */
interface Unplaced {
  readonly node: Node
  readonly base: Path
  readonly guards: PlacedRule['guards']
}
export interface Placed {
  /** Declares the parts. */
  readonly root: Node
  readonly rules: readonly PlacedRule[]
  readonly unplaced: readonly Unplaced[]
}

/** The rules that hold for a body of one media type. */
export const placedRules = oncePerBody((endpoint, body): Placed => {
  const { root, rules, unplaced } = placeIn(rootOf(endpoint, body))
  return { root, rules: [...rules, ...endpoint.rules.map((rule) => placeRule(rule, root, [], []))], unplaced }
})

/** The rules that hold for a body of one media type; those that read only some parts, if not all parts are judged. */
export const placedOn = (
  endpoint: EndpointNode,
  body: BodyNode | undefined,
  parts: readonly Part[] | undefined,
): Placed => {
  const placed = placedRules(endpoint, body)
  if (!parts) return placed
  const { root, rules, unplaced } = placed
  return {
    root,
    rules: rules.filter(({ rule, base }) =>
      rule.reads.every((address) => parts.includes((base[0] ?? parseAddress(address)?.[0]) as Part)),
    ),
    unplaced: unplaced.filter(({ base }) => parts.includes(base[0] as Part)),
  }
}

const placed = new WeakMap<Node, Placed>()
/** The rules that a declaration brings, as those of a body of it alone. */
export function placedIn(node: Node): Placed {
  const known = placed.get(node) ?? placeIn({ kind: 'record', need: 'required', fields: { body: node } })
  placed.set(node, known)
  return known
}

/** The rules of the records in a declaration, each where it applies. */
function placeIn(root: Node): Placed {
  const rules: PlacedRule[] = []
  const unplaced: Unplaced[] = []
  const look = (node: Node, base: Path, guards: PlacedRule['guards']): void => {
    if (!bringsRules(node)) return
    if (node.kind === 'either' || node.kind === 'later') unplaced.push({ node, base, guards })
    else if (node.kind === 'tagged')
      for (const [value, branch] of Object.entries(node.branches))
        look(sentShape(branch), base, [...guards, { path: [...base, node.tag], value }])
    else {
      if (node.kind === 'record') {
        const own = guards.length > 0 ? rootAt(root, base, node) : root
        for (const rule of rulesOf(node)) rules.push(placeRule(rule, own, base, guards))
      }
      for (const [step, child] of childrenOf(node)) if (step !== undefined) look(child, [...base, step], guards)
    }
  }
  look(root, [], [])
  return { root, rules, unplaced }
}

/**
 * Every rule once, if it first applies, for a declaration to be compared with.
 *
 * @throws DeclarationError if a rule stands behind a reader, whose values have no addresses.
 */
export function everyRule(endpoint: EndpointNode, body: BodyNode | undefined): readonly PlacedRule[] {
  const { root, rules, unplaced } = placedRules(endpoint, body)
  const seen = new Set<Node>()
  const found: PlacedRule[] = []
  const look = (node: Node, base: Path): void => {
    if (seen.has(node) || !bringsRules(node)) return
    seen.add(node)
    if (node.kind === 'readAs')
      mistake(
        `${endpoint.method} ${endpoint.template}, ${formatAddress(base)}`,
        'the rules of a record in readAs() have no place of their own',
        'Give the rules to the endpoint',
      )
    if (node.kind === 'record' && base.length > 0)
      for (const rule of rulesOf(node))
        if (!isPlaced(rule)) found.push(placeRule(rule, rootAt(root, base, node), base, []))
    for (const [step, child] of childrenOf(node)) look(child, step === undefined ? base : [...base, step])
  }
  const placed = new Set(rules.map(({ rule }) => rule))
  const isPlaced = (rule: AnyRule) => placed.has(rule)
  look(root, [])
  for (const { node, base } of unplaced) look(node, base)
  return [...rules, ...found]
}

export const rulesOf = (node: Node & { readonly kind: 'record' }): readonly AnyRule[] =>
  (node.rules ?? []) as readonly AnyRule[]

/** Whether a record with rules lies anywhere in it. */
export const bringsRules = (node: Node): boolean => holdsRules(node, childrenOf)

const roots = new WeakMap<Node, Map<string, Node>>()
/** A root in which a record alone stands at its place, and none of what else a union may have there. */
export function rootAt(root: Node, base: Path, record: Node): Node {
  const known = roots.get(record) ?? new Map<string, Node>()
  roots.set(record, known)
  const name = formatAddress(base)
  const found = known.get(name) ?? makeRoot(root, base, record)
  known.set(name, found)
  return found
}

function makeRoot(root: Node, base: Path, record: Node): Node {
  const alone = base.reduceRight((node: Node, key): Node => {
    if (key === EACH) return { kind: 'list', need: 'required', item: node }
    if (key === EACH_NAME) return { kind: 'table', need: 'required', value: node }
    if (typeof key === 'string') return { kind: 'record', need: 'required', fields: { [key]: node } }
    return { kind: 'tuple', need: 'required', items: [...Array.from({ length: key }, () => nothing), node] }
  }, record)
  return isSecret(root, base) ? { ...alone, secret: true } : alone
}
const nothing: Node = { kind: 'anything', need: 'optional' }

/** The way to the list of a body whose elements are judged each alone: through records. */
export const piecewiseAt = oncePerBody((endpoint: EndpointNode, body: BodyNode | undefined) => ({
  path: body && !endpoint.asSent ? listIn(body.node, ['body'], new Set()) : undefined,
}))
/** Each node is looked at once: declarations may share many. */
function listIn(node: Node, path: Path, seen: Set<Node>): Path | undefined {
  if (node.kind === 'list' && node.piecewise) return path
  if (node.kind !== 'record' || seen.has(node)) return undefined
  seen.add(node)
  for (const [name, field] of Object.entries(node.fields)) {
    const found = listIn(field, [...path, name], seen)
    if (found) return found
  }
  return undefined
}
