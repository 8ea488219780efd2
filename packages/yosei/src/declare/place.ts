/** The rules of an endpoint, each where it applies: its own, and those that its records bring. */

import type { Node } from '../kinds/kind.js'
import { childrenOf } from '../kinds/kinds.js'
import { sentShape } from '../kinds/shape.js'
import type { AnyRule } from '../rules/rule.js'
import { type PlacedRule, placeRule } from '../rules/rules.js'
import { EACH_NAME, formatAddress, type Path } from '../terms/address.js'
import { mistake } from '../terms/mistake.js'
import { oncePerBody, rootOf } from './endpoint.js'

/** The rules that hold for a body of one media type. */
export const placedRules = oncePerBody((endpoint, body): readonly PlacedRule[] => [
  ...placesIn(rootOf(endpoint, body), [], [], `${endpoint.method} ${endpoint.template}`),
  ...endpoint.rules.map((rule) => placeRule(rule, [], [])),
])

type Guards = PlacedRule['guards']

function placesIn(node: Node, base: Path, guards: Guards, where: string): PlacedRule[] {
  if (!bringsRules(node)) return []
  if (node.kind === 'tagged')
    return Object.entries(node.branches).flatMap(([value, branch]) =>
      placesIn(sentShape(branch), base, [...guards, { path: [...base, node.tag], value }], where),
    )
  const own =
    node.kind === 'record'
      ? ((node.rules ?? []) as readonly AnyRule[]).map((rule) => placeRule(rule, base, guards))
      : []
  const below = childrenOf(node).flatMap(([step, child]) => {
    if (step !== undefined && step !== EACH_NAME) return placesIn(child, [...base, step], guards, where)
    if (!bringsRules(child)) return []
    const what = `the rules of a record in ${node.kind}() have no place of their own`
    return mistake(`${where}, ${formatAddress(base)}`, what, 'Give the rules to the endpoint')
  })
  return [...own, ...below]
}

function bringsRules(node: Node, seen = new Set<Node>()): boolean {
  if (seen.has(node)) return false
  seen.add(node)
  if (node.kind === 'record' && (node.rules?.length ?? 0) > 0) return true
  return childrenOf(node).some(([, child]) => bringsRules(child, seen))
}
