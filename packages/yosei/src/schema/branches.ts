/** What is reported if no branch accepts a value. Unions do the same: see `either`. */
import { highest, isOtherType } from '../kinds/either.js'
import { isNamed } from '../kinds/run.js'
import type { Finding } from '../kinds/schema.js'
import { canonical } from '../terms/canonical.js'
import { Forms } from './forms.js'
import type { Place, Scope } from './place.js'

/** The findings of the branch that was probably meant. */
export function closest(places: readonly Place[], value: unknown, scope: Scope): readonly Finding[] {
  const [only, ...more] = places
  if (only && more.length === 0) return only.tell(value, scope)
  const close = places
    .map((place) => ({ place, found: place.tell(value, scope) }))
    .filter(({ found }) => !found.some(({ path, code }) => path.length === 0 && isOtherType(code)))
  const wanted = isNamed(value) ? tellingName(close.map(({ place }) => place)) : undefined
  if (wanted && isNamed(value)) {
    const { name, values } = wanted
    const sent = Object.hasOwn(value, name) ? value[name] : undefined
    if (sent === undefined) return [{ path: [name], code: 'missing' }]
    if (!values.has(canonical(sent))) return [{ path: [name], code: 'not_a_choice', limit: [...values.values()], sent }]
  }
  const best = highest(close, ({ place, found }) => [
    isMeant(place, value) ? 1 : 0,
    isNamed(value) ? Object.keys(value).filter((name) => declares(place, name)).length : 0,
    -found.length,
    found.reduce((deepest, { path }) => Math.max(deepest, path.length), 0),
  ])
  if (best) return best.found
  const about = { forms: new Forms(places.map(({ shape }) => shape)) }
  return [{ path: [], code: 'no_branch', variant: 'forms', about }]
}

const all = new WeakMap<Place, ReadonlySet<Place>>()
/** A schema, and those that it applies to the same value. */
function appliedIn(place: Place): ReadonlySet<Place> {
  const known = all.get(place)
  if (known) return known
  const found = new Set([place])
  for (const one of found) for (const inner of one.applied) found.add(inner)
  all.set(place, found)
  return found
}
/** The names that they declare. */
export const namesIn = (place: Place): readonly string[] =>
  [...appliedIn(place)].flatMap((one) => one.named.map(([name]) => name))
/** Whether a schema, or one that it applies to the same value, says something of a name or an element. */
export const declares = (place: Place, key: string | number): boolean =>
  [...appliedIn(place)].some((one) => (typeof key === 'string' ? one.members(key) : one.elements(key)).length > 0)

type Constants = ReadonlyMap<string, readonly unknown[]>
const constants = new WeakMap<Place, Constants>()
/** The values that objects must have under a name, as far as a schema says so without a condition. */
function constantsOf(place: Place): Constants {
  const known = constants.get(place)
  if (known) return known
  const required = new Set<string>()
  const values = new Map<string, readonly unknown[]>()
  const seen = new Set<Place>()
  const look = (one: Place): void => {
    if (seen.has(one)) return
    seen.add(one)
    for (const name of Array.isArray(one.schema['required']) ? one.schema['required'] : []) required.add(String(name))
    for (const [name, member] of one.named) {
      const { const: constant, enum: several } = member.shape
      if ('const' in member.shape) values.set(name, [constant])
      else if (Array.isArray(several)) values.set(name, several)
    }
    for (const inner of one.always) look(inner)
  }
  look(place)
  const found = new Map([...values].filter(([name]) => required.has(name)))
  constants.set(place, found)
  return found
}

const isMeant = (place: Place, value: unknown): boolean => {
  const all = [...constantsOf(place)]
  return (
    isNamed(value) &&
    all.length > 0 &&
    all.every(
      ([name, values]) => Object.hasOwn(value, name) && values.some((one) => canonical(one) === canonical(value[name])),
    )
  )
}

/** The values that schemas must have under a name, each of one schema alone; `undefined` if they are not told apart so. */
export function placesByConstant(places: readonly Place[], name: string): ReadonlyMap<unknown, Place> | undefined {
  const all = places.map((place) => [place, constantsOf(place).get(name)] as const)
  const found = new Map(all.flatMap(([place, values]) => (values ?? []).map((one) => [one, place] as const)))
  const isTold = all.every(([, values]) => values !== undefined)
  return isTold && found.size === all.flatMap(([, values]) => values ?? []).length ? found : undefined
}

/** The name by whose value each of some schemas can be distinguished from the others, and all its values. */
export function tellingName(
  places: readonly Place[],
): { readonly name: string; readonly values: ReadonlyMap<string, unknown> } | undefined {
  const [first, ...more] = places.map(constantsOf)
  if (!first || more.length === 0) return undefined
  for (const name of first.keys()) {
    const all = [first, ...more].map((one) => one.get(name))
    const values = all.flatMap((one) => one ?? [])
    const texts = new Map(values.map((one) => [canonical(one), one]))
    if (all.every((one) => one !== undefined) && texts.size === values.length) return { name, values: texts }
  }
  return undefined
}
