/** Walks a node and a value side by side: checks, reads and copies in one pass, and tells all that is wrong. */
import { malformed } from '../grammar/percent.js'
import { kindOf, type Node } from '../kinds/kind.js'
import { kinds } from '../kinds/kinds.js'
import { newRun, note, type Run, type Source, tell, tellBelow } from '../kinds/run.js'

/** Starts a judgement. `now` is its clock, in milliseconds since 1970. */
export const startRun = (now?: number, trace = false): Run => newRun(interpreter, now, trace)

const interpreter = { kinds, interpret }

/** What holds for every kind: what is absent, null, set by the server or broken; the kind reads the rest. */
function interpret(node: Node, value: unknown, outer: Source, run: Run): unknown {
  const source = node.coerce === undefined || outer === 'text' ? outer : node.coerce ? 'coerced' : 'json'
  const kind = kindOf(kinds, node)
  if (kind.shape === 'behind') return kind.read(node, value, source, run)
  if (value === undefined || (value === '' && source === 'text' && !(node.kind === 'text' && node.keepEmpty)))
    return absent(node, run)
  if (node.readOnly === 'drop') {
    const read = absent(node, run, true)
    note(run, 'dropped', value, read)
    return read
  }
  if (node.readOnly) {
    tell(run, node, 'read_only')
    return absent(node, run)
  }
  if (value === null && (node.nullable || !kind.takesNull(node))) return readNull(node, run)
  if (value === malformed) {
    note(run, 'from text', undefined, undefined)
    return tellBelow(run, node, 'bad_encoding', [], { stage: 'read' })
  }
  return kind.read(node, value, source, run)
}

function absent(node: Node, run: Run, noted = false): unknown {
  const defaulted = node.need === 'defaulted'
  const read = defaulted ? defaultOf(node) : undefined
  if (!noted) note(run, defaulted ? 'default' : 'as is', undefined, read)
  if (node.need === 'required') tell(run, node, 'missing')
  return read
}

/** A default is made, or copied, for each request: a handler may change what it gets. */
export function defaultOf(node: Node): unknown {
  if (typeof node.default === 'function') return node.default()
  return typeof node.default === 'object' && node.default !== null ? structuredClone(node.default) : node.default
}

function readNull(node: Node, run: Run): null | undefined {
  note(run, 'as is', null, node.nullable ? null : undefined)
  return node.nullable ? null : tell(run, node, 'null_not_allowed')
}
