/** A declaration that is made when it is first needed: for values that hold values of their own kind. */
import type { Declared } from '../terms/declared.js'
import { aFunction, required } from '../terms/taken.js'
import type { CodeOf, KindOf, Node } from './kind.js'
import { readNode, readOnce } from './reading.js'
import { type Run, type Source, tell } from './run.js'

declare module './kind.js' {
  interface Kinds {
    later: LaterNode
  }
}
export interface LaterNode extends Declared {
  readonly kind: 'later'
  readonly make: () => Node
}

const made = new WeakMap<LaterNode, Node>()

/** The node behind `later`, made once. */
export function resolve(node: LaterNode): Node {
  const known = made.get(node) ?? node.make()
  made.set(node, known)
  return known
}

export const later: KindOf<LaterNode> = {
  shape: 'behind',
  options: { make: required(aFunction('() => tree')) },
  check: () => undefined,
  children: (node) => [[undefined, resolve(node)]],
  hasEnd: (node, ends) => ends(resolve(node)),
  read,
  takesNull: () => true,
  encode: (node, value, { encode }) => encode(resolve(node), value),
  mask: (node, value, below) => below(resolve(node), value),
}

function read(node: LaterNode, value: unknown, source: Source, run: Run): unknown {
  if (run.depth === run.deepest) return tell(run, node, 'too_large', run.deepest, 'depth')
  const held = resolve(node)
  return readOnce(run, held, value, () => {
    run.depth++
    const read = readNode(held, value, source, run)
    run.depth--
    return read
  })
}

/** Declarations that hold themselves have functions of their own, which start where they are entered. */
export const laterCode: CodeOf<LaterNode> = {
  absent: 'own',
  write({ writer, read, place, slowly, emit }, node) {
    const held = resolve(node)
    const reader = writer.once(`${writer.bind(held)} ${place.source} ${place.unlisted}`, 'later', (name) => {
      writer.block(`function ${name}(value, run, parsed) {`, () =>
        writer.line(`return ${emit(held, 'value', { ...place, path: [], address: ['later'] })}`),
      )
    })
    const enter = `enter(run, ${reader}, ${read}, ${writer.path(place)}, parsed)`
    writer.line(`if (run.depth < run.deepest) ${read} = ${enter}; else ${slowly()}`)
  },
}
