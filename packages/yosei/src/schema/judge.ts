/** Judges values by a schema, as a field does: see `SchemaJudge`. */
import { isNamed } from '../kinds/run.js'
import type { Finding, SchemaJudge } from '../kinds/schema.js'
import { distinct } from './applicators.js'
import { isType, type Type, types } from './assertions.js'
import type { Place } from './place.js'
import type { Program } from './program.js'
import { samplesOf } from './sample.js'

/** @param whole What the judge stands for, if it judges a part alone. */
export function judgeBy(program: Program, place: Place, whole = place): SchemaJudge {
  const holds = (value: unknown) => place.holds(value, program.scope())
  let document: unknown
  let sample: { readonly made: unknown } | undefined
  return {
    get document() {
      document ??= program.documentOf(whole)
      return document
    },
    holds,
    tell(value) {
      const found = distinct(place.tell(value, program.scope()))
      // What does not hold is never taken, even if no keyword says why.
      const told: readonly Finding[] = found.length > 0 ? found : [{ path: [], code: 'no_branch' }]
      return told.map((one) => (isTold(program, one) ? one : { ...one, sent: undefined, ...hidden(one) }))
    },
    meant: (text) => (typeof text === 'string' ? (meanings(place, text).find(holds) ?? text) : text),
    mask: (value) => masked(program, [place], value),
    sample() {
      sample ??= { made: samplesOf(whole).find(holds) }
      return sample.made
    },
  }
}

/** Whether what was sent may be shown: not of a secret, nor of what stands in one. */
const isTold = ({ secrets }: Program, { path }: Finding) =>
  !secrets.isAnywhere && !path.some((step) => typeof step === 'string' && secrets.names.has(step))
const hidden = ({ code }: Finding): Partial<Finding> =>
  code === 'not_constant' || code === 'not_a_choice' ? { limit: undefined, variant: 'secret' } : {}

/** What a text may stand for, in the order in which the schema names its types; a text, if it names none. */
function meanings(place: Place, text: string): readonly unknown[] {
  const given = place.shape['type']
  const named = (Array.isArray(given) ? given : [given]).filter(isType)
  const scalars: readonly Type[] = named.length > 0 ? named : ['string', 'number', 'boolean', 'null']
  return scalars.flatMap((type) => readers[type]?.(text) ?? [])
}
const isNumber = /^-?(0|[1-9][0-9]*)(\.[0-9]+)?([eE][+-]?[0-9]+)?$/
const flags: { readonly [text: string]: boolean } = { true: true, false: false }
const readers: { readonly [T in Type]?: (text: string) => readonly unknown[] } = {
  string: (text) => [text],
  number: (text) => (isNumber.test(text) ? [Number(text)] : []),
  integer: (text) => (isNumber.test(text) && types.integer(Number(text)) ? [Number(text)] : []),
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
          [...all].flatMap((place) => place.members(name)),
          one,
        ),
      ]),
    )
  return typeof value === 'string' ? value.slice(0, 1000) : value
}
