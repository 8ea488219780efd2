/** A value that passed its base goes through a reader of the declaration's own. */

import { tellAddress } from '../terms/address.js'
import type { Asking } from '../terms/asking.js'
import { atOnce, isPromise } from '../terms/at-once.js'
import { canonical, identifyBy } from '../terms/canonical.js'
import type { Code } from '../terms/codes.js'
import type { Declared } from '../terms/declared.js'
import { aField, aSyncFunction, aText, required } from '../terms/option-types.js'
import { type CodeOf, type KindOf, kindOf, type Node, type SoundOf } from './kind.js'
import { readNode } from './reading.js'
import { asking, countFaults, note, type Run, report, reportSent, type Source } from './run.js'

declare module './kind.js' {
  interface Kinds {
    readAs: ReadAsNode
  }
}
export interface ReadAsNode extends Declared {
  readonly kind: 'readAs'
  readonly base: Node
  readonly read: (value: never, asking: Asking) => unknown
  readonly code: string
  readonly message?: string
  readonly write?: (value: never) => unknown
  readonly key?: (value: never) => string
}

/** Readers that take whatever their base takes: what they would reject, its own limits reject. */
export const totalReaders = /* @__PURE__ */ new WeakSet<ReadAsNode['read']>()

export const readAs: KindOf<ReadAsNode> = {
  measures: () => ['own'],
  shape: 'behind',
  children: ({ base }) => [[undefined, base]],
  hasEnd: ({ base }, ends) => ends(base),
  read,
  takesNull: () => true,
  // A value that the base takes as it is goes out as it is; another is written back first.
  encode(node, value, { encode, takes }) {
    const asIs = encode(node.base, value)
    return !node.write || takes(node, asIs) ? asIs : encode(node.base, writtenBack(node, value))
  },
  mask: ({ base }, value, below) => below(base, value),
}

/** Of what cannot be written back, the base says what is wrong with it. */
function writtenBack({ write }: ReadAsNode, value: unknown): unknown {
  try {
    return write?.(value as never)
  } catch {
    return value
  }
}

/** Whether its options make sense. */
export const readAsSound: SoundOf<ReadAsNode> = {
  options: {
    base: required(aField),
    read: required(aSyncFunction('(value) => new URL(value)')),
    code: required(aText),
    message: aText,
    write: aSyncFunction('String'),
    key: aSyncFunction('String'),
  },
  check: () => undefined,
}

function read(node: ReadAsNode, value: unknown, source: Source, run: Run): unknown {
  // Only what takes a value away is null here: it is not read.
  if (value === null && node.nullable) {
    note(run, 'as is', null, null)
    return null
  }
  const before = countFaults(run)
  const base = readNode(node.base, value, source, run)
  if (base === undefined || countFaults(run) > before) return undefined
  return applyReader(node, base, value, run)
}

/** Gives what was read of the base to the reader. */
function applyReader(node: ReadAsNode, base: unknown, sent: unknown, run: Run): unknown {
  return settleRead(node, callReader(node, base, run), base, sent, run)
}

/** What the reader makes of it; `undefined` if it throws: that may tell of the inside, so its code alone is reported. */
export function callReader(node: ReadAsNode, base: unknown, run: Run): unknown {
  try {
    return node.read(base as never, asking(run))
  } catch {
    return undefined
  }
}

/** Tells what could not be read, and what makes an object the same as another. */
export function settleRead(node: ReadAsNode, read: unknown, base: unknown, sent: unknown, run: Run): unknown {
  if (isPromise(read)) atOnce(read, `the reader of ${tellAddress(run.path)}`)
  const last = run.trace?.readings.at(-1)
  if (last && run.trace && last.address === tellAddress(run.path)) {
    run.trace.readings.pop()
    note(run, last.how, last.sent, read)
  }
  if (read !== undefined) {
    identify(node, read, base)
    return read
  }
  // A code of its user's, who gives the words as well.
  const code = node.code as Code
  return readsScalar(node, run) ? reportSent(run, node, code, sent) : report(run, node, code)
}

/** Says what makes an object that was read the same as another. */
export function identify(node: ReadAsNode, read: unknown, base: unknown): void {
  const { key } = node
  // Then its own data say it.
  if (key === canonical) return
  identifyBy(read, key ? () => `#${key(read as never)}` : () => `~${canonical(base)}`)
}

const readsScalar = ({ base }: ReadAsNode, run: Run): boolean =>
  base.kind === 'readAs' ? readsScalar(base, run) : kindOf(run.interpreter.kinds, base).shape === 'scalar'

export const readAsCode: CodeOf<ReadAsNode> = {
  absent: 'own',
  write({ writer, read, place, emit }, node) {
    const [before, sent] = [writer.name('n'), writer.name('v')]
    const inside = () => {
      writer.line(`const ${sent} = ${read}, ${before} = countFaults(run)`)
      writer.line(`${read} = ${emit(node.base, sent, place)}`)
      const reader = `readerIn(run, ${writer.bind(node)}, ${read}, ${sent}, ${writer.path(place)})`
      writer.line(`if (${read} !== undefined) ${read} = countFaults(run) > ${before} ? undefined : ${reader}`)
    }
    if (node.nullable) writer.block(`if (${read} !== null) {`, inside)
    else inside()
  },
}
