/** A union: by the constants that its branches require, if those distinguish them; else by trial, in order. */
import type { Declared } from '../terms/declared.js'
import { aListOfFields, required } from '../terms/option-types.js'
import { isPlain, property } from './code.js'
import {
  type CodeOf,
  type EmitContext,
  type KindOf,
  type KindTable,
  kindOf,
  type Node,
  type SoundOf,
  type Spot,
  type Test,
} from './kind.js'
import { valueUnder } from './list.js'
import { alternatives, Phrase, quoted, type Speech } from './phrase.js'
import { attemptOnce, readNode, take } from './reading.js'
import {
  countFaults,
  isNamed,
  type Named,
  note,
  type Run,
  report,
  reportBelow,
  reportOther,
  type Source,
  type Try,
} from './run.js'
import { fromOf, literal, shorten } from './scalar.js'
import { formsOf, holdsRules, holdsSecret, keepsEmpty, sentShape, sizeOf } from './shape.js'
import { declares } from './tagged.js'
import { type Apart, isFork, namedBranch, tellApart, tellsIn } from './tell-apart.js'

declare module './kind.js' {
  interface Kinds {
    either: EitherNode
  }
}
export interface EitherNode extends Declared {
  readonly kind: 'either'
  readonly branches: readonly Node[]
}

const listKinds: readonly string[] = ['list', 'tuple', 'anything', 'readAs']
const objectKinds: readonly string[] = ['record', 'table', 'tagged', 'anything', 'readAs']

export const eitherWords = {
  no_branch: 'has none of the forms that are allowed here',
  'no_branch.forms': 'must be {forms}',
  'when.any': ' or ',
  'form.anything': 'any value',
}

export const either: KindOf<EitherNode> = {
  words: eitherWords,
  measures: () => [],
  shape: 'union',
  children: ({ branches }) => branches.map((branch) => [undefined, branch]),
  hasEnd: ({ branches }, ends) => branches.length === 0 || branches.some(ends),
  read,
  takesNull: () => true,
  encode({ branches }, value, { encode, takes, kinds }) {
    const named = namedBranch(branches, value, 'json', kinds)
    if (named) return encode(named, value)
    for (const branch of branches) {
      const form = encode(branch, value)
      if (takes(branch, form)) return form
    }
    return value
  },
  // Which branch it is cannot be reported from here, and one of them may be a secret. Names that any declares are declared.
  mask(node, value, below, hides) {
    if (hides(node)) return undefined
    if (typeof value !== 'object' || value === null) return shorten(value)
    const kinds = Array.isArray(value) ? listKinds : objectKinds
    return joined(formsOf(node).flatMap((form) => (kinds.includes(form.kind) ? [below(form, value)] : [])))
  },
}

/** What several branches say of one value: what one of them leaves out, another may declare, at any depth. */
function joined(masks: readonly unknown[]): unknown {
  const found = masks.filter((one) => one !== undefined)
  if (found.length < 2 || !found.every((one) => typeof one === 'object' && one !== null)) return found[0]
  if (found.every(Array.isArray)) {
    const length = Math.max(...found.map((list) => list.length))
    return Array.from({ length }, (_, index) => joined(found.map((list) => list[index])))
  }
  const names = new Set(found.flatMap((one) => Object.keys(one as object)))
  return Object.fromEntries([...names].map((name) => [name, joined(found.map((one) => valueUnder(one, name)))]))
}

/** Whether its options make sense. */
export const eitherSound: SoundOf<EitherNode> = {
  options: { branches: required(aListOfFields) },
  check({ branches }, refuse) {
    if (branches.length === 0) refuse('the union has no branch', 'Give it a branch')
  },
}

/**
 * The branch that the value names, if they can be distinguished; else the first that takes it. If none does, the branch
 * speaks whose constants match; then the one that declares most of the names sent; then the one with the fewest errors,
 * the deepest, the first. A value that has none of the constants is wrong at their field.
 */
function read(node: EitherNode, value: unknown, source: Source, run: Run): unknown {
  const { branches } = node
  const { kinds } = run.interpreter
  const named = namedBranch(branches, value, source, kinds)
  if (named) {
    const before = countFaults(run)
    const read = readNode(named, value, source, run)
    return countFaults(run) === before ? took(run, node, named, read) : undefined
  }
  // What one branch keeps secret no other may tell.
  const isMixed = holdsSecret(node, (one) => kindOf(kinds, one).children(one))
  if (isMixed) run.secrecy++
  const isOutermost = run.tries === undefined
  run.tries ??= new Map()
  const { tries } = run
  const close: Attempt[] = []
  let taken: { readonly attempt: Try; readonly branch: Node } | undefined
  for (const branch of branches) {
    const attempt = attemptOnce(tries, branch, value, source, run)
    if (attempt.faults.length === 0 && attempt.beyond === 0) {
      taken = { attempt, branch }
      break
    }
    // A value of another type altogether came close to nothing.
    if (!attempt.faults.some(({ path, code }) => path.length === run.path.length && isOtherType(code)))
      close.push({ branch, attempt, isMeant: meets(branch, attempt, value) })
  }
  if (isOutermost) run.tries = undefined
  const apart = taken ? undefined : tellApart(branches, kinds)
  const isNone = apart !== undefined && isNamed(value) && !close.some(({ isMeant }) => isMeant)
  if (isNone) reportConstants(apart, value, run)
  if (isMixed) run.secrecy--
  if (isNone) return undefined
  const closest = taken?.attempt ?? closestOf(close, value)?.attempt
  if (!closest) {
    note(run, 'as is', undefined, undefined)
    return isMixed || run.secrecy > 0
      ? report(run, node, 'no_branch')
      : reportBelow(run, node, 'no_branch', [], { variant: 'forms', about: { forms: new Forms(formsOf(node)) } })
  }
  take(run, closest)
  return taken && took(run, node, taken.branch, closest.read)
}

/** What a union takes: its forms, each once. */
class Forms extends Phrase {
  constructor(readonly nodes: readonly Node[]) {
    super()
  }
  words(speech: Speech): string {
    const forms = this.nodes.map((one) => {
      const node = one.kind === 'schema' && one.base && one.title === undefined ? one.base : one
      if (node.title !== undefined) return speech.show(node.title)
      const names =
        node.kind === 'record' ? Object.keys(node.fields).filter((name) => node.fields[name]?.need === 'required') : []
      const value = node.kind === 'constant' ? [node.value] : node.kind === 'choice' ? node.values : names
      const kind = node.kind === 'number' && node.whole ? 'integer' : node.kind
      return speech.say(names.length > 0 ? 'form.names' : `form.${kind}`, { value: quoted(value) }) || node.kind
    })
    return alternatives([...new Set(forms)].slice(0, 12), speech, ',')
  }
}

/** Notes the branch that read a value, if rules of its records ask for it. */
export function took(run: Run, node: EitherNode, branch: Node, read: unknown): unknown {
  if (typeof read !== 'object' || read === null || !isAsked(node, run.interpreter.kinds)) return read
  run.taken ??= new Map()
  const values = run.taken.get(node) ?? new Map<object, Node>()
  run.taken.set(node, values.set(read, branch))
  return read
}
const isAsked = (node: EitherNode, kinds: KindTable) => holdsRules(node, (one) => kindOf(kinds, one).children(one))

/** What a branch that does not take the value made of it. */
interface Attempt {
  readonly branch: Node
  readonly attempt: Try
  /** Whether the value has the constants that the branch requires. */
  readonly isMeant: boolean
}

/** Whether a code says that a value is of another type altogether. */
export const isOtherType = (code: string) =>
  ['wrong_type', 'not_constant', 'null_not_allowed', 'no_branch', 'missing'].includes(code)

/** The branch that gives the errors if no branch takes the value. */
const closestOf = (close: readonly Attempt[], value: unknown): Attempt | undefined =>
  highest(close, ({ branch, attempt, isMeant }) => [
    isMeant ? 1 : 0,
    namesDeclared(branch, value),
    -(attempt.faults.length + attempt.beyond),
    attempt.faults.reduce((deepest, { path }) => Math.max(deepest, path.length), 0),
  ])

/** The one of the highest ranks, of which earlier ones count more; among equals the first. */
export function highest<T>(all: readonly T[], ranksOf: (one: T) => readonly number[]): T | undefined {
  let best: { readonly one: T; readonly ranks: readonly number[] } | undefined
  for (const one of all) {
    const ranks = ranksOf(one)
    const differs = best?.ranks.findIndex((rank, index) => rank !== ranks[index]) ?? 0
    if (!best || (differs >= 0 && (ranks[differs] as number) > (best.ranks[differs] as number))) best = { one, ranks }
  }
  return best?.one
}

/** Whether a value has all the constants that one form of a branch requires, and there is one. */
function meets(branch: Node, { faults, path }: Try, value: unknown): boolean {
  if (!isNamed(value)) return false
  const isRight = (name: string) =>
    Object.hasOwn(value, name) &&
    !faults.some((fault) => fault.path.length === path.length + 1 && fault.path.at(-1) === name)
  return formsOf(branch).some((form) => {
    const names = constantsOf(form)
    return names.length > 0 && names.every(isRight)
  })
}

/** The names under which a form requires a constant: the tag of a union is one. */
function constantsOf(form: Node): readonly string[] {
  if (form.kind === 'tagged') return [form.tag]
  if (form.kind !== 'record') return []
  const isConstant = (field: Node) => field.need === 'required' && sentShape(field).kind === 'constant'
  return Object.keys(form.fields).filter((name) => isConstant(form.fields[name] as Node))
}

/** How many of the names that were sent a branch declares. */
function namesDeclared(branch: Node, value: unknown): number {
  if (!isNamed(value)) return 0
  const names = Object.keys(value)
  return Math.max(0, ...formsOf(branch).map((form) => names.filter((name) => declares(form, name)).length))
}

/** Reports a value that names no branch, at the field that would name it, with the values that it takes. */
function reportConstants({ name, values }: Apart, value: Named, run: Run): void {
  const given = Object.hasOwn(value, name) ? value[name] : undefined
  run.path.push(name)
  note(run, 'as is', given, undefined)
  const isKnown = values.values.some((one) => typeof one === typeof given)
  const code =
    given === undefined ? 'missing' : given === null ? 'null_not_allowed' : isKnown ? 'not_a_choice' : 'wrong_type'
  reportOther(run, values, code, given, values.values)
  run.path.pop()
}

export const eitherCode: CodeOf<EitherNode> = {
  absent: 'told',
  write(whole, node) {
    const { writer, place, interpretInstead, kinds } = whole
    const apart = tellApart(node.branches, kinds)
    const tests = scalarTests(whole, node)
    if (tests) writeTests(whole, tests)
    else if (apart && tellsIn(apart, place.source)) writeNamed(whole, node, apart)
    // Where unions lie in unions, trials would multiply: the interpreter knows what it has tried.
    else if (isFork(node.branches, kinds) && forksBelow(whole, node)) writer.line(interpretInstead())
    else writeTrials(whole, node, node.branches)
  },
}

/** What is right of each branch, if all are scalars: `undefined` if one is not, or has more to say. */
function scalarTests(
  { writer, read, place, test }: EmitContext,
  { branches }: EitherNode,
): readonly Test[] | undefined {
  const tests = branches.map((branch) =>
    branch.need !== 'required' || branch.nullable || branch.secret || branch.readOnly || branch.coerce !== undefined
      ? undefined
      : test(writer, branch, read, fromOf(place)),
  )
  return tests.every((one): one is Test => one?.test !== undefined) ? tests : undefined
}

/** The first branch that takes the value reads it. */
function writeTests({ writer, read, interpretInstead }: EmitContext, tests: readonly Test[]): void {
  for (const { prepare } of tests) if (prepare) writer.line(prepare)
  const branches = tests.map(({ test, value }) => `if (${test}) ${value === undefined ? '' : `${read} = ${value}`};`)
  writer.line(`${branches.join(' else ')} else ${interpretInstead()}`)
}

/** What a branch read; notes the branch if a rule asks for it. */
const noted = ({ writer, kinds }: EmitContext, node: EitherNode, branch: Node, read: string): string =>
  isAsked(node, kinds) ? `took(run, ${writer.bind(node)}, ${writer.bind(branch)}, ${read})` : read

/** Reads the branch that the value names. */
function writeNamed(whole: EmitContext, node: EitherNode, { name, branches, others }: Apart): void {
  const { writer, read, place, interpretInstead } = whole
  writer.block(`if (${isPlain(read)}) {`, () =>
    writer.block(`switch (${property(read, name)}) {`, () => {
      for (const branch of new Set(branches.values())) {
        const values = [...branches].filter(([, one]) => one === branch)
        writer.block(`${values.map(([value]) => `case ${literal(writer, value)}: `).join('')}{`, () => {
          const [before, made] = [writer.name('n'), writer.name('v')]
          writer.line(`const ${before} = countFaults(run)`)
          writer.line(`const ${made} = ${readBranch(whole, node, branch, read, place)}`)
          writer.line(`${read} = countFaults(run) > ${before} ? undefined : ${noted(whole, node, branch, made)}`)
          writer.line('break')
        })
      }
      writer.line(`default: ${interpretInstead()}`)
    }),
  )
  if (others.length === 0) {
    writer.line(`else ${interpretInstead()}`)
    return
  }
  // An object of a program's own making names its branch too.
  writer.line(
    `else if (typeof ${read} === "object" && ${read} !== null && !Array.isArray(${read})) ${interpretInstead()}`,
  )
  writer.block('else {', () => writeTrials(whole, node, others))
}

/** Writes how a branch is read. Those of a large union have code of their own, made when one is first asked. */
function readBranch(
  { kinds, emit, emitApart }: EmitContext,
  node: EitherNode,
  branch: Node,
  from: string,
  place: Spot,
) {
  const isLarge = sizeOf(node, (one) => kindOf(kinds, one).children(one)) > mostTogether
  return isLarge ? emitApart(branch, from, place) : emit(branch, from, place)
}
/** A union of more declarations is large. */
const mostTogether = 60

function forksBelow({ kinds }: EmitContext, node: EitherNode): boolean {
  const seen = new Set<Node>()
  const look = (one: Node): boolean => {
    if (seen.has(one)) return one === node
    seen.add(one)
    const isOther = one !== node && one.kind === 'either' && isFork(one.branches, kinds)
    return (
      isOther ||
      kindOf(kinds, one)
        .children(one)
        .some(([, child]) => look(child))
    )
  }
  return look(node)
}

/** Tries each branch; what they found wrong is taken back, and told by the interpreter where none takes the value. */
function writeTrials(whole: EmitContext, node: EitherNode, branches: readonly Node[]): void {
  const { writer, read, place, interpretInstead } = whole
  const [sent, before, taken] = [writer.name('v'), writer.name('m'), writer.name('t')]
  writer.line(`const ${sent} = ${read}, ${before} = mark(run)`)
  // What is absent or broken is so for the union itself, whatever its branches would make of it.
  const isBroken = ` || typeof ${sent} === "symbol"`
  const isEmpty = place.source === 'text' && !branches.some(keepsEmpty) ? ` || ${sent} === ""` : ''
  writer.line(`let ${taken} = ${sent} === undefined${isBroken}${isEmpty}`)
  writer.line(`if (${taken}) ${interpretInstead()}`)
  for (const branch of branches)
    writer.block(`if (!${taken}) {`, () => {
      writer.line(`${read} = ${readBranch(whole, node, branch, sent, place)}`)
      writer.line(`${taken} = isClean(run, ${before})`)
      if (isAsked(node, whole.kinds)) writer.line(`if (${taken}) ${noted(whole, node, branch, read)}`)
    })
  writer.block(`if (!${taken}) {`, () => {
    writer.line(`goBack(run, ${before})`)
    writer.line(`${read} = ${sent}`)
    writer.line(interpretInstead())
  })
}
