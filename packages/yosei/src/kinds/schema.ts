/** A value that a JSON Schema describes. What judges by the schema is made elsewhere, and stands in the node. */
import type { Path } from '../terms/address.js'
import type { Code } from '../terms/codes.js'
import type { Declared } from '../terms/declared.js'
import { aField, required, taken } from '../terms/option-types.js'
import { choose } from './code.js'
import { copyJson } from './copy.js'
import { isOtherType } from './either.js'
import type { CodeOf, KindOf, Node, SoundOf, Source } from './kind.js'
import { isSecret } from './locate.js'
import { Place, Unshown } from './phrase.js'
import { readNode } from './reading.js'
import { addFault, countFaults, type Fault, mostFaults, note, type Run, report } from './run.js'
import { suggest } from './suggest.js'

declare module './kind.js' {
  interface Kinds {
    schema: SchemaNode
  }
}
export interface SchemaNode extends Declared {
  readonly kind: 'schema'
  readonly judge: SchemaJudge
  /** What reads it, if the judge only says what else must hold. */
  readonly base?: Node
}

/** Judges JSON values by a schema. */
export interface SchemaJudge {
  /** The schema as a document of its own. */
  readonly document: unknown
  /** Whether that says only what must hold besides what the field reads. */
  readonly isRest: boolean
  holds(value: unknown): boolean
  /** All that is wrong with a value that does not hold. */
  tell(value: unknown): readonly Finding[]
  /** What a text may stand for, where only text can be sent: what holds, if anything does. */
  meant(text: unknown): unknown
  /** What of a value may be written down. */
  mask(value: unknown): unknown
  /** A value that holds, if one can be made. */
  sample(): unknown
}

/** One thing wrong, seen from the value that a schema describes. */
export interface Finding {
  readonly path: Path
  readonly code: Code
  readonly limit?: unknown
  /** What was sent. Of a container, only its type is shown. */
  readonly sent?: unknown
  readonly variant?: string | undefined
  /** Of a name that is not known, those that are. */
  readonly names?: readonly string[]
  /** Another place that the words speak of. */
  readonly other?: Path
  readonly about?: { readonly [name: string]: unknown } | undefined
}

export const schemaWords = {
  'not_allowed_here.schema': 'must not be sent here',
  'not_allowed_here.value': 'has a value that is not allowed here',
  'not_allowed_here.form': 'must not be {forms}',
  'more_than_one.forms': 'must be only one of these: {forms}',
  'form.schema': 'a value of another form',
  'more_than_one.unshown': 'has more than one of the forms that are allowed here',
  'needed.beside': 'must be sent if {other} is sent',
  'too_few.contains': 'must have at least {limit} {limit|element|elements} like this: {forms}',
  'too_many.contains': 'must have at most {limit} {limit|element|elements} like this: {forms}',
  'wrong_pattern.otherName': 'has a name that is not allowed here',
  'too_few.table': 'must have at least {limit} {limit|name|names}',
  'too_many.table': 'must have at most {limit} {limit|name|names}',
}

export const schema: KindOf<SchemaNode> = {
  words: schemaWords,
  measures: () => ['own'],
  shape: 'anything',
  children: ({ base }) => (base ? [[undefined, base]] : []),
  hasEnd: ({ base }, ends) => !base || ends(base),
  read(node, value, source, run) {
    const { judge, base } = node
    if (base) return readBoth(node, base, value, source, run)
    const sent = source === 'json' ? value : judge.meant(value)
    const read = copyJson(sent, run.deepest)
    note(run, source === 'json' ? 'as is' : 'from text', value, read)
    if (read === undefined) return report(run, node, 'too_large', run.deepest, 'depth')
    if (!judge.holds(read)) tell(node, read, run)
    return read
  },
  takesNull: () => true,
  encode: ({ base }, value, { encode }) => (base ? encode(base, value) : value),
  mask: ({ judge, base }, value, below) => (base ? below(base, value) : judge.mask(value)),
}

/** Reports once what both find wrong. */
function readBoth(node: SchemaNode, base: Node, value: unknown, source: Source, run: Run): unknown {
  const before = countFaults(run)
  const read = readNode(base, value, source, run)
  const found = run.faults.slice(before)
  // If the value has another type, nothing else is reported.
  const isOther = (code: string) => isOtherType(code) || code === 'not_whole'
  if (found.some(({ path, code }) => path.length === run.path.length && isOther(code))) return read
  const isRight = countFaults(run) === before
  const whole = isRight ? read : source === 'json' ? copyJson(value, run.deepest) : undefined
  if (whole === undefined || node.judge.holds(whole)) return read
  tell(node, whole, run, found)
  // What is wrong with the value itself comes before what is wrong inside of it.
  const isOwn = ({ path }: Fault) => path.length === run.path.length
  const all = run.faults.splice(before)
  run.faults.push(...all.filter(isOwn), ...all.filter((one) => !isOwn(one)))
  return read
}

/** Variants that show what the schema says of its values, and what is said instead. */
const unshown: { readonly [variant: string]: string | undefined } = {
  form: 'value',
  forms: 'unshown',
  contains: undefined,
  examples: undefined,
  titled: undefined,
  titledExamples: undefined,
}
const ofValues = new Set<Code>(['not_constant', 'not_a_choice'])
/** The same of a secret: without what was sent, and without what its schema says of values. */
export function withoutValues({ sent: _, about: __, limit, ...finding }: Finding): Finding {
  const { code, variant = '' } = finding
  if (ofValues.has(code) || (code === 'wrong_type' && (variant === 'constant' || variant === 'choice')))
    return { ...finding, variant: 'secret' }
  return { ...finding, limit, ...(Object.hasOwn(unshown, variant) ? { variant: unshown[variant] } : {}) }
}

function tell(node: SchemaNode, value: unknown, run: Run, known: readonly Fault[] = []): void {
  const isKnown = (path: Path, code: Code) =>
    known.some(
      (one) => one.code === code && one.path.length === path.length && one.path.every((key, at) => key === path[at]),
    )
  // So many are not reported: they are only counted.
  if (run.faults.length === mostFaults) {
    run.found++
    run.beyond++
    return
  }
  for (const one of node.judge.tell(value)) {
    const isHidden = run.secrecy > 0 || (node.base !== undefined && isSecret(node.base, one.path))
    const { path, other, sent, about, names, ...finding } = isHidden ? withoutValues(one) : one
    if (isKnown([...run.path, ...path], finding.code)) continue
    const nearest =
      names && run.suggestions > 0 && run.secrecy === 0 ? suggest(String(path.at(-1)), names, run) : undefined
    const isContainer = typeof sent === 'object' && sent !== null
    const type = Array.isArray(sent) ? 'list' : 'object'
    const shown = isContainer ? new Unshown(type) : sent
    addFault(run, {
      ...finding,
      // Names inside of a secret came with the request.
      path: run.secrecy > 0 ? run.path.slice() : [...run.path, ...path],
      stage: 'shape',
      node,
      ...(nearest === undefined ? {} : { variant: 'near' }),
      sent: isContainer && finding.code !== 'wrong_type' ? undefined : shown,
      about: other
        ? { ...about, other: new Place([...run.path, ...other]) }
        : nearest === undefined
          ? about
          : { nearest },
    })
  }
}

const aJudge = taken(
  'what readJsonSchema makes',
  'readJsonSchema({ type: "string" })',
  (value) => typeof value === 'object',
)
/** Whether its options make sense. */
export const schemaSound: SoundOf<SchemaNode> = {
  options: { judge: required(aJudge), base: aField },
  check: () => undefined,
}

export const schemaCode: CodeOf<SchemaNode> = {
  absent: 'told',
  write(whole, { judge, base }) {
    const { read, place, writer, interpretInstead } = whole
    if (base) {
      const [sent, before] = [writer.name('v'), writer.name('m')]
      writer.line(`const ${sent} = ${read}, ${before} = mark(run)`)
      writer.line(`${read} = ${whole.emit(base, sent, place)}`)
      writer.block(`if (!isClean(run, ${before}) || !${writer.bind(judge)}.holds(${read})) {`, () => {
        writer.line(`goBack(run, ${before})`)
        writer.line(`${read} = ${sent}`)
        writer.line(interpretInstead())
      })
      return
    }
    if (place.source !== 'json') {
      writer.line(interpretInstead())
      return
    }
    const copy = writer.name('t')
    writer.line(`const ${copy} = parsed ? copyTree(${read}, run.deepest) : undefined`)
    choose(whole, `${copy} !== undefined && ${writer.bind(judge)}.holds(${copy})`, () =>
      writer.line(`${read} = ${copy}`),
    )
  },
}
