/** The kinds that fields were declared of: a builder brings its own, so that a page has those alone that it uses. */
import { bringWords } from '../catalogue/spoken.js'
import { type Child, type Kind, type KindTable, kindOf, type Measure, type Node } from './kind.js'

/** Builders fill it. A service fills it whole. */
export const kinds = {} as KindTable

/** Brings kinds, with their words. */
export function bring(more: Partial<KindTable>): void {
  for (const [name, kind] of Object.entries(more)) {
    if (kinds[name as Kind] === kind) continue
    Object.assign(kinds, { [name]: kind })
    if (kind.words) bringWords(kind.words)
  }
}

/**
 * The nodes right below a node, each with its step in an address; branches of a union stand at the place of the union.
 */
export const childrenOf = (node: Node): readonly Child[] => kindOf(kinds, node).children(node)
/** The nodes that an address can go on to: those right below, and what only rules read. */
export const insideOf = (node: Node): readonly Child[] => kindOf(kinds, node).inside ?? childrenOf(node)
export const shapeOf = (node: Node) => kinds[node.kind].shape

export const measuresOf = (node: Node): readonly Measure[] => kindOf(kinds, node).measures(node)
