/**
 * A schema as a document of its own, in words of 2020-12 alone: what its references lead to stands in `$defs`, and what
 * a description says in words of its own is said in keywords.
 */
import { put } from '../terms/own.js'
import { componentName, pointerOf } from './documents.js'
import { isSamePlace, led, type Place } from './place.js'
import { schemasIn } from './positions.js'
import type { Program } from './program.js'

type Json = { [keyword: string]: unknown }

/** Keywords that say nothing of values, but where something stands. */
const placing: ReadonlySet<string> = new Set(['$id', '$anchor', '$dynamicAnchor', '$schema', '$vocabulary', '$defs'])
/** Keywords of descriptions, and others that no schema has. */
const isForeign = (keyword: string) => /^(?:x-.*|xml|externalDocs|example|discriminator|definitions)$/s.test(keyword)

export function bundle(program: Program, place: Place): boolean | object {
  // What a dynamic reference means depends on the way to it.
  if (program.isDynamic) return program.documentOf(place) as object
  const names = new Map<Place, string>()
  const taken = new Set<string>()
  const due: Place[] = []
  const nameOf = (of: Place): string => {
    const known = names.get(of)
    if (known !== undefined) return known
    const own = componentName(of.located) ?? 'schema'
    let name = own
    for (let number = 2; taken.has(name); number++) name = `${own}${number}`
    taken.add(name)
    names.set(of, name)
    due.push(of)
    return name
  }
  const referTo = (of: Place): Json => ({ $ref: `#${encodeURI(pointerOf(['$defs', nameOf(led(of))]))}` })

  function written(of: Place): boolean | Json {
    if (typeof of.located.schema === 'boolean') return of.located.schema
    const keywords = program.keywordsOf(of)
    const made: Json = {}
    for (const [keyword, value] of Object.entries(keywords))
      if (!placing.has(keyword) && !isForeign(keyword)) put(made, keyword, value)
    const inner = new Map<string, { [step: string]: unknown }>()
    for (const [steps, schema] of schemasIn(keywords)) {
      const [keyword = '', step] = steps
      if (!Object.hasOwn(made, keyword)) continue
      const at = program.below(of, steps, schema)
      const taken = keyword === 'allOf' ? program.takenOver(at, of) : at
      const below = taken === at ? written(at) : referTo(taken)
      if (step === undefined) put(made, keyword, below)
      else {
        const held = inner.get(keyword) ?? {}
        put(held, step, below)
        inner.set(keyword, held)
      }
    }
    for (const [keyword, held] of inner) {
      const before = keywords[keyword]
      // What is no schema stays, such as names in `dependencies`.
      put(made, keyword, Array.isArray(before) ? Object.values(held) : { ...(before as object), ...held })
    }
    if (typeof keywords['$ref'] === 'string') Object.assign(made, referTo(program.target(keywords['$ref'], of.located)))
    return discriminated(made, program, of, referTo)
  }

  const root = written(place)
  const $defs: { [name: string]: unknown } = {}
  for (let one = due.shift(); one; one = due.shift()) put($defs, nameOf(one), written(one))
  return typeof root === 'boolean' || Object.keys($defs).length === 0 ? root : { ...root, $defs }
}

/** The branch that an object names (OpenAPI 3.1, section 4.8.25), in keywords. */
function discriminated(made: Json, program: Program, place: Place, referTo: (of: Place) => Json): Json {
  const union = program.discriminatorOf(place)
  const found = union ?? program.heirsOf(place)
  if (!found) return made
  const { name, places } = found
  const heirs = [...places].filter(([, of]) => !isSamePlace(led(of).located, place.located))
  const named = {
    ...(union ? { required: [name] } : {}),
    properties: { [name]: { enum: [...places.keys()] } },
    allOf: heirs.map(([value, of]) =>
      conditional({ required: [name], properties: { [name]: { const: value } } }, referTo(of)),
    ),
  }
  const { oneOf, anyOf, allOf = [], ...others } = made
  if (!union) return { ...made, allOf: [...(allOf as readonly unknown[]), conditional({ type: 'object' }, named)] }
  const unions = Object.entries({ oneOf, anyOf }).filter(([, branches]) => branches !== undefined)
  const chosen = unions.map(([keyword, branches]) => conditional({ type: 'object' }, named, { [keyword]: branches }))
  return { ...others, allOf: [...(allOf as readonly unknown[]), ...chosen] }
}
const conditional = (when: Json, then: Json, otherwise?: Json): Json => ({
  if: when,
  then,
  ...(otherwise ? { else: otherwise } : {}),
})
