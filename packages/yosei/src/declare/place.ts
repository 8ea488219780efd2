/** The rules of an endpoint, each where it applies: its own, and those that its records bring. */
import type { Path } from './address.js'
import { EACH } from './address.js'
import { oncePerBody, rootOf } from './endpoint.js'
import { mistake } from './mistake.js'
import { childrenOf, type Node, sentShape } from './node.js'
import type { PlacedRule } from './rules.js'

/** The rules that hold for a body of one media type. */
export const placedRules = oncePerBody((endpoint, body): readonly PlacedRule[] => [
  ...placesIn(rootOf(endpoint, body), [], [], `${endpoint.method} ${endpoint.template}`),
  ...endpoint.rules.map((rule) => ({ rule, base: [], guards: [] })),
])

type Guards = PlacedRule['guards']

function placesIn(node: Node, base: Path, guards: Guards, where: string): PlacedRule[] {
  if (!bringsRules(node)) return []
  switch (node.kind) {
    case 'record': {
      const own = (node.rules ?? []).map((rule) => ({ rule, base, guards }))
      return [...own, ...Object.entries(node.fields).flatMap(([name, field]) => placesIn(field, [...base, name], guards, where))]
    }
    case 'list':
      return placesIn(node.item, [...base, EACH], guards, where)
    case 'tuple':
      return node.items.flatMap((item, index) => placesIn(item, [...base, index], guards, where))
    case 'tagged':
      return Object.entries(node.branches).flatMap(([value, branch]) =>
        placesIn(sentShape(branch), base, [...guards, { path: [...base, node.tag], value }], where),
      )
    default:
      return mistake(
        `${where}, ${base.join('.')}`,
        `the rules of a record in ${node.kind}() have no place of their own`,
        'Give the rules to the endpoint',
      )
  }
}

function bringsRules(node: Node, seen = new Set<Node>()): boolean {
  if (seen.has(node)) return false
  seen.add(node)
  if (node.kind === 'record' && node.rules?.length) return true
  return childrenOf(node).some(([, child]) => bringsRules(child, seen))
}
