/** A declaration that is made when it is first needed: for values that hold values of their own kind. */
import { aFunction, required } from '../terms/option-types.js'
import type { CodeOf, KindOf, SoundOf } from './kind.js'
import { readNode, readOnce } from './reading.js'
import { type LaterNode, resolve } from './resolve.js'
import { note, type Run, report, type Source } from './run.js'
import { keepsEmpty } from './shape.js'

export const later: KindOf<LaterNode> = {
  measures: () => [],
  shape: 'behind',
  children: (node) => [[undefined, resolve(node)]],
  hasEnd: (node, ends) => ends(resolve(node)),
  read,
  takesNull: () => true,
  encode: (node, value, { encode }) => encode(resolve(node), value),
  mask: (node, value, below) => below(resolve(node), value),
}

/** Whether its options make sense. */
export const laterSound: SoundOf<LaterNode> = {
  options: { make: required(aFunction('() => tree')) },
  check: () => undefined,
}

function read(node: LaterNode, value: unknown, source: Source, run: Run): unknown {
  const held = resolve(node)
  const isAbsent = value === undefined || (value === '' && source === 'text' && !keepsEmpty(held))
  if ((isAbsent && node.need === 'optional') || (value === null && node.nullable)) {
    const read = isAbsent ? undefined : null
    note(run, 'as is', read, read)
    return read
  }
  if (run.depth === run.deepest) return report(run, node, 'too_large', run.deepest, 'depth')
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
  write({ writer, read, place, interpretInstead, emit }, node) {
    const held = resolve(node)
    const reader = writer.once(`${writer.bind(held)} ${place.source} ${place.unlisted}`, 'later', (name) => {
      writer.block(`function ${name}(value, run, parsed) {`, () =>
        writer.line(
          `return ${emit(held, 'value', { ...place, path: [], address: [...place.address.slice(0, 1), 'later'] })}`,
        ),
      )
    })
    const emptyIsAbsent = place.source === 'text' && !keepsEmpty(held)
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
      ...(node.need === 'optional' && emptyIsAbsent ? [`${read} !== ""`] : []),
      ...(node.nullable ? [`${read} !== null`] : []),
    ]
    const look = () => writer.block('if (run.depth < run.deepest) {', enter, `} else ${interpretInstead()}`)
    if (passed.length === 0) look()
    else {
      writer.block(`if (${passed.join(' && ')}) {`, look)
      if (passed.length > 1 && emptyIsAbsent) writer.line(`else if (${read} === "") ${read} = undefined`)
    }
  },
}
