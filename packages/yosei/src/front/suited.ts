/** Whether an intake can stand in front of a server that reads the request itself: it sees what was sent, and only that. */

import type { Unseen } from '../adapt/listenable.js'
import { type EndpointNode, rootOf } from '../declare/endpoint.js'
import type { IntakeNode } from '../declare/intake.js'
import { childrenOf } from '../kinds/brought.js'
import type { Node } from '../kinds/kind.js'
import type { AnyRule } from '../rules/rule.js'
import { formatAddress, type Path } from '../terms/address.js'
import { mistake } from '../terms/mistake.js'
import type { Mode } from '../terms/policy.js'

/**
 * The intake of a front: what it would drop is an error, and so is each name that is sent twice.
 *
 * @throws DeclarationError if it drops names that are not declared: the backend would still get them.
 */
export function suited(app: IntakeNode, observe: boolean | readonly (keyof ModeByPart)[]): IntakeNode {
  const endpoints = Object.entries(app.endpoints).map(([name, endpoint]) => {
    const { unlisted } = endpoint
    if (unlisted?.query === 'drop') refuseDropping(name, 'query', "unlisted: { query: 'refuse' }")
    if (unlisted?.body === 'drop') refuseDropping(name, 'body', "unlisted: { body: 'refuse' }")
    for (const [node, path] of nodesOf(endpoint))
      if (node.kind === 'record' && node.unlisted === 'drop' && (path[0] === 'body' || path.length > 1))
        refuseDropping(name, formatAddress(path), "unlisted: 'refuse'")
    return [name, { ...endpoint, asSent: true, uniqueNames: true, mode: observing(endpoint.mode, observe) }] as const
  })
  return { ...app, endpoints: Object.fromEntries(endpoints) }
}

function refuseDropping(endpoint: string, address: string, mend: string): never {
  return mistake(
    `front, ${endpoint}`,
    'names that are not declared are dropped, and the backend would get them nonetheless',
    `Write ${mend}`,
    { address, option: 'unlisted' },
  )
}

type ModeByPart = Exclude<EndpointNode['mode'], Mode | undefined>

function observing(own: EndpointNode['mode'], observe: Parameters<typeof suited>[1]): EndpointNode['mode'] {
  if (observe === true || own === 'observe') return 'observe'
  if (observe === false) return own
  return { ...(typeof own === 'object' ? own : {}), ...Object.fromEntries(observe.map((part) => [part, 'observe'])) }
}

/** What the backend does not see, in the order of the declaration. */
export const unseenIn = (app: IntakeNode): readonly Unseen[] =>
  Object.entries(app.endpoints).flatMap(([endpoint, one]) => {
    const found = new Map<string, Unseen>()
    const add = (path: Path, because: Unseen['because']) => {
      const address = formatAddress(path)
      const key = `${address} ${because}`
      if (!found.has(key)) found.set(key, { endpoint, address, because })
    }
    const addFills = (rules: readonly AnyRule[], base: string) => {
      for (const rule of rules)
        if (rule.rule === 'fill') {
          const address = base === '' ? rule.address : `${base}.${rule.address}`
          if (!found.has(`${address} fill`)) found.set(`${address} fill`, { endpoint, address, because: 'fill' })
        }
    }
    for (const [node, path] of nodesOf(one)) {
      if (node.need === 'defaulted') add(path, 'default')
      if (node.kind === 'text' && (node.tidy?.length ?? 0) > 0) add(path, 'tidy')
      if (node.kind === 'record' && node.rules) addFills(node.rules as readonly AnyRule[], formatAddress(path))
    }
    addFills(one.rules, '')
    return [...found.values()]
  })

/** Every field of an endpoint with its path, each declaration that holds itself once. */
function nodesOf(endpoint: EndpointNode): readonly (readonly [Node, Path])[] {
  const found: (readonly [Node, Path])[] = []
  const seen = new Set<Node>()
  const look = (node: Node, path: Path): void => {
    if (seen.has(node)) return
    seen.add(node)
    if (path.length > 0) found.push([node, path])
    for (const [step, child] of childrenOf(node)) look(child, step === undefined ? path : [...path, step])
  }
  const bodies = endpoint.bodies.length === 0 ? [undefined] : endpoint.bodies
  for (const body of bodies) look(rootOf(endpoint, body), [])
  return found
}
