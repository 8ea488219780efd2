/** The kinds that fields were declared of: a builder brings its own, so that a page has those alone that it uses. */
import { type Child, type KindTable, kindOf, type Node } from './kind.js'

/** Builders fill it. A service fills it whole. */
export const kinds = {} as KindTable

export const bring = (more: Partial<KindTable>): unknown => Object.assign(kinds, more)

/**
 * The nodes right below a node, each with its step in an address; branches of a union stand at the place of the union.
 */
export const childrenOf = (node: Node): readonly Child[] => kindOf(kinds, node).children(node)
export const shapeOf = (node: Node) => kinds[node.kind].shape
