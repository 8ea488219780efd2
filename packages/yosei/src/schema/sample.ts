/** Values that a schema may take, made from what it says first: the judge looks which of them holds. */
import { put } from '../terms/own.js'
import type { Place } from './place.js'

/** Deeper, nothing is made. */
const deepest = 6

export function samplesOf(place: Place, depth = 0): readonly unknown[] {
  const { shape } = place
  const { const: constant, enum: values, examples, default: usual, type, anyOf, oneOf } = shape
  const given = [
    ...(Array.isArray(examples) ? examples : []),
    ...('example' in shape ? [shape['example']] : []),
    ...(usual === undefined ? [] : [usual]),
    ...('const' in shape ? [constant] : []),
    ...(Array.isArray(values) ? values : []),
  ]
  if (given.length > 0 || depth > deepest) return given
  const all = Array.isArray(type) ? type : [type]
  const made = all.flatMap(
    (one) => (typeof one === 'string' && Object.hasOwn(makers, one) ? makers[one]?.(place, depth) : []) ?? [],
  )
  const branches = [anyOf, oneOf].some(Array.isArray) ? place.applied.flatMap((one) => samplesOf(one, depth + 1)) : []
  const objects = place.always.length > 0 || type === undefined ? (makers['object']?.(place, depth) ?? []) : []
  return [...made, ...branches, ...objects, ...(type === undefined ? ['text', 1, true, null, []] : [])]
}

type Maker = (place: Place, depth: number) => readonly unknown[]
const makers: { readonly [type: string]: Maker } = {
  null: () => [null],
  boolean: () => [true],
  string({ shape: { minLength, maxLength, format } }) {
    const [least, most] = [Number(minLength ?? 0), Number(maxLength ?? 40)]
    const formed = typeof format === 'string' && Object.hasOwn(formed_, format) ? [formed_[format]] : []
    return [...formed, 'text'.repeat(Math.ceil(least / 4) || 1).slice(0, Math.max(least, Math.min(4, most)))]
  },
  number: (place) => numbers(place),
  integer: (place) => numbers(place).map(Math.ceil),
  array(place, depth) {
    const count = Number(place.shape['minItems'] ?? 0)
    const list: unknown[] = []
    for (let index = 0; index < Math.min(count, 100); index++) {
      const made = place.elements(index).flatMap((one) => samplesOf(one, depth + 1))
      list.push(made[index % Math.max(1, made.length)] ?? index)
    }
    return [list]
  },
  object(place, depth) {
    const made: { [name: string]: unknown } = {}
    const look = (one: Place) => {
      const required = one.shape['required']
      for (const name of Array.isArray(required) ? required.map(String) : []) {
        const found = one.members(name).flatMap((member) => samplesOf(member, depth + 1))
        if (!Object.hasOwn(made, name) || found.length > 0) put(made, name, found[0] ?? 'text')
      }
      for (const inner of one.always) look(inner)
    }
    look(place)
    return [made]
  },
}
const numbers = ({ shape }: Place): readonly number[] => {
  const { minimum, exclusiveMinimum, maximum, multipleOf } = shape
  const least = typeof minimum === 'number' ? minimum : typeof exclusiveMinimum === 'number' ? exclusiveMinimum + 1 : 0
  const step = typeof multipleOf === 'number' ? multipleOf : 1
  const up = Math.ceil(least / step) * step
  return [up, ...(typeof maximum === 'number' ? [maximum] : [])]
}
const formed_: { readonly [format: string]: string } = {
  'date-time': '2031-03-01T22:30:00Z',
  date: '2031-03-01',
  time: '22:30:00Z',
  duration: 'PT1H',
  email: 'ada@example.org',
  uri: 'https://example.org/path',
  uuid: '0190163d-8694-739b-aea5-966c26f8ad91',
  ipv4: '192.0.2.1',
  ipv6: '2001:db8::1',
  hostname: 'www.example.org',
}
