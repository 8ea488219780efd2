/** Values that a schema may take, made from what it says first: the judge looks which of them holds. */
import { type Format, formats } from '../grammar/formats.js'
import { isNamed } from '../kinds/run.js'
import { textOf } from '../probe/texts.js'
import { put } from '../terms/own.js'
import { isType, type Type } from './assertions.js'
import type { Place } from './place.js'

/** Deeper, nothing is made; nor from more schemas. */
const [deepest, most] = [6, 500]

/** How many schemas may still be asked. */
interface Left {
  count: number
}

export const samplesOf = (place: Place): readonly unknown[] => from(place, 0, { count: most })

function from(place: Place, depth: number, left: Left): readonly unknown[] {
  const { shape } = place
  const { const: constant, enum: values, examples, default: usual, type, anyOf, oneOf } = shape
  const given = [
    ...(Array.isArray(examples) ? examples : []),
    ...(usual === undefined ? [] : [usual]),
    ...('const' in shape ? [constant] : []),
    ...(Array.isArray(values) ? values : []),
  ]
  if (given.length > 0 || depth > deepest || left.count-- <= 0) return given
  const made = (Array.isArray(type) ? type : [type]).filter(isType).flatMap((one) => makers[one](place, depth, left))
  const { name, places } = place.tags ?? {}
  const tagged = [...(places ?? [])].flatMap(([value, one]) =>
    (one === place ? made : from(one, depth + 1, left)).flatMap((sample) =>
      isNamed(sample) ? [{ ...sample, [name as string]: value }] : [],
    ),
  )
  const branches = [anyOf, oneOf].some(Array.isArray) ? place.applied.flatMap((one) => from(one, depth + 1, left)) : []
  const objects = place.always.length > 0 || type === undefined ? makers.object(place, depth, left) : []
  return [...tagged, ...made, ...branches, ...objects, ...(type === undefined ? ['text', 1, true, null, []] : [])]
}

type Maker = (place: Place, depth: number, left: Left) => readonly unknown[]
const makers: { readonly [T in Type]: Maker } = {
  null: () => [null],
  boolean: () => [true],
  string: ({ shape }) => texts(shape),
  number: numbers,
  integer: (place) => numbers(place).map(Math.ceil),
  array(place, depth, left) {
    const count = Math.min(Number(place.shape['minItems'] ?? 0), 100)
    const list = Array.from({ length: count }, (_, index) => {
      const made = place.elements(index).flatMap((one) => from(one, depth + 1, left))
      return made[index % Math.max(1, made.length)] ?? index
    })
    return [list]
  },
  object(place, depth, left) {
    const made: { [name: string]: unknown } = {}
    const all = new Set([place])
    for (const one of all) {
      for (const inner of one.always) all.add(inner)
      const { required } = one.shape
      for (const name of Array.isArray(required) ? required.map(String) : []) {
        const found = one.members(name).flatMap((member) => from(member, depth + 1, left))
        if (!Object.hasOwn(made, name) || found.length > 0) put(made, name, found[0] ?? 'text')
      }
    }
    return [made]
  },
}

/** A text of the form and the length, if one can be made; and any. */
function texts({ minLength, maxLength, format, pattern }: Place['shape']): readonly unknown[] {
  const [least, most] = [Number(minLength ?? 0), Number(maxLength ?? 40)]
  const plain = 'text'.repeat(Math.ceil(least / 4) || 1).slice(0, Math.max(least, Math.min(4, most)))
  try {
    const own = {
      length: [least, most],
      ...(typeof format === 'string' && Object.hasOwn(formats, format) ? { format: format as Format } : {}),
      ...(typeof pattern === 'string' ? { pattern: new RegExp(pattern, 'u') } : {}),
    } as const
    return [textOf({ kind: 'text', need: 'required', ...own }, () => 0, least), plain]
  } catch {
    return [plain]
  }
}
function numbers({ shape }: Place): readonly number[] {
  const { minimum, exclusiveMinimum, maximum, multipleOf } = shape
  const least = typeof minimum === 'number' ? minimum : typeof exclusiveMinimum === 'number' ? exclusiveMinimum + 1 : 0
  const step = typeof multipleOf === 'number' ? multipleOf : 1
  const up = Math.ceil(least / step) * step
  return [up, ...(typeof maximum === 'number' ? [maximum] : [])]
}
