/** A declaration that is made when it is first needed: for values that hold values of their own kind. */
import type { Declared } from '../terms/declared.js'
import { aFunction, required } from '../terms/taken.js'
import type { CodeOf, KindOf, Node } from './kind.js'
import { readNode, readOnce } from './reading.js'
import { note, type Run, type Source, tell } from './run.js'

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
  const isAbsent = value === undefined || (value === '' && source === 'text')
  if ((isAbsent && node.need === 'optional') || (value === null && node.nullable)) {
    const read = isAbsent ? undefined : null
    note(run, 'as is', read, read)
    return read
  }
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
    /** Where a program may have put one object into many places, it is asked whether it was read. */
    const enter = () => {
      writer.line(`if (run.met) ${read} = enter(run, ${reader}, ${read}, ${writer.path(place)}, parsed)`)
      writer.block('else {', () => {
        writer.line(`run.depth++; run.walk.push(${place.path.join(', ')})`)
        writer.line(`${read} = ${reader}(${read}, run, parsed)`)
        writer.line(`run.depth--; ${place.path.map(() => 'run.walk.pop()').join('; ')}`)
      })
    }
    const passed = [
      ...(node.need === 'optional' ? [`${read} !== undefined`] : []),
      ...(node.need === 'optional' && place.source === 'text' ? [`${read} !== ""`] : []),
      ...(node.nullable ? [`${read} !== null`] : []),
    ]
    const look = () => writer.block('if (run.depth < run.deepest) {', enter, `} else ${slowly()}`)
    if (passed.length === 0) look()
    else {
      writer.block(`if (${passed.join(' && ')}) {`, look)
      if (passed.length > 1 && place.source === 'text') writer.line(`else if (${read} === "") ${read} = undefined`)
    }
  },
}
