/**
 * The kinds of fields. Each has a file of its own in this room, which adds its node to `Kinds` and says all that holds for
 * it alone: a `KindOf`, and the code that is made for it, a `CodeOf`. The tables `kinds` and `codes` hold them all, so that
 * the compiler names what a new kind forgot; whoever reads a declaration asks the tables.
 */
import type { Declared } from '../terms/declared.js'
import type { Run, Source } from './run.js'
import type { Writer } from './writer.js'

/** The node of each kind: a frozen object, which builders alone make. Every kind adds its own. */
// biome-ignore lint/suspicious/noEmptyInterface: filled by the files of the kinds.
export interface Kinds {}
export type Kind = keyof Kinds
export type Node = Kinds[Kind]

/** What the value of a kind is when it is sent: one JSON scalar or text, or something that holds values. */
type Shape = 'scalar' | 'list' | 'object' | 'file' | 'anything' | 'union' | 'behind'

/** A step to what a node holds: a name, an index, `EACH` element, `EACH_NAME`; `undefined` for what stands at its own place. */
type Step = string | number | undefined
export type Child = readonly [step: Step, child: Node]

/** Refuses a declaration that makes no sense. */
export type Refuse = (what: string, mend: string) => never

export interface KindOf<N extends Declared> {
  readonly shape: Shape
  /** The names of its own options and parts. */
  readonly options: { readonly [O in Exclude<keyof N, keyof Declared | 'kind'>]-?: true }
  /** Whether its options make sense. */
  check(node: N, refuse: Refuse): void
  children(node: N): readonly Child[]
  /** Whether it has a value that ends, where `ends` says so of what it holds. */
  hasEnd(node: N, ends: (child: Node) => boolean): boolean
  /** Reads a value that is there; tells all that is wrong with it. */
  read(node: N, value: unknown, source: Source, run: Run): unknown
  /** Whether it has a word of its own on null. */
  takesNull(node: N): boolean
  /** Whether a scalar that was sent for it may be told; that of a secret never is. `echoes` says so of what lies behind. */
  echoes(node: N, echoes: (node: Node) => boolean): boolean
  /** The JSON form of a value, as a client sends it. What is in that form already stays as it is. */
  encode(node: N, value: unknown, encoder: Encoder): unknown
  /** What of a value may be written down: nothing, where nobody has said that it is no secret. */
  mask(node: N, value: unknown, below: (node: Node, value: unknown) => unknown): unknown
}

/** Every kind by its name. */
export type KindTable = { readonly [K in Kind]: KindOf<Kinds[K]> }
/** The kind of a node, to be asked about that node. */
export const kindOf = (kinds: KindTable, node: Node): KindOf<Node> => kinds[node.kind] as unknown as KindOf<Node>

interface Encoder {
  readonly kinds: KindTable
  /** The JSON form of what lies below. */
  encode(node: Node, value: unknown): unknown
  /** Whether a declaration takes a JSON value, whatever the clock says. */
  takes(node: Node, value: unknown): boolean
}

export interface CodeOf<N extends Declared> {
  /** What becomes of an absent value: the test fails and the interpreter tells; it is passed by; or the code looks itself. */
  readonly absent: 'told' | 'passed' | 'own'
  write(whole: Whole, node: N): void
}

/** What the code of each kind is written with: the variable that it reads into, and how the interpreter would. */
export interface Whole {
  readonly writer: Writer
  readonly read: string
  readonly place: Spot
  /** The line by which the interpreter reads it; `tried` is what came of reading it already. */
  slowly(tried?: string): string
  readonly kinds: KindTable
  /** Writes the reading of a value below, from the text of an expression; gives the variable with what was read. */
  emit(node: Node, value: string, place: Spot, count?: Count): string
}

/** Where the code stands that is being written. */
export interface Spot {
  /** The steps from where its function starts, as code. */
  readonly path: readonly string[]
  /** The address, for comments. */
  readonly address: readonly (string | number)[]
  readonly source: Source
  readonly unlisted: 'refuse' | 'drop' | 'keep'
}

/** The variable that counts the names of a record; it starts with those that are needed. */
export interface Count {
  readonly name: string
  readonly needed: boolean
}
