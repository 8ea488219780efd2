/** Any JSON value, as a copy. */
import type { Declared } from '../terms/declared.js'
import { choose } from './code.js'
import { copyJson } from './copy.js'
import type { CodeOf, KindOf, SoundOf } from './kind.js'
import { note, report } from './run.js'

declare module './kind.js' {
  interface Kinds {
    anything: AnythingNode
  }
}
export interface AnythingNode extends Declared {
  readonly kind: 'anything'
}

export const anything: KindOf<AnythingNode> = {
  measures: () => ['own'],
  shape: 'anything',
  children: () => [],
  hasEnd: () => true,
  read(node, value, _, run) {
    const read = copyJson(value, run.deepest)
    note(run, 'as is', value, read)
    return read === undefined ? report(run, node, 'too_large', run.deepest, 'depth') : read
  },
  takesNull: () => true,
  encode: (_, value) => value,
  mask: (_, value) => value,
}

/** Whether its options make sense. */
export const anythingSound: SoundOf<AnythingNode> = { options: {}, check: () => undefined }

export const anythingCode: CodeOf<AnythingNode> = {
  absent: 'told',
  write(whole) {
    const { read, place, writer, interpretInstead } = whole
    const text = `typeof ${read} === "string" && ${read} !== ""`
    const json = `${read} === null || (${read} !== undefined && typeof ${read} !== "object" && typeof ${read} !== "symbol")`
    if (place.source === 'text') {
      choose(whole, text, () => undefined)
      return
    }
    // What the library has parsed itself is a tree of plain values.
    const copy = writer.name('t')
    writer.block(`if (parsed && typeof ${read} === "object" && ${read} !== null) {`, () => {
      writer.line(`const ${copy} = copyTree(${read}, run.deepest)`)
      writer.line(`if (${copy} !== undefined) ${read} = ${copy}; else ${interpretInstead()}`)
    })
    writer.line(`else if (!(${json})) ${interpretInstead()}`)
  },
}
