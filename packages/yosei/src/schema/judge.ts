/** Judges values by a schema, as a field does: see `SchemaJudge`. */
import { integerText } from '../kinds/number.js'
import { isNamed } from '../kinds/run.js'
import { type Finding, type SchemaJudge, withoutValues } from '../kinds/schema.js'
import { distinct } from './applicators.js'
import { isType, type Type } from './assertions.js'
import type { Place } from './place.js'
import type { Program } from './program.js'
import { samplesOf } from './sample.js'

/**
 * @param whole What the judge stands for, if it judges a part alone.
 * @param carried What is carried by the texts that came, if that is not the value itself.
 * @param isRest Whether the schema only says what must hold besides what a field reads.
 */
export const judgeBy = (
  program: Program,
  place: Place,
  whole = place,
  carried: (sent: unknown) => unknown = (sent) => sent,
  isRest = false,
): SchemaJudge => new Judge(program, place, whole, carried, isRest)

/** A class, since what is declared is copied and frozen, but for instances. */
class Judge implements SchemaJudge {
  readonly #program: Program
  readonly #place: Place
  readonly #whole: Place
  readonly #carried: (sent: unknown) => unknown
  #document: { readonly made: unknown } | undefined
  #sample: { readonly made: unknown } | undefined
  readonly isRest: boolean
  constructor(program: Program, place: Place, whole: Place, carried: (sent: unknown) => unknown, isRest: boolean) {
    this.#program = program
    this.#place = place
    this.#whole = whole
    this.#carried = carried
    this.isRest = isRest
  }
  get document(): unknown {
    this.#document ??= { made: this.#program.documentOf(this.#whole) }
    return this.#document.made
  }
  holds(value: unknown): boolean {
    return this.#place.holds(value, this.#program.scope())
  }
  tell(value: unknown): readonly Finding[] {
    const found = inOrder(distinct(this.#place.tell(value, this.#program.scope())))
    // What does not hold is never taken, even if no keyword says why.
    const told: readonly Finding[] = found.length > 0 ? found : [{ path: [], code: 'no_branch' }]
    return told.map((one) => (isShown(this.#program, one) ? one : withoutValues(one)))
  }
  meant(sent: unknown): unknown {
    return meaning(this.#program, this.#whole, this.#carried(sent))
  }
  mask(value: unknown): unknown {
    return masked(this.#program, [this.#whole], value)
  }
  sample(): unknown {
    this.#sample ??= { made: samplesOf(this.#whole).find((one) => this.holds(one)) }
    return this.#sample.made
  }
}

interface Branch {
  readonly own: Finding[]
  readonly below: Map<string | number, Branch>
}
/** What holds before what it holds, elements by their place, names as they came. */
function inOrder(findings: readonly Finding[]): readonly Finding[] {
  if (findings.length < 2) return findings
  const root: Branch = { own: [], below: new Map() }
  for (const finding of findings) {
    let at = root
    for (const key of finding.path) {
      const next = at.below.get(key) ?? { own: [], below: new Map() }
      at.below.set(key, next)
      at = next
    }
    at.own.push(finding)
  }
  const all = ({ own, below }: Branch): readonly Finding[] => {
    const keys = [...below.keys()]
    if (keys.every((key) => typeof key === 'number')) keys.sort((a, b) => Number(a) - Number(b))
    return [...own, ...keys.flatMap((key) => all(below.get(key) as Branch))]
  }
  return all(root)
}

/** Whether what was sent may be shown: not of a secret, nor of what stands in one. */
const isShown = ({ secrets }: Program, { path }: Finding) =>
  !secrets.isAnywhere && !path.some((step) => typeof step === 'string' && secrets.names.has(step))
/** What texts stand for, where only texts can be sent: each the first meaning that its schema takes. */
function meaning(program: Program, place: Place | undefined, sent: unknown): unknown {
  if (Array.isArray(sent)) return sent.map((one, index) => meaning(program, place?.elements(index)[0], one))
  if (isNamed(sent))
    return Object.fromEntries(
      Object.entries(sent).map(([name, one]) => [name, meaning(program, place?.members(name)[0], one)]),
    )
  if (typeof sent !== 'string' || !place) return sent
  const all = meanings(place, sent)
  // If none is right, the first one is reported.
  return all.find((one) => place.holds(one, program.scope())) ?? all[0] ?? sent
}

/** In the order in which a schema names its types; a text, if it names none. */
function meanings(place: Place, text: string): readonly unknown[] {
  const given = place.shape['type']
  const named = (Array.isArray(given) ? given : [given]).filter(isType)
  const scalars: readonly Type[] = named.length > 0 ? named : ['string', 'number', 'boolean', 'null']
  return scalars.flatMap((type) => readers[type]?.(text) ?? [])
}
const isNumber = /^-?(0|[1-9][0-9]*)(\.[0-9]+)?([eE][+-]?[0-9]+)?$/
const flags: { readonly [text: string]: boolean } = { true: true, false: false, 1: true, 0: false }
const readers: { readonly [T in Type]?: (text: string) => readonly unknown[] } = {
  string: (text) => [text],
  number: (text) => (isNumber.test(text) ? [Number(text)] : []),
  integer: (text) => (integerText.test(text) ? [Number(text)] : []),
  boolean: (text) => (Object.hasOwn(flags, text) ? [flags[text]] : []),
  null: (text) => (text === 'null' ? [null] : []),
}

/** What any of some schemas declares, and none keeps secret; scalars cut short. */
function masked(program: Program, places: readonly Place[], value: unknown): unknown {
  const all = new Set(places)
  for (const place of all) for (const inner of place.applied) all.add(inner)
  if (all.size === 0 || [...all].some(({ isSecret }) => isSecret)) return undefined
  if (Array.isArray(value))
    return value.slice(0, 1000).map((one, index) =>
      masked(
        program,
        [...all].flatMap((place) => place.elements(index)),
        one,
      ),
    )
  if (isNamed(value))
    return Object.fromEntries(
      Object.entries(value).map(([name, one]) => [
        name,
        masked(
          program,
          [...all].flatMap((place) => place.declared(name)),
          one,
        ),
      ]),
    )
  return typeof value === 'string' ? value.slice(0, 1000) : value
}
