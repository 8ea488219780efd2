/**
 * Schemas as fields: what records, lists, unions and scalars say becomes those, and is compiled as they are; the rest is
 * judged by the schema itself. Both take the same values.
 */
import {
  anything,
  choice,
  constant,
  either,
  flag,
  later,
  list,
  make,
  number,
  record,
  table,
  tagged,
  text,
  tuple,
} from '../declare/fields.js'

import { like, without } from '../declare/variants.js'
import type { Kind, Node } from '../kinds/kind.js'
import { fieldNode } from '../kinds/kind.js'
import { isNamed } from '../kinds/run.js'
import { schema as schemaKind } from '../kinds/schema.js'
import type { Bounds } from '../terms/declared.js'
import { given, put } from '../terms/own.js'
import type { Field, Fields, RecordField } from '../terms/types.js'
import { isType, type Type, types } from './assertions.js'
import { placesByConstant, tellingName } from './branches.js'
import { judgeBy } from './judge.js'
import type { Enforced } from './making.js'
import { type Discriminator, led, type Place } from './place.js'
import type { Keywords, Program } from './program.js'

/** What a field says besides what it takes. */
export interface Annotations {
  readonly optional?: boolean
  readonly title?: string
  readonly description?: string
  readonly examples?: readonly unknown[]
  readonly deprecated?: boolean
  readonly secret?: boolean
  readonly nullable?: boolean
}

/** The keywords that say something of a value of each type. */
const saying: { readonly [T in Type]: readonly string[] } = {
  null: [],
  boolean: [],
  integer: ['minimum', 'maximum', 'exclusiveMinimum', 'exclusiveMaximum', 'multipleOf'],
  number: ['minimum', 'maximum', 'exclusiveMinimum', 'exclusiveMaximum', 'multipleOf'],
  string: ['minLength', 'maxLength', 'pattern', 'format'],
  array: [
    'items',
    'prefixItems',
    'minItems',
    'maxItems',
    'uniqueItems',
    'contains',
    'minContains',
    'maxContains',
    'unevaluatedItems',
  ],
  object: [
    'properties',
    'patternProperties',
    'additionalProperties',
    'propertyNames',
    'minProperties',
    'maxProperties',
    'required',
    'dependentRequired',
    'dependentSchemas',
    'dependencies',
    'unevaluatedProperties',
  ],
}
/** Of any type. */
const ofAll = ['$ref', '$dynamicRef', 'allOf', 'anyOf', 'oneOf', 'not', 'if', 'const', 'enum', 'type']
const everySaying: ReadonlySet<string> = new Set([...Object.values(saying).flat(), ...ofAll])

/** Keywords that narrow what a field takes, and leave it as it is. */
const besides: ReadonlySet<string> = new Set([
  'allOf',
  'anyOf',
  'oneOf',
  'not',
  'if',
  'then',
  'else',
  'dependentRequired',
  'dependentSchemas',
  'dependencies',
  'minProperties',
  'maxProperties',
  'propertyNames',
  'contains',
  'minContains',
  'maxContains',
  'uniqueItems',
  'discriminator',
])

/** Fields that stand in fields, at most. */
const deepestField = 200

/** What an object has, as far as it can be a record. */
interface Shape {
  /** Whether it is said that nothing but an object is taken, or null. */
  readonly isObject: boolean
  readonly takesNull: boolean
  readonly members: ReadonlyMap<string, Place>
  readonly required: ReadonlySet<string>
  readonly isClosed: boolean
  /** Whether it is said that any other name may be there. */
  readonly isOpenSaid: boolean
}

/** Kinds whose values are the same just when their JSON is. */
const plainKinds: ReadonlySet<Kind> = new Set<Kind>(['number', 'choice', 'flag', 'constant'])

export class Translator {
  readonly #program: Program
  readonly #made = new Map<Place, Field>()
  readonly #shapes = new Map<Place, Shape | undefined>()
  readonly #busy = new Set<Place>()
  constructor(program: Program) {
    this.#program = program
  }

  field(place: Place): Field {
    const known = this.#made.get(place)
    if (known) return known
    // A schema that holds itself is made once: inside of it, it stands for itself.
    if (this.#busy.has(place)) return later(() => this.#made.get(place) as Field<unknown>)
    if (this.#busy.size > deepestField)
      return this.#program.mistake(
        place.located,
        `references lead through more than ${deepestField} schemas`,
        'Let them lead through fewer',
      )
    this.#busy.add(place)
    const made = this.#native(place) ?? this.#both(place) ?? this.#judged(place)
    this.#busy.delete(place)
    this.#made.set(place, made)
    if (!this.origins.has(made)) this.origins.set(made, place)
    return made
  }
  /** The schemas that fields were made of. */
  readonly origins = new Map<Field, Place>()

  #judged(place: Place): Field {
    return make({ schema: schemaKind }, this.#annotations(place), { judge: judgeBy(this.#program, place) })
  }

  /** A field for what a field can say, and the schema for the rest. */
  #both(place: Place): Field | undefined {
    const keywords = this.#program.keywordsOf(place)
    const said = Object.keys(keywords).filter((keyword) => everySaying.has(keyword) || besides.has(keyword))
    const isRest = (keyword: string) => besides.has(keyword)
    if (place.located.schema === false || this.#program.isDynamic || said.every(isRest)) return undefined
    // What is looked at depends on all of it.
    if ('unevaluatedProperties' in keywords || 'unevaluatedItems' in keywords) return undefined
    const { patternProperties, additionalProperties, properties, ...others } = keywords
    const isPatterned = patternProperties !== undefined
    const only = (is: (keyword: string) => boolean) =>
      Object.fromEntries(Object.entries(others).filter(([keyword]) => is(keyword)))
    // Which name has no pattern is known beside the patterns alone; so the field leaves names open.
    const open = isPatterned ? true : additionalProperties
    const own = { ...only((keyword) => !isRest(keyword)), properties, additionalProperties: open }
    const base = this.#native(this.#program.part(place, given(own)))
    if (!base || fieldNode(base).kind === 'anything') return undefined
    const known = Object.fromEntries(Object.keys(properties ?? {}).map((name) => [name, true]))
    const names = isPatterned ? { properties: known, patternProperties, additionalProperties } : {}
    const rest = this.#program.part(place, given({ ...only(isRest), ...names }))
    const judge = judgeBy(this.#program, rest, place)
    const made: Field = make({ schema: schemaKind }, this.#annotations(place), { judge, base })
    this.rests.set(made, rest)
    return made
  }
  /** Of fields that a schema narrows, that schema. */
  readonly rests = new Map<Field, Place>()

  /** A field whose values a schema narrows. */
  narrowed(field: Field, place: Place): Field {
    const { need, default: usual, title, description, examples, deprecated, secret } = fieldNode(field)
    const judge = judgeBy(this.#program, place, place, undefined, true)
    const own = {
      ...{ title, description, examples, deprecated, secret },
      ...(need === 'defaulted' ? { default: usual } : { optional: need === 'optional' || undefined }),
      ...this.#annotations(place),
    }
    return make({ schema: schemaKind }, own, { judge, base: like(field, { optional: false }) })
  }

  #annotations(place: Place): Annotations {
    const { title, description, examples, deprecated } = this.#program.keywordsOf(place)
    return {
      ...(typeof title === 'string' ? { title } : {}),
      ...(typeof description === 'string' ? { description } : {}),
      ...this.#examples(place, examples),
      ...(deprecated === true ? { deprecated } : {}),
      ...(place.isSecret ? { secret: true } : {}),
    }
  }

  /** Examples, without those that a schema contradicts itself by. */
  #examples(place: Place, examples: unknown): Annotations {
    if (!Array.isArray(examples) || examples.length === 0) return {}
    // They may have names that only the reader refuses.
    if (this.#program.unlisted === 'refuse') return {}
    const right = examples.filter((one) => place.holds(one, this.#program.scope()))
    if (right.length < examples.length)
      this.#program.leave(place, 'examples', 'an example, which its own schema rejects', 'It is left out')
    return right.length > 0 ? { examples: right } : {}
  }

  #native(place: Place): Field | undefined {
    const { schema } = place.located
    // What a dynamic reference means depends on the way to it: then the whole is judged as one.
    if (schema === false || this.#program.isDynamic) return undefined
    const keywords = this.#program.keywordsOf(place)
    if (isEmpty(keywords) || this.#program.heirsOf(place)) return undefined
    const said = Object.keys(keywords).filter((keyword) => everySaying.has(keyword))
    const own = this.#annotations(place)
    if (keywords['readOnly'] === true && this.#program.drops) return anything({ ...own, readOnly: 'drop' })
    if (said.length === 0) return anything(own)
    const saysOnly = (...some: readonly string[]) => said.every((keyword) => some.includes(keyword))
    if (said.includes('$ref')) {
      const [target] = place.always
      return saysOnly('$ref') && target ? again(this.field(target), own) : undefined
    }
    if (said.includes('const') || said.includes('enum'))
      return saysOnly('const', 'enum', 'type') ? this.#values(keywords, own) : undefined
    const given = typesOf(keywords)
    for (const keyword of ['anyOf', 'oneOf'] as const)
      if (said.includes(keyword)) return saysOnly(keyword, 'type') ? this.#union(place, keyword, given, own) : undefined
    if (said.includes('allOf') && saysOnly('allOf') && place.always.length === 1)
      return again(this.field(this.#program.takenOver(place.always[0] as Place, place)), own)
    if (said.includes('allOf') || (given?.length === 1 && given[0] === 'object')) {
      const found = this.#object(place, keywords, said, own)
      if (found || said.includes('allOf')) return found
    }
    if (!given || said.some((keyword) => keyword !== 'type' && ofAll.includes(keyword))) return undefined
    const nullable = given.includes('null') && given.length > 1
    const others = given.filter((type) => type !== 'null' || given.length === 1)
    const branches = others.map((type) =>
      this.#typed(place, type, keywords, others.length === 1 ? { ...own, ...(nullable ? { nullable } : {}) } : {}),
    )
    if (branches.some((one) => one === undefined)) return undefined
    const [only, ...more] = branches as Field[]
    return more.length === 0
      ? only
      : either([only, ...more] as readonly Field[], { ...own, ...(nullable ? { nullable } : {}) })
  }

  /** One of some values. */
  #values(keywords: Keywords, own: Annotations): Field | undefined {
    const given = typesOf(keywords)
    const isOfType = (one: unknown) => !given || given.some((type) => types[type](one))
    const all = Array.isArray(keywords['enum']) ? keywords['enum'] : [keywords['const']]
    const values = 'const' in keywords ? all.filter((one) => one === keywords['const']) : all
    const taken = values.filter(isOfType)
    const others = taken.filter((one) => one !== null)
    if (taken.length === 0 || taken.some((one) => typeof one === 'object' && one !== null)) return undefined
    const nullable = others.length > 0 && others.length < taken.length ? { nullable: true } : {}
    if (others.length < 2) return constant((others[0] ?? null) as string, { ...own, ...nullable })
    if (new Set(others.map(String)).size < others.length) return undefined
    return others.every((one) => typeof one === 'string' || typeof one === 'number')
      ? choice(others as readonly string[], { ...own, ...nullable })
      : undefined
  }

  /** A union whose branches are tried in order; of `oneOf` if no value can be of two. */
  #union(
    place: Place,
    keyword: 'anyOf' | 'oneOf',
    given: readonly Type[] | undefined,
    own: Annotations,
  ): Field | undefined {
    const places = this.#program.placesAt(place, keyword)
    const all = places.map((one) => typesOf(one.shape) ?? typesOfValues(one.shape))
    if (given && !all.every((some) => some?.every((type) => given.includes(type)))) return undefined
    const discriminator = this.#program.discriminatorOf(place)
    if (discriminator && !isToldBy(discriminator, places)) return this.#tagged(discriminator, all, own)
    if (keyword === 'oneOf' && !areApart(places, all)) return undefined
    // A branch of null alone may say more, and take nothing.
    const isNull = (one: Place, index: number) =>
      all[index]?.length === 1 && all[index]?.[0] === 'null' && one.holds(null, this.#program.scope())
    const branches = places.filter((one, index) => !isNull(one, index)).map((one) => this.field(one))
    const nullable = branches.length < places.length ? { nullable: true } : {}
    const [only] = branches
    if (!only) return undefined
    return branches.length === 1 ? again(only, { ...own, ...nullable }) : either(branches, { ...own, ...nullable })
  }

  /** A union whose branch is named by a text, which no branch says more of. */
  #tagged({ name, places }: Discriminator, all: readonly (readonly Type[] | undefined)[], own: Annotations) {
    if (!all.every((some) => some?.length === 1 && some[0] === 'object')) return undefined
    const branches: { [value: string]: Field } = {}
    for (const [value, place] of places) {
      const branch = this.field(place) as RecordField
      const node = fieldNode(branch)
      if (node.kind !== 'record' || node.nullable) return undefined
      const declared = Object.hasOwn(node.fields, name) ? node.fields[name] : undefined
      if (declared ? !isFreeText(declared) : node.unlisted === 'refuse') return undefined
      if (!place.members(name).every((member) => member.holds(value, this.#program.scope()))) continue
      const rest = declared ? without(branch, [name]) : branch
      if (declared) this.reduced.set(rest, [branch, name])
      put(branches, value, rest)
    }
    return Object.keys(branches).length > 0 ? tagged(name, branches, own) : undefined
  }
  /** What branches were before their tag was taken out. */
  readonly reduced = new Map<Field, readonly [of: Field, name: string]>()

  #typed(place: Place, type: Type, keywords: Keywords, own: Annotations): Field | undefined {
    const at = (name: string) => (typeof keywords[name] === 'number' ? (keywords[name] as number) : undefined)
    switch (type) {
      case 'null':
        return constant(null, own)
      case 'boolean':
        return flag(own)
      case 'number':
      case 'integer':
        return number({
          ...own,
          min: at('minimum'),
          max: at('maximum'),
          above: at('exclusiveMinimum'),
          below: at('exclusiveMaximum'),
          step: at('multipleOf'),
          whole: type === 'integer' || undefined,
        })
      case 'string':
        return this.#text(place, keywords, own)
      case 'array':
        return this.#list(place, keywords, own)
      case 'object':
        return this.#object(
          place,
          keywords,
          Object.keys(keywords).filter((one) => saying.object.includes(one)),
          own,
        )
    }
    return type satisfies never
  }

  #text(place: Place, keywords: Keywords, own: Annotations): Field | undefined {
    const { pattern, format } = this.#program.textOf(place)
    if (keywords['pattern'] !== undefined && pattern && pattern.most < Number.POSITIVE_INFINITY) return undefined
    return text({
      ...own,
      length: boundsOf(keywords, 'minLength', 'maxLength'),
      ...(pattern ? { pattern: pattern.regExp, trusted: true } : {}),
      ...(format ? { format } : {}),
      // An empty text is a value where the schema takes it; else it counts as not sent.
      keepEmpty: place.holds('', this.#program.scope()) || undefined,
    })
  }

  #list(place: Place, keywords: Keywords, own: Annotations): Field | undefined {
    if (['contains', 'unevaluatedItems'].some((keyword) => keyword in keywords)) return undefined
    const length = boundsOf(keywords, 'minItems', 'maxItems')
    const { leading, others } = this.#program.elementsOf(place)
    if (leading.length > 0) {
      const isFixed =
        others?.located.schema === false && (length?.[0] ?? 0) >= leading.length && length?.[1] !== undefined
      return isFixed && length[1] >= leading.length && keywords['uniqueItems'] !== true
        ? tuple(
            leading.map((one) => this.field(one)),
            own,
          )
        : undefined
    }
    if (others?.located.schema === false) return undefined
    const item = others ? this.field(others) : anything()
    const isDistinct = keywords['uniqueItems'] === true
    const node = fieldNode(item)
    if (isDistinct && !(plainKinds.has(node.kind) || (node.kind === 'text' && !node.format))) return undefined
    return list(item, { ...own, length, ...(isDistinct ? { distinct: true } : {}) })
  }

  #object(place: Place, keywords: Keywords, said: readonly string[], own: Annotations): Field | undefined {
    const found = this.#table(place, keywords, said, own)
    if (found) return found
    const shape = this.#shape(place)
    if (!shape?.isObject) return undefined
    // What must be sent and may not be: no field would be declared so.
    if (shape.isClosed && [...shape.required].some((name) => !shape.members.has(name))) return undefined
    const fields: { [name: string]: Field } = {}
    const names = [...shape.members.keys(), ...[...shape.required].filter((name) => !shape.members.has(name))]
    // An object of a declaration has its names in order: a name of `Object.prototype` is one too.
    for (const name of names) {
      const member = shape.members.get(name)
      const field = member ? this.field(member) : anything()
      const optional = member
        ? (this.#defaulted(member, field) ?? again(field, { optional: true }))
        : again(field, { optional: true })
      Object.defineProperty(fields, name, { value: shape.required.has(name) ? field : optional, enumerable: true })
    }
    const unsaid = shape.isOpenSaid ? 'keep' : this.#program.unlisted
    return record(fields as Fields, {
      ...own,
      ...(shape.takesNull ? { nullable: true } : {}),
      unlisted: shape.isClosed ? 'refuse' : unsaid,
    })
  }

  /** The field with its default, if the description of an API gives one that its schema takes. */
  #defaulted(place: Place, field: Field): Field | undefined {
    const { default: value } = this.#program.keywordsOf(place)
    if (value === undefined || !this.#program.drops) return undefined
    if (!place.holds(value, this.#program.scope()))
      return this.#program.leave(place, 'default', 'the default, which its own schema rejects', 'It is left out')
    if (fieldNode(field).kind === 'later')
      return this.#program.leave(place, 'default', 'the default of a schema that holds itself', 'It is left out')
    return again(field, { default: value })
  }

  /** Free names, one schema. */
  #table(place: Place, keywords: Keywords, said: readonly string[], own: Annotations): Field | undefined {
    const { others, named, patterns } = this.#program.membersOf(place)
    const isTable = said.every((keyword) =>
      ['type', 'properties', 'additionalProperties', 'minProperties', 'maxProperties', 'propertyNames'].includes(
        keyword,
      ),
    )
    const names = this.#patternOf(place)
    const length = boundsOf(keywords, 'minProperties', 'maxProperties')
    const isFree = others === undefined || others.located.schema === true
    if (!isTable || named.size > 0 || patterns.length > 0 || others?.located.schema === false) return undefined
    if (names === 'judged' || (isFree && !length && !names)) return undefined
    return table(others ? this.field(others) : anything(), {
      ...own,
      length,
      ...(names ? { names: names.regExp, trusted: true } : {}),
    })
  }
  /** The pattern of all names, if nothing else is said of them. */
  #patternOf(place: Place): Enforced | 'judged' | undefined {
    const names = this.#program.namesOf(place)
    if (!names) return undefined
    const keywords = this.#program.keywordsOf(names)
    const isPlain = Object.keys(keywords).every(
      (keyword) =>
        keyword === 'pattern' || !everySaying.has(keyword) || (keyword === 'type' && keywords[keyword] === 'string'),
    )
    const { pattern } = this.#program.textOf(names)
    return isPlain && pattern?.most === Number.POSITIVE_INFINITY ? pattern : 'judged'
  }

  /** What an object has by its own keywords, and by those that it takes over. */
  #shape(place: Place): Shape | undefined {
    if (!this.#shapes.has(place)) this.#shapes.set(place, this.#shapeOf(place))
    return this.#shapes.get(place)
  }
  #shapeOf(place: Place): Shape | undefined {
    const keywords = this.#program.keywordsOf(place)
    const allowed = ['type', 'properties', 'required', 'additionalProperties', 'unevaluatedProperties', 'allOf', '$ref']
    if (place.located.schema === false) return undefined
    if (Object.keys(keywords).some((keyword) => everySaying.has(keyword) && !allowed.includes(keyword)))
      return undefined
    const given = typesOf(keywords)
    if (given && (!given.includes('object') || given.some((type) => type !== 'object' && type !== 'null')))
      return undefined
    const { named, others } = this.#program.membersOf(place)
    const isOpen = others === undefined || saysNothing(others)
    if (!isOpen && others.located.schema !== false) return undefined
    const own = Array.isArray(keywords['required']) ? (keywords['required'] as readonly string[]) : []
    const { unevaluatedProperties: rest = true } = keywords
    if (typeof rest !== 'boolean') return undefined
    const parents = place.always.map((one) => this.#program.takenOver(one, place))
    // Which heir an object is, no record says.
    if (parents.some((one) => this.#program.heirsOf(led(one)))) return undefined
    const above = parents.map((one) => this.#shape(one))
    if (above.some((one) => one === undefined)) return undefined
    const shapes = above as readonly Shape[]
    // What is closed takes the names of its own schema alone.
    if (shapes.length > 0 && (!isOpen || shapes.some(({ isClosed }) => isClosed)))
      if (shapes.length > 1 || named.size > 0 || own.length > 0) return undefined
    const members = new Map<string, Place>()
    for (const [name, member] of [...shapes.flatMap((one) => [...one.members]), ...named]) {
      const known = members.get(name)
      if (known && !saysNothing(known) && !saysNothing(member) && known !== member) return undefined
      if (!known || saysNothing(known)) members.set(name, member)
    }
    const areAllNamed = (isOpen && others !== undefined) || shapes.some(({ isOpenSaid }) => isOpenSaid)
    return {
      isObject: given !== undefined || shapes.some(({ isObject }) => isObject),
      takesNull: (given?.includes('null') ?? true) && shapes.every(({ takesNull }) => takesNull),
      members,
      required: new Set([...shapes.flatMap((one) => [...one.required]), ...own]),
      isClosed: !isOpen || shapes.some(({ isClosed }) => isClosed) || (!rest && !areAllNamed),
      isOpenSaid: areAllNamed || (rest && 'unevaluatedProperties' in keywords),
    }
  }
}

type More = Annotations & { readonly default?: unknown }
/** The same field with other annotations. */
export const again = (field: Field, more: More): Field => {
  if (Object.keys(more).length === 0) return field
  const made: Field = like(field, more as object)
  variants.set(made, [field, more])
  return made
}
const variants = new WeakMap<Field, readonly [of: Field, more: More]>()
/** What a field was made of by `again`. */
export const variantOf = (field: Field) => variants.get(field)

const saysNothing = ({ located: { schema } }: Place): boolean =>
  schema === true || (isNamed(schema) && !Object.keys(schema).some((keyword) => everySaying.has(keyword)))

/** The types that a schema names; `undefined` if it names none. */
export function typesOf({ type }: Keywords): readonly Type[] | undefined {
  const all = (Array.isArray(type) ? type : type === undefined ? [] : [type]).filter(isType)
  // A whole number is a number.
  const plain = all.includes('number') ? all.filter((one) => one !== 'integer') : all
  return plain.length === 0 ? undefined : [...new Set(plain)]
}
function typesOfValues(keywords: Keywords): readonly Type[] | undefined {
  const values =
    'const' in keywords ? [keywords['const']] : Array.isArray(keywords['enum']) ? keywords['enum'] : undefined
  const named = Object.keys(types).filter(isType)
  return (
    values && [...new Set(values.flatMap((one) => named.find((type) => type !== 'integer' && types[type](one)) ?? []))]
  )
}

/** Whether constants tell branches apart as a discriminator does. */
function isToldBy({ name, places }: Discriminator, branches: readonly Place[]): boolean {
  const told = placesByConstant(branches, name)
  if (!told) return false
  return [...told].every(([value, branch]) => {
    const named = places.get(value as string)
    return named !== undefined && led(named) === led(branch)
  })
}
/** Whether any text is taken, and read as it is. */
const isFreeText = (node: Node): boolean =>
  !node.secret && !node.readOnly && node.need !== 'defaulted' && ['text', 'choice', 'constant'].includes(node.kind)

/** Whether no value is of two of some schemas: their types differ, or a value that each requires does. */
function areApart(places: readonly Place[], all: readonly (readonly Type[] | undefined)[]): boolean {
  const isNumber = (type: Type) => (type === 'integer' ? 'number' : type)
  const taken = all.flatMap((some) => [...new Set((some ?? []).map(isNumber))])
  if (all.every((some) => some !== undefined) && new Set(taken).size === taken.length) return true
  const areObjects = all.every((some) => some?.length === 1 && some[0] === 'object')
  return areObjects && tellingName(places) !== undefined
}

/** Whether limits leave nothing between them: then no field would be declared so. */
const isEmpty = (keywords: Keywords): boolean =>
  [
    ['minLength', 'maxLength'],
    ['minItems', 'maxItems'],
    ['minProperties', 'maxProperties'],
    ['minimum', 'maximum'],
    ['exclusiveMinimum', 'maximum'],
    ['minimum', 'exclusiveMaximum'],
    ['exclusiveMinimum', 'exclusiveMaximum'],
  ].some(([low = '', high = '']) => {
    const [least, most] = [keywords[low], keywords[high]]
    const isStrict = low.startsWith('exclusive') || high.startsWith('exclusive')
    return typeof least === 'number' && typeof most === 'number' && (least > most || (isStrict && least === most))
  })

function boundsOf(keywords: Keywords, least: string, most: string): Bounds | undefined {
  const [low, high] = [keywords[least], keywords[most]]
  if (low === undefined && high === undefined) return undefined
  return [typeof low === 'number' ? low : 0, typeof high === 'number' ? high : Number.POSITIVE_INFINITY]
}
