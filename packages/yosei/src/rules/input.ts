/** What rules and conditions are judged on, and how they find their way in it. */
import type { Node } from '../kinds/kind.js'
import { nodesAt } from '../kinds/locate.js'
import type { Fault, Run } from '../kinds/run.js'
import { keepsEmpty } from '../kinds/shape.js'
import {
  EACH,
  EACH_NAME,
  firstEach,
  firstFromEnd,
  lastEach,
  type Path,
  parseAddress,
  stepsOf,
  valueAt,
  withIndices,
} from '../terms/address.js'
import type { Parts } from '../terms/parts.js'

export interface RuleInput {
  /** Declares the parts. */
  readonly root: Node
  readonly sent: Parts
  readonly input: Parts
  /** What the client would rather read. */
  readonly accept: string | undefined
  readonly scope: Scope
  /** Holds what a service puts in against the field at a path; gives it as it would be read. */
  readonly hold: (path: Path, value: unknown) => unknown
  /**
   * What another field finds wrong with a value that was read, and with what was sent for it; of a secret, without a word
   * of the value.
   */
  readonly fit: (field: Node, value: unknown, sent: unknown, isSecret: boolean) => readonly Fault[]
  /** Whether the body is read as text; an empty text then counts as not sent. */
  readonly isTextBody: boolean
  /** Whether something is wrong at a place, below it, or at what holds it. */
  readonly isWrong: (path: Path) => boolean
  /**
   * Whether the rule speaks of a place: the conditions that it is inside of hold there. `undefined` if something that
   * they look at is wrong.
   */
  readonly speaksOf: (place: Path) => boolean | undefined
  /** What does not depend on the element that a rule is judged at: worked out once for all of them. */
  readonly known: Map<unknown, unknown>
  readonly run: Run
  /** What its own function has said already, if code has called it. */
  readonly own?: { readonly result: unknown } | undefined
}

/** What depends on nothing but paths that are the same for all elements is worked out once. */
export function once<T>(matter: RuleInput, key: unknown, paths: () => readonly Path[], work: () => T): T {
  const { declared, concrete } = matter.scope
  const first = firstEach(declared)
  // An index of the element has been put in.
  if (first >= 0 && paths().some((path) => concrete.slice(0, first + 1).every((step, index) => step === path[index])))
    return work()
  if (!matter.known.has(key)) matter.known.set(key, work())
  return matter.known.get(key) as T
}

/**
 * An address as it is declared: what a value is follows from there, and not from the name under which it stands, which
 * another branch of a union may declare as something else.
 */
export const declaredAt = (address: string, { base }: Pick<Scope, 'base'>): Path => [
  ...base,
  ...(parseAddress(address) ?? []),
]

/** Where a rule is judged: in the record that brings it, and at one element of the lists that it is judged by. */
export interface Scope {
  /** The record whose rule it is, as declared; empty for those of an endpoint. */
  readonly base: Path
  /** The record, and the lists, as declared. */
  readonly declared: Path
  /** The same with indices. */
  readonly concrete: Path
  /** In what the elements that addresses count from the end are found. */
  readonly input?: Parts | undefined
  /** What has been worked out for this place, if it is the same in every judgement. */
  readonly fixed?: Map<unknown, unknown> | undefined
}
export const everywhere: Scope = { base: [], declared: [], concrete: [] }

/** What depends on nothing but the declaration and the place: worked out once where no list is in the way. */
export function fixedAt<T extends object>({ fixed }: Scope, key: unknown, work: () => T): T {
  const known = fixed?.get(key)
  if (known !== undefined) return known as T
  const made = work()
  fixed?.set(key, made)
  return made
}

const paths = /* @__PURE__ */ new Map<string, Path>()

/** The path of a declared address, taken apart once; with the indices of the place where its rule is judged. */
export function pathOf(address: string, scope: Scope): Path {
  return fixedAt(scope, address, () => placed(address, scope))
}

function placed(address: string, { base, declared, concrete, fixed, input }: Scope): Path {
  let own = paths.get(address)
  if (!own) {
    own = Object.freeze(parseAddress(address) as Path)
    paths.set(address, own)
  }
  if (declared.length === 0) return withIndices(input, own)
  const path = [...base, ...own]
  for (let i = 0; i < declared.length && path[i] === declared[i]; i++) path[i] = concrete[i] as string | number
  return fixed ? Object.freeze(path) : withIndices(input, path)
}

/** How far several paths go together, to the last `[]` or `{}` on that way; empty if there is none. */
export function listsShared(paths: readonly Path[]): Path {
  const [first = []] = paths
  const parts = first.findIndex((key, index) => !paths.every((path) => path[index] === key))
  const shared = parts < 0 ? first : first.slice(0, parts)
  return shared.slice(0, lastEach(shared) + 1)
}

/** The paths that an address with `[]` or `{}` stands for in this input; the first steps may be settled already. */
export function concrete(input: Parts, path: Path, settled: Path = []): Path[] {
  const at = firstEach(path)
  const hasEnds = firstFromEnd(path) >= 0
  if (at < 0) return [hasEnds ? withIndices(input, path) : path]
  const steps = settled.length > 0 ? settled.slice(0, 1) : stepsOf(valueAt(input, path.slice(0, at)), path[at])
  const isLast = firstEach(path, at + 1) < 0
  const rest = settled.slice(1)
  const found: Path[] = []
  for (const step of steps) {
    const one = [...path]
    one[at] = step
    if (isLast) found.push(hasEnds ? withIndices(input, one) : one)
    else for (const below of concrete(input, one, rest)) found.push(below)
  }
  return found
}

/** Whether a path goes through a list or a table that another does not. */
export function strays(path: Path, other: Path): boolean {
  const parts = path.findIndex((key, index) => key !== other[index])
  return parts >= 0 && firstEach(path, parts) >= 0
}

/** The steps of another path under those `[]` and `{}` that both have in common. */
export function stepsShared(path: Path, other: Path): Path {
  const steps: (string | number)[] = []
  for (let i = 0; i < Math.min(path.length, other.length); i++) {
    const [key, step] = [path[i], other[i] as string | number]
    if (key === EACH ? typeof step === 'number' && step >= 0 : key === EACH_NAME && typeof step === 'string')
      steps.push(step)
    else if (key !== step) break
  }
  return steps
}

/** The one place of another path in the element of a path. */
export const beside = (other: Path, path: Path): Path => {
  const steps = stepsShared(other, path)
  let next = 0
  return other.map((key) => (firstEach([key]) === 0 ? (steps[next++] ?? key) : key))
}

const isIndex = (step: string | number) => typeof step === 'number'

/** What depends on those steps alone that some paths share with another: worked out once for each of them. */
export function eachOnce<T>(paths: readonly Path[], work: (...steps: Path[]) => T): (other: Path) => T {
  if (paths.every((path) => firstEach(path) < 0)) {
    let always: { readonly worked: T } | undefined
    return () => {
      always ??= { worked: work() }
      return always.worked
    }
  }
  const known = new Map<string, T>()
  return (other) => {
    const steps = paths.map((path) => stepsShared(path, other))
    const [only = []] = steps
    const key = steps.length === 1 && only.every(isIndex) ? only.join() : JSON.stringify(steps)
    if (known.has(key)) return known.get(key) as T
    const worked = work(...steps)
    known.set(key, worked)
    return worked
  }
}

/** Whether anything was sent at a place. Where text is read, an empty text counts as absent unless its field keeps it. */
export function isPresent({ sent, input, root, isTextBody }: RuleInput, place: Path): boolean {
  let value: unknown = sent
  for (const step of place) {
    // The elements of a list that came as one text.
    if (typeof value === 'string') {
      const list = valueAt(input, place.slice(0, -1))
      const index = Number(place.at(-1))
      return Array.isArray(list) && index >= 0 && index < list.length
    }
    value = valueAt(value, [step])
  }
  if (value !== '') return value !== undefined
  return (place[0] === 'body' && !isTextBody) || nodesAt(root, place).some(keepsEmpty)
}

/** The places of a rule's error; what holds them if there are none. */
export function blamedAt(input: Parts, path: Path): readonly Path[] {
  const places = concrete(input, path)
  return places.length > 0 ? places : [path.slice(0, firstEach(path))]
}

/** The places that an address stands for, of those that the rule speaks of. */
export const placesOf = (address: string, { input, scope, speaksOf }: RuleInput): readonly Path[] =>
  concrete(input, pathOf(address, scope)).filter((place) => speaksOf(place) === true)

/** Where nothing is wrong, and a rule speaks of all. */
export const unconditional = { isWrong: () => false, speaksOf: () => true }

export const isNone = (value: unknown): value is undefined | null => value === undefined || value === null

/** Of an element that is counted from the end, and is not there, its list is blamed. */
function toThere(path: Path): Path {
  const at = firstFromEnd(path)
  return at < 0 ? path : path.slice(0, at)
}

/** The error of a rule at a place. */
export const faultOf = (
  rule: { readonly code: string; readonly message?: string; readonly status?: number },
  path: Path,
  rest: Omit<Partial<Fault>, 'path' | 'stage' | 'status' | 'place' | 'node' | 'hint'> = {},
): Fault => ({
  path: toThere(path),
  stage: 'rules',
  code: rest.code ?? rule.code,
  saidAs: rest.saidAs,
  status: rule.status,
  by: rule,
  messages: rest.messages ?? rule.message,
  variant: rest.variant,
  limit: rest.limit,
  sent: rest.sent,
  about: rest.about,
  hides: rest.hides,
})
