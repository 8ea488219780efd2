/** Keywords that apply other schemas: JSON Schema 2020-12 Core, sections 8.2, 10 and 11. */
import { isNamed } from '../kinds/run.js'
import type { Finding } from '../kinds/schema.js'
import { isCount, isListOfNames, neededBeside } from './assertions.js'
import { closest, declares, namesIn } from './branches.js'
import { Forms } from './forms.js'
import type { Making, Members } from './making.js'
import { below, isSamePlace, mostFindings, type Place, type Rule, type Scope, Seen } from './place.js'

type Make = (value: unknown, making: Making) => Rule | undefined

/** A rule that applies one schema to the value itself. */
const sameAs = (place: Place): Rule => ({
  holds: (value, scope, seen) => place.holds(value, scope, seen),
  tell: (value, scope) => place.tell(value, scope),
})

const isNone = (place: Place | undefined) => place?.located.schema === false
const notAllowed: Finding = { path: [], code: 'not_allowed_here', variant: 'schema' }
/** What is wrong with a value that no schema may take. */
export const never: Rule = { holds: () => false, tell: () => [notAllowed] }

/** The schemas of one member. */
export function placesOf({ named, patterns, others }: Members, name: string): readonly Place[] {
  const own = named.get(name)
  const matched = patterns.filter(([pattern]) => pattern.isMatched(name)).map(([, place]) => place)
  const found = own ? [own, ...matched] : matched
  return found.length === 0 && others ? [others] : found
}

const [mostKnown, longestKnown] = [1000, 64]

function members(_: unknown, making: Making): Rule {
  const all = making.members
  const { named, others } = all
  // Which patterns a name has is found once, for names as people give them.
  const known = new Map<string, readonly Place[]>()
  const placesAt = (name: string): readonly Place[] => {
    const places = known.get(name) ?? placesOf(all, name)
    if (known.size < mostKnown && name.length <= longestKnown) known.set(name, places)
    return places
  }
  const isPlain = all.patterns.length === 0 && others === undefined
  return {
    holds(value, scope, seen) {
      if (!isNamed(value)) return true
      for (const name of Object.keys(value)) {
        if (isPlain) {
          const place = named.get(name)
          if (!place) continue
          if (!place.holds(value[name], scope)) return false
        } else {
          const places = placesAt(name)
          if (places.length === 0) continue
          if (!places.every((place) => place.holds(value[name], scope))) return false
        }
        seen?.names.add(name)
      }
      return true
    },
    tell(value, scope) {
      if (!isNamed(value)) return []
      const declared = [...named.keys()].filter((name) => Object.hasOwn(value, name))
      const order = [...declared, ...Object.keys(value).filter((name) => !named.has(name))]
      return gathered(order, (name) => {
        const places = placesOf(all, name)
        if (places.length > 0 && places[0] === others && isNone(others)) return [unlisted(name, [...named.keys()])]
        return below(name, distinct(places.flatMap((place) => place.tell(value[name], scope))))
      })
    },
  }
}
const unlisted = (name: string, names: readonly string[]): Finding => ({ path: [name], code: 'unlisted', names })

/** What is wrong with many members or elements, as far as so much is kept. */
function gathered<K>(keys: Iterable<K>, tell: (key: K) => readonly Finding[]): readonly Finding[] {
  const found: Finding[] = []
  for (const key of keys) {
    if (found.length >= mostFindings) break
    found.push(...tell(key))
  }
  return found
}

/** The same thing wrong, found by several schemas, is one. */
export function distinct(findings: readonly Finding[]): readonly Finding[] {
  if (findings.length < 2) return findings
  const seen = new Set<string>()
  return findings.filter(({ path, code, limit, variant }) => {
    const key = JSON.stringify([path, code, limit, variant])
    return seen.size < seen.add(key).size
  })
}

/** Elements by their place, and the others. */
function elements(_: unknown, making: Making): Rule {
  const { leading, others } = making.elements
  const placeAt = (index: number) => leading[index] ?? others
  return {
    holds(value, scope, seen) {
      if (!Array.isArray(value)) return true
      const count = others ? value.length : Math.min(leading.length, value.length)
      for (let index = 0; index < count; index++) if (!placeAt(index)?.holds(value[index], scope)) return false
      if (seen) seen.leading = Math.max(seen.leading, count)
      return true
    },
    tell(value, scope) {
      if (!Array.isArray(value)) return []
      const tellAll = (indexes: Iterable<number>) =>
        gathered(indexes, (index) => below(index, placeAt(index)?.tell(value[index], scope) ?? []))
      if (isNone(others) && value.length > leading.length)
        return [...tellAll(leading.keys()), { path: [], code: 'too_many', limit: leading.length }]
      return tellAll(value.keys())
    },
  }
}

/** How many elements a schema takes: one at least, if nothing else is said. */
function contains(_: unknown, making: Making): Rule | undefined {
  const place = making.place(['contains'], making.schema['contains'])
  if (!place) return undefined
  const count = (name: string) => {
    const given = making.schema[name]
    if (given === undefined || isCount(given)) return given
    making.keyword = name
    return making.odd('a whole number from zero on')
  }
  const [least, most] = [count('minContains') ?? 1, count('maxContains') ?? Number.POSITIVE_INFINITY]
  const taken = (value: readonly unknown[], scope: Scope) =>
    value.flatMap((one, index) => (place.holds(one, scope) ? [index] : []))
  const about = { forms: new Forms([place.schema]) }
  return {
    holds(value, scope, seen) {
      if (!Array.isArray(value)) return true
      const found = taken(value, scope)
      if (found.length < least || found.length > most) return false
      if (seen) for (const index of found) seen.elements.add(index)
      return true
    },
    tell(value, scope) {
      if (!Array.isArray(value)) return []
      const found = taken(value, scope).length
      if (found < least) return [{ path: [], code: 'too_few', limit: least, variant: 'contains', about }]
      return found > most ? [{ path: [], code: 'too_many', limit: most, variant: 'contains', about }] : []
    },
  }
}

function propertyNames(_: unknown, making: Making): Rule | undefined {
  const place = making.place(['propertyNames'], making.schema['propertyNames'])
  if (!place) return undefined
  return {
    holds: (value, scope) => !isNamed(value) || Object.keys(value).every((name) => place.holds(name, scope)),
    tell: (value, scope) =>
      isNamed(value)
        ? gathered(Object.keys(value), (name): Finding[] => {
            const [first] = place.tell(name, scope)
            if (!first) return []
            const { code, limit } = first
            const isPattern = code === 'wrong_pattern'
            return [{ path: [name], code: 'wrong_pattern', limit, variant: isPattern ? 'name' : 'otherName' }]
          })
        : [],
  }
}

const every: Make = (_, making) => {
  making.places()
  const places = making.parts()
  return {
    holds: (value, scope, seen) => places.every((place) => place.holds(value, scope, seen)),
    tell: (value, scope) => distinct(places.flatMap((place) => place.tell(value, scope))),
  }
}

/** Whether at least one takes the value. All are asked if it is noted what they have looked at. */
const some: Make = (_, making) => {
  const places = making.places()
  const named = namedBy(making)
  const holds: Rule['holds'] = (value, scope, seen) => {
    if (!seen) return places.some((place) => place.holds(value, scope))
    return places.filter((place) => held(place, value, scope, seen)).length > 0
  }
  return named({ holds, tell: (value, scope) => (holds(value, scope, undefined) ? [] : closest(places, value, scope)) })
}

/** The branch that an object names is the one that counts (OpenAPI 3.1, section 4.8.25). */
function namedBy(making: Making): (rule: Rule) => Rule {
  const found = making.discriminator()
  if (!found) return (rule) => rule
  const { name, places } = found
  const tagOf = (value: unknown) => (isNamed(value) && Object.hasOwn(value, name) ? value[name] : undefined)
  return (rule) => ({
    holds(value, scope, seen) {
      if (!isNamed(value)) return rule.holds(value, scope, seen)
      return places.get(tagOf(value) as string)?.holds(value, scope, seen) ?? false
    },
    tell(value, scope) {
      if (!isNamed(value)) return rule.tell(value, scope)
      const tag = tagOf(value)
      const place = places.get(tag as string)
      if (place) return place.tell(value, scope)
      const code = tag === undefined ? 'missing' : tag === null ? 'null_not_allowed' : 'not_a_choice'
      return [{ path: [name], code, limit: [...places.keys()], sent: tag }]
    },
  })
}

/** The heir that an object names is what it must be, if it names one (OpenAPI 3.1, section 4.8.25). */
const heirs: Make = (_, making) => {
  const found = making.heirs()
  if (!found) return undefined
  const { name, places } = found
  const heirOf = (value: unknown): Place | 'other' | undefined => {
    if (!isNamed(value) || !Object.hasOwn(value, name)) return undefined
    const place = places.get(value[name] as string)
    return place === undefined ? 'other' : isSamePlace(place.located, making.self().located) ? undefined : place
  }
  return {
    holds(value, scope, seen) {
      const heir = heirOf(value)
      return heir === undefined || (heir !== 'other' && heir.holds(value, scope, seen))
    },
    tell(value, scope) {
      const heir = heirOf(value)
      if (heir === undefined) return []
      const sent = (value as { readonly [name: string]: unknown })[name]
      if (heir === 'other') return [{ path: [name], code: 'not_a_choice', limit: [...places.keys()], sent }]
      return heir.tell(value, scope)
    },
  }
}

/** Whether a schema takes a value; only then it is noted what it has looked at. */
function held(place: Place, value: unknown, scope: Scope, seen: Seen | undefined): boolean {
  if (!seen) return place.holds(value, scope)
  const own = new Seen()
  const is = place.holds(value, scope, own)
  if (is) seen.add(own)
  return is
}

const onlyOne: Make = (_, making) => {
  const places = making.places()
  const named = namedBy(making)
  const taking = (value: unknown, scope: Scope, seen?: Seen) =>
    places.filter((place) => held(place, value, scope, seen))
  return named({
    holds: (value, scope, seen) => taking(value, scope, seen).length === 1,
    tell(value, scope) {
      const taken = taking(value, scope)
      if (taken.length === 1) return []
      if (taken.length === 0) return closest(places, value, scope)
      const about = { forms: new Forms(taken.map(({ schema }) => schema)) }
      return [{ path: [], code: 'more_than_one', variant: 'forms', about }]
    },
  })
}

const not: Make = (_, making) => {
  const place = making.place(['not'], making.schema['not'])
  if (!place) return undefined
  const isTold = Object.keys(place.schema).some((keyword) =>
    ['const', 'enum', 'type', 'title', 'required'].includes(keyword),
  )
  const wrong: Finding = isTold
    ? { ...notAllowed, variant: 'form', about: { forms: new Forms([place.schema]) } }
    : { ...notAllowed, variant: 'value' }
  return {
    holds: (value, scope) => !place.holds(value, scope),
    tell: (value, scope) => (place.holds(value, scope) ? [wrong] : []),
  }
}

/** `then` applies if `if` takes the value, else `else` does. */
const conditional: Make = (_, making) => {
  const at = (keyword: string) => making.place([keyword], making.schema[keyword])
  const [condition, then, otherwise] = [at('if'), at('then'), at('else')]
  if (!condition) return undefined
  return {
    holds: (value, scope, seen) =>
      (held(condition, value, scope, seen) ? then : otherwise)?.holds(value, scope, seen) ?? true,
    tell: (value, scope) => (condition.holds(value, scope) ? then : otherwise)?.tell(value, scope) ?? [],
  }
}

const dependentSchemas: Make = (_, making) => applied(making.namedAt('dependentSchemas'))

/** Schemas of the value itself, each if a name is there. */
function applied(places: readonly (readonly [name: string, place: Place])[]): Rule {
  const asked = (value: unknown) =>
    isNamed(value) ? places.filter(([name]) => Object.hasOwn(value, name)).map(([, place]) => place) : []
  return {
    holds: (value, scope, seen) => asked(value).every((place) => place.holds(value, scope, seen)),
    tell: (value, scope) => distinct(asked(value).flatMap((place) => place.tell(value, scope))),
  }
}

/** Of older dialects: by name, a schema or names that are needed. */
const dependencies: Make = (given, making) => {
  if (!isNamed(given)) return making.odd('schemas or lists of names, by names')
  const lists = Object.entries(given).filter((one): one is [string, readonly string[]] => isListOfNames(one[1]))
  const needed = neededBeside(Object.fromEntries(lists))
  const rule = applied(making.namedAt('dependencies'))
  return {
    holds: (value, scope, seen) => needed.holds(value, scope, seen) && rule.holds(value, scope, seen),
    tell: (value, scope) => [...needed.tell(value, scope), ...rule.tell(value, scope)],
  }
}

const reference: Make = (given, making) =>
  typeof given === 'string' ? sameAs(making.target(given)) : making.odd('a reference')

/** Of the schemas that its anchor names on the way here, the outermost (section 8.2.3.2). */
const dynamicReference: Make = (given, making) => {
  if (typeof given !== 'string') return making.odd('a reference')
  const first = making.target(given)
  const anchor = first.schema['$dynamicAnchor']
  if (typeof anchor !== 'string' || !given.endsWith(`#${anchor}`)) return sameAs(first)
  const target = (scope: Scope) => {
    const outermost = scope.outermost(anchor)
    return outermost ? making.placeOf(outermost) : first
  }
  return {
    holds: (value, scope, seen) => target(scope).holds(value, scope, seen),
    tell: (value, scope) => target(scope).tell(value, scope),
  }
}

/** Keywords that stand together are one rule, which the first of them makes. */
export const applicators = {
  $ref: reference,
  $dynamicRef: dynamicReference,
  allOf: every,
  anyOf: some,
  oneOf: onlyOne,
  not,
  if: conditional,
  dependentSchemas,
  dependencies,
  discriminator: heirs,
  members,
  propertyNames,
  elements,
  contains,
} as const satisfies { readonly [keyword: string]: Make }

/** What no other keyword has looked at: after all others, with what they have seen. */
export function unevaluated(making: Making, others: readonly Rule[]): Rule {
  const names = making.place(['unevaluatedProperties'], making.schema['unevaluatedProperties'])
  const items = making.place(['unevaluatedItems'], making.schema['unevaluatedItems'])
  const unseenNames = (value: unknown, seen: Seen) =>
    names && isNamed(value) && !seen.hasAllNames ? Object.keys(value).filter((name) => !seen.names.has(name)) : []
  const unseenItems = (value: unknown, seen: Seen) =>
    items && Array.isArray(value)
      ? [...value.keys()].filter((index) => index >= seen.leading && !seen.elements.has(index))
      : []
  return {
    holds(value, scope, seen) {
      if (typeof value !== 'object' || value === null)
        return others.every((rule) => rule.holds(value, scope, undefined))
      const own = new Seen()
      if (!others.every((rule) => rule.holds(value, scope, own))) return false
      const member = value as { readonly [key: string | number]: unknown }
      if (!unseenNames(value, own).every((name) => names?.holds(member[name], scope))) return false
      if (!unseenItems(value, own).every((index) => items?.holds(member[index], scope))) return false
      if (names && isNamed(value)) own.hasAllNames = true
      if (items && Array.isArray(value)) own.leading = value.length
      seen?.add(own)
      return true
    },
    tell(value, scope) {
      const found: Finding[] = []
      const own = new Seen()
      for (const rule of others) {
        const told = rule.tell(value, scope)
        found.push(...told)
        if (rule.isFirst && told.length > 0) return found
        const seen = new Seen()
        if (told.length === 0 && rule.holds(value, scope, seen)) own.add(seen)
      }
      if (typeof value !== 'object' || value === null) return found
      const member = value as { readonly [key: string | number]: unknown }
      // What something looks at that is wrong is not wrong once more.
      const isMeant = (key: string | number) => found.length > 0 && declares(making.self(), key)
      const unseen = [
        ...unseenNames(value, own).map((name) => [name, names] as const),
        ...unseenItems(value, own).map((index) => [index, items] as const),
      ].filter(([key]) => !isMeant(key))
      for (const [key, place] of unseen)
        if (!isNone(place)) found.push(...below(key, place?.tell(member[key], scope) ?? []))
        else if (typeof key === 'string') found.push(unlisted(key, namesIn(making.self())))
      const [[first] = []] = unseen
      if (typeof first === 'number' && isNone(items)) found.push({ path: [], code: 'too_many', limit: first })
      return found
    },
  }
}
