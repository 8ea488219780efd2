/**
 * The kinds of fields. Each has a file of its own in this room, which adds its node to `Kinds` and says all that holds
 * for it alone: a `KindOf`, and the code that is made for it, a `CodeOf`. The tables `kinds` and `codes` hold them all,
 * so that the compiler names what a new kind forgot; whoever reads a declaration asks the tables.
 */
import type { Path } from '../terms/address.js'
import type { Asking } from '../terms/asking.js'
import type { Declared, Messages } from '../terms/declared.js'
import type { Catalogue } from '../terms/hooks.js'
import type { OptionType } from '../terms/option-types.js'
import type { Stage } from '../terms/statuses.js'
import type { RequestTelemetry } from '../terms/telemetry.js'
import type { Field } from '../terms/types.js'
import type { Step as Passed, Reading } from '../terms/verdict.js'
import type { Writer } from './writer.js'

/** The node of each kind: a frozen object, which builders alone make. Every kind adds its own. */
// biome-ignore lint/suspicious/noEmptyInterface: filled by the files of the kinds.
export interface Kinds {}
export type Kind = keyof Kinds
export type Node = Kinds[Kind]

/** What the value of a kind is when it is sent: one JSON scalar or text, or something that holds values. */
type Shape = 'scalar' | 'list' | 'object' | 'file' | 'anything' | 'union' | 'behind'

/**
 * A step to what a node holds: a name, an index, `EACH` element, `EACH_NAME`; `undefined` for what stands at its own
 * place.
 */
type Step = string | number | undefined
export type Child = readonly [step: Step, child: Node]

/** Refuses a declaration that makes no sense. */
export type Refuse = (what: string, mend: string, option?: string) => never

/**
 * What values are compared as: two of different measures do not compare. `own`: values that a service makes itself, or
 * says nothing about. They are compared with anything.
 */
export type Measure =
  | 'number'
  | 'duration'
  | 'instant'
  | 'date'
  | 'time'
  | 'time of day'
  | 'text'
  | 'flag'
  | 'file'
  | 'list'
  | 'object'
  | 'own'

export interface KindOf<N extends Declared> {
  /** What may be wrong with it, in English. */
  readonly words?: Catalogue
  readonly shape: Shape
  children(node: N): readonly Child[]
  /** What rules read of its values, if it is more than what lies below. */
  readonly inside?: readonly Child[]
  /** Whether it has a value that ends, if `ends` says so of what it holds. */
  hasEnd(node: N, ends: (child: Node) => boolean): boolean
  /** What its values are compared as; nothing of what only stands for others. */
  measures(node: N): readonly Measure[]
  /** Reads a value that is there; tells all that is wrong with it. */
  read(node: N, value: unknown, source: Source, run: Run): unknown
  /** Reads plain objects or arrays of one source by what lies below, which is looked at once; else gives `miss`. */
  binds?(node: N, source: Source, kinds: KindTable): (value: unknown, run: Run) => unknown
  /** Whether it has a word of its own on null. */
  takesNull(node: N): boolean
  /** The JSON form of a value, as a client sends it. What is in that form already stays as it is. */
  encode(node: N, value: unknown, encoder: Encoder): unknown
  /** What of a value may be written down: nothing, if it may be a secret. */
  mask(
    node: N,
    value: unknown,
    below: (node: Node, value: unknown) => unknown,
    /** Whether a declaration is a secret, or has one anywhere below it. */
    hides: (node: Node) => boolean,
  ): unknown
}

/** What is looked at when a field is declared, and never when it is read. */
export interface SoundOf<N extends Declared> {
  /** The names of its own options and parts. */
  readonly options: { readonly [O in Exclude<keyof N, keyof Declared | 'kind'>]-?: OptionType }
  /** Whether its options make sense. */
  check(node: N, refuse: Refuse): void
}

/** A field's own type holds only what TypeScript infers from it; what it is made of is here. */
export const fieldNode = (field: Field) => field as Node
/** A node as the users of its builder have it. */
export const nodeField = (node: Node) => node as Field

/** Every kind by its name. */
export type KindTable = { readonly [K in Kind]: KindOf<Kinds[K]> }
/** The kind of a node, to be asked about that node. */
export const kindOf = (kinds: KindTable, node: Node): KindOf<Node> => kinds[node.kind] as KindOf<Node>

interface Encoder {
  readonly kinds: KindTable
  /** The JSON form of what lies below. */
  encode(node: Node, value: unknown): unknown
  /** Whether a declaration takes a JSON value, whatever the clock says. */
  takes(node: Node, value: unknown): boolean
}

export interface CodeOf<N extends Declared> {
  /** What becomes of an absent value: its test fails, and the interpreter reports it; or the code looks itself. */
  readonly absent: 'told' | 'own'
  write(whole: EmitContext, node: N): void
  /** Of a scalar: which values it takes, as code. */
  readonly test?: (writer: Writer, node: N, read: string, from: From) => Test
  /** Of a scalar that is read to something else than JSON: which of those values it takes. */
  readonly held?: (writer: Writer, node: N, value: string) => Held
}

/** Where the value of a scalar comes from: its source, and the part of the request. */
export interface From {
  readonly source: Source
  readonly part?: string | number | undefined
}

/** A test of values that were read: it holds for those of which `isRead` says that they are of the kind. */
export interface Held extends Test {
  readonly isRead: string
}

/**
 * Which values a scalar takes, as code. It is exact: the interpreter takes a value if and only if the test holds, so
 * that a union can go on to its next branch. Only what is wrong with a value is left to the interpreter.
 */
export interface Test {
  /** A line before the test. */
  readonly prepare?: string
  /** `undefined` if the interpreter looks at every value. */
  readonly test?: string
  /** What is read, if it is not what was sent. */
  readonly value?: string
  /** What came of reading a value that the test does not take. */
  readonly tried?: string
}

/** What the code of each kind is written with: the variable that it reads into, and how the interpreter would. */
export interface EmitContext {
  readonly writer: Writer
  readonly read: string
  readonly place: Spot
  /** The line by which the interpreter reads it; `tried` is what came of reading it already. */
  interpretInstead(tried?: string): string
  readonly kinds: KindTable
  /** What is right of a scalar, as code; `undefined` of another kind. */
  test(writer: Writer, node: Node, read: string, from: From): Test | undefined
  /** Writes the reading of a value below, from the text of an expression; gives the variable with what was read. */
  emit(node: Node, value: string, place: Spot, count?: Count): string
  /** The same by a function of its own, whose code is made when it is first called; gives the expression of its call. */
  emitApart(node: Node, value: string, place: Spot): string
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

/** JSON text where a value needs no quotes; how a number is written; how a plus is; a record that goes by names. */
export type Hint = 'quotes' | 'written' | 'plus' | 'pairs'

/** One thing found wrong. Its words are made only when they are asked for. */
export interface Fault {
  readonly path: Path
  readonly stage: Stage
  readonly code: string
  /** The code by which catalogues word it, if they have no words for its own. */
  readonly saidAs?: string | undefined
  /** If it is in a body of lines. */
  readonly place?: { readonly line: number; readonly column: number } | undefined
  /** The status that its rule gives it. */
  readonly status?: number | undefined
  /** The declaration that was not met: it may have own words. */
  readonly node?: Node | undefined
  /** The limit that failed. */
  readonly limit?: unknown
  /** What was sent, if it may be echoed; or the kind of it, if that is what is wrong. */
  readonly sent?: unknown
  /**
   * Chooses between the ways in which a catalogue words one code, `wrong_type.instant`: the node's kind if nothing is
   * said.
   */
  readonly variant?: string | undefined
  /** What to do about it, said behind the rest: by the key of its words. */
  readonly hint?: Hint | undefined
  /** What else the words speak of. */
  readonly about?: { readonly [name: string]: unknown } | undefined
  /** Places of which the error says that they hold the same as a secret: a trace shows none of them. */
  readonly hides?: readonly Path[] | undefined
  /** The rule that found it. */
  readonly by?: object | undefined
  /** Own words that are not the node's. */
  readonly messages?: Messages | undefined
}

/**
 * Where values come from: JSON with types of its own; JSON in which text is read as well; or text alone, if an empty
 * text counts as not sent.
 */
export type Source = 'json' | 'coerced' | 'text'

/** What reads any node. One object for all judgements, so that each costs a field less. */
export interface Interpreter {
  readonly kinds: KindTable
  /** `undefined`: absent, or it could not be read, and then a fault says why. See `readNode`. */
  readonly interpret: (node: Node, value: unknown, source: Source, run: Run) => unknown
}

export interface Run {
  readonly interpreter: Interpreter
  /** Where the judgement is, should it fail. */
  stage: 'shape' | 'rules'
  /** The clock of the judgement, in milliseconds since 1970: see `clock`. */
  now: number | undefined
  /** The caller, if the endpoint declares it and it is known. */
  who: unknown
  /** The last argument of a declaration's own functions: made when the first is called. */
  asking: Asking | undefined
  faults: Fault[]
  /** What rules and lookups that only observe have found. */
  observed?: { readonly faults: Fault[]; readonly causes: unknown[] } | undefined
  /** What became of the elements that are judged each alone. */
  pieces?: { readonly faults: readonly Fault[] }
  /** Faults beyond the most that are kept. */
  beyond: number
  /** Whether objects inherit names that can be enumerated, once that was asked. */
  isPolluted: boolean | undefined
  /** How often anything was found wrong, also in what a union tried and gave up. */
  found: number
  /** Where the walk is now; for a scalar that code has found wrong, its path as a whole. */
  path: (string | number)[]
  /** The path of the walk itself, which goes on. */
  readonly walk: (string | number)[]
  /** Readings and steps, if they were asked for. */
  readonly trace: { readings: Reading[]; readonly steps: Passed[] } | undefined
  /** What happens to unlisted names where a record does not say. */
  unlisted: 'refuse' | 'drop' | 'keep'
  /** Whether the request goes on as it was sent: a page has no such requests. */
  asSent?: boolean
  /** Hears how the request goes. */
  telemetry?: RequestTelemetry | undefined
  /** Names are compared for suggestions only so often in one judgement. */
  suggestions: number
  /** How many secrets the walk is inside of. */
  secrecy: number
  /** The deepest nesting of values whose declaration holds itself, or says nothing about them. */
  deepest: number
  /** How deep the walk is in declarations that hold themselves. */
  depth: number
  /** The branches by which unions read objects whose records have rules. */
  taken: Map<Node, Map<object, Node>> | undefined
  /** What came of each declaration and value inside a union that is tried branch by branch: see `recall`. */
  tries: Map<Node, Map<unknown, Try>> | undefined
  /** Values that are read from another source than those about them: JSON in the parts of a form. */
  sources?: ReadonlyMap<string, Source> | undefined
  /** Where each value of a body of lines stands, as its line and column; and whether one is no JSON. */
  lines?:
    | {
        placeOf(path: Path): { readonly line: number; readonly column: number } | undefined
        readonly isBroken: boolean
      }
    | undefined
  /**
   * Of a request that a journal has kept, by their addresses: the codes of its errors. What was masked there is taken as
   * it was.
   */
  kept?: ReadonlyMap<string, readonly string[]> | undefined
  /** The places of masked values: what was there is not known. */
  masked: Path[]
  /** By their addresses: numbers as they were written that have lost digits since. */
  rounded?: ReadonlyMap<string, string> | undefined
  /** Objects that declarations which hold themselves have read, if a program may have put one into many places. */
  met?: Map<unknown, Map<object, Met>> | undefined
}

/** What was read of an object; or what was wrong with it first, and how deep the walk was. */
export type Met = { readonly read: unknown } | { readonly fault: Fault; readonly depth: number }

/** What one declaration made of one value at one place. */
export interface Try {
  readonly value: unknown
  readonly path: Path
  readonly source: Source
  readonly isSecret: boolean
  readonly read: unknown
  readonly faults: readonly Fault[]
  readonly beyond: number
  readonly readings: readonly Reading[]
}
