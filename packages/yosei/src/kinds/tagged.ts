/** A union distinguished by the text in `tag`. A branch does not declare the tag itself: the key implies it. */
import type { Declared } from '../terms/declared.js'
import { aText, fields, required } from '../terms/option-types.js'
import { choose, isPlain, property } from './code.js'
import type { CodeOf, EmitContext, KindOf, Node, SoundOf } from './kind.js'
import { quote } from './quote.js'
import { type RecordNode, readRecord, writeRecord } from './record.js'
import { isNamed, note, notOfKind, type Run, reportOther, type Source } from './run.js'
import { sentShape } from './shape.js'

declare module './kind.js' {
  interface Kinds {
    tagged: TaggedNode
  }
}
export interface TaggedNode extends Declared {
  readonly kind: 'tagged'
  readonly tag: string
  readonly branches: { readonly [value: string]: Node }
}

export const taggedWords = { 'wrong_type.tagged': 'must be an object', 'form.tagged': 'an object' }

export const tagged: KindOf<TaggedNode> = {
  words: taggedWords,
  measures: () => ['object'],
  shape: 'object',
  children: ({ branches }) => Object.values(branches).map((branch) => [undefined, branch]),
  hasEnd: ({ branches }, ends) => Object.keys(branches).length === 0 || Object.values(branches).some(ends),
  read: (node, value, source, run) => readTagged(node, value, source, run, []),
  takesNull: () => false,
  encode(node, value, { encode }) {
    const branch = branchOf(node, value)
    return branch ? encode(branch, value) : value
  },
  mask(node, value, below) {
    const branch = branchOf(node, value)
    return branch
      ? { ...(below(branch, value) as object), [node.tag]: (value as { [name: string]: unknown })[node.tag] }
      : undefined
  },
}

/** Whether its options make sense. */
export const taggedSound: SoundOf<TaggedNode> = {
  options: { tag: required(aText), branches: required(fields) },
  check({ tag, branches }, refuse) {
    if (Object.keys(branches).length === 0) refuse('the union has no branch', 'Give it a branch')
    for (const [value, branch] of Object.entries(branches)) {
      const shape = sentShape(branch)
      if (branch.kind === 'readAs' || (shape.kind !== 'record' && shape.kind !== 'tagged'))
        refuse(`the branch ${value} is no record`, 'Make each branch a record()')
      if (declares(shape, tag))
        refuse(
          `the branch ${value} declares ${tag}, the tag`,
          'Leave the tag out of the branches: the union implies it',
        )
    }
  },
}

/** Whether a form of an object has a name, or a branch of it: all of them are names of one object. */
export function declares(branch: Node, name: string, seen = new Set<Node>()): boolean {
  if (branch.kind === 'record') return Object.hasOwn(branch.fields, name)
  if (branch.kind === 'table' || branch.kind === 'anything') return true
  if (branch.kind !== 'tagged' || seen.has(branch)) return false
  seen.add(branch)
  return branch.tag === name || Object.values(branch.branches).some((one) => declares(sentShape(one), name, seen))
}

/** What a form of an object declares under a name: of a union, in any of its branches. */
export function fieldsNamed(form: Node, name: string, seen = new Set<Node>()): readonly Node[] {
  if (form.kind === 'record') return Object.hasOwn(form.fields, name) ? [form.fields[name] as Node] : []
  if (form.kind !== 'tagged' || seen.has(form)) return []
  seen.add(form)
  return form.tag === name
    ? [tagNode(form)]
    : Object.values(form.branches).flatMap((branch) => fieldsNamed(sentShape(branch), name, seen))
}

/** The branch that a value chooses by its tag. */
export function branchOf({ tag, branches }: TaggedNode, value: unknown): Node | undefined {
  const chosen = isNamed(value) && Object.hasOwn(value, tag) ? value[tag] : undefined
  return typeof chosen === 'string' && Object.hasOwn(branches, chosen) ? branches[chosen] : undefined
}

/** The tag of a union as a field of its own. */
export const tagNode = ({ branches, secret, messages }: TaggedNode): Node => ({
  kind: 'choice',
  need: 'required',
  values: Object.keys(branches),
  ...(secret ? { secret } : {}),
  ...(messages ? { messages } : {}),
})

function readTagged(
  node: TaggedNode,
  value: unknown,
  source: Source,
  run: Run,
  implied: readonly string[],
): object | undefined {
  if (!isNamed(value)) return notOfKind(node, value, run)
  const { tag, branches } = node
  const chosen = Object.hasOwn(value, tag) ? value[tag] : undefined
  const found = branchOf(node, value)
  run.path.push(tag)
  note(run, 'as is', chosen, found ? chosen : undefined)
  if (!found) {
    const code =
      chosen === undefined
        ? 'missing'
        : chosen === null
          ? 'null_not_allowed'
          : typeof chosen === 'string'
            ? 'not_a_choice'
            : 'wrong_type'
    reportOther(run, tagNode(node), code, chosen, Object.keys(branches))
  }
  run.path.pop()
  if (!found) return undefined
  const branch = sentShape(found)
  const tags = [...implied, tag]
  return branch.kind === 'tagged'
    ? readTagged(branch, value, source, run, tags)
    : readRecord(branch as RecordNode, value, source, run, tags)
}

export const taggedCode: CodeOf<TaggedNode> = {
  absent: 'told',
  write: (whole, node) => choose(whole, isPlain(whole.read), () => writeTagged(whole, node, [])),
}

function writeTagged(
  whole: EmitContext,
  node: TaggedNode,
  implied: readonly (readonly [tag: string, value: string])[],
): void {
  const { writer, read, interpretInstead } = whole
  // A branch inside a branch has no place of its own: the interpreter starts with the outermost.
  writer.block(`switch (${property(read, node.tag)}) {`, () => {
    for (const [value, branch] of Object.entries(node.branches)) {
      const shape = sentShape(branch)
      const tags = [...implied, [node.tag, value] as const]
      writer.block(`case ${quote(value)}: {`, () => {
        if (shape.kind === 'tagged') writeTagged(whole, shape, tags)
        else writeRecord(whole, shape as RecordNode, tags)
        writer.line('break')
      })
    }
    writer.line(`default: ${interpretInstead()}`)
  })
}
