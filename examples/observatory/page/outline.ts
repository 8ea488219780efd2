/** The declaration, as the form draws it: fields with their names, limits and words. None is written here. */
import { type EndpointVerdict, type FieldOutline, intake, judgeParts, outline } from 'yosei'
import { nightOf, observatory } from '../intake.ts'

/** A page whose policy lets no text become code interprets its declarations. */
export const app = intake({ ...observatory, engine: 'interpreted' })

export const { bookSession } = app.endpoints
export { nightOf }

export type Field = FieldOutline
const { path, query, header, body } = outline(bookSession)
const { fields: asked = {}, ...whole } = body['application/json'] as Field
/** What the server says itself is not asked for. */
const own = Object.fromEntries(Object.entries(asked).filter(([, field]) => !field['readOnly']))
const recordOf = (fields: { readonly [name: string]: Field }): Field => ({ kind: 'record', need: 'required', fields })
/** The page makes the key of each booking itself, so that none is booked twice. */
const { 'idempotency-key': _, ...written } = header
/** In the order in which people fill them in. */
export const parts: readonly (readonly [part: string, field: Field])[] = [
  ['path', recordOf(path)],
  ['header', recordOf(written)],
  ['body', { ...whole, fields: own }],
  ['query', recordOf(query)],
]

/** What stands for a reader: what it reads. */
export const shapeOf = (field: Field): Field =>
  field.base ? { ...field.base, ...field, kind: field.base.kind } : field

/** A name as people read it: `rightAscension` is “Right ascension”. */
export function labelOf(name: string, field: Field): string {
  const title = field.title ?? field.base?.title
  if (title) return title
  const words = name
    .replace(/^x-|Id$/g, '')
    .replace(/-/g, ' ')
    .replace(/[A-Z]/g, (one) => ` ${one.toLowerCase()}`)
  return words.charAt(0).toUpperCase() + words.slice(1)
}

/** The limits of a field in words. */
export function helpOf(given: Field): string {
  const field = shapeOf(given)
  const words: string[] = []
  const [least, most] = (field['length'] as readonly number[] | undefined) ?? []
  if (most !== undefined) words.push(`${least} to ${most} ${field.kind === 'text' ? 'characters' : ''}`.trim())
  for (const [option, word] of [
    ['min', 'from'],
    ['above', 'more than'],
    ['max', 'up to'],
    ['below', 'less than'],
    ['step', 'in steps of'],
    ['scale', 'digits after the point:'],
  ] as const)
    if (field[option] !== undefined) words.push(`${word} ${field[option]}`)
  if (field['from'] !== undefined) words.push(`from ${limitOf(field, 'from')}`)
  if (field['until'] !== undefined) words.push(`until ${limitOf(field, 'until')}`)
  const [example] = (field['examples'] as readonly string[] | undefined) ?? []
  if (example !== undefined) words.push(`such as ${example}`)
  if (field.kind === 'duration') words.push('such as PT10M')
  if (field.kind === 'instant') words.push('in UTC')
  if (field.need === 'optional') words.push('may be left out')
  if (field.need === 'defaulted') words.push(`${field.default} by default`)
  return words.join(', ')
}

const minute = 60_000
/** In milliseconds. */
const lengths: { readonly [unit: string]: number } = { s: 1000, m: minute, h: 60 * minute, d: 24 * 60 * minute }
/** A limit of a time as a date, to the minute that is within it. */
function limitOf(field: Field, option: 'from' | 'until'): string {
  const limit = String(field[option])
  const [, sign, count, unit = ''] = /^([+-])(\d+)([smhd])$/.exec(limit) ?? []
  if (sign === undefined) return field.relative?.[option] ?? timed(limit)
  const time = Date.now() + (sign === '-' ? -1 : 1) * Number(count) * (lengths[unit] ?? 0)
  const round = option === 'from' ? Math.ceil : Math.floor
  return timed(new Date(round(time / minute) * minute).toISOString())
}
/** `2 December, 11:40`; with its year if that is another one. */
function timed(instant: string): string {
  const date = new Date(instant)
  if (Number.isNaN(date.getTime())) return instant
  const year = date.getUTCFullYear() === new Date().getUTCFullYear() ? {} : ({ year: 'numeric' } as const)
  const day = date.toLocaleDateString('en-GB', { day: 'numeric', month: 'long', timeZone: 'UTC', ...year })
  return `${day}, ${date.toISOString().slice(11, 16)}`
}

/** What a person calls the field at an address: “Opens”, “Exposures 2, filter”. */
export function labelAt(address: string): string {
  if (address === 'header.authorization') return 'Your key'
  const [part = '', ...steps] = [...address.matchAll(/([^.[\]"]+)/g)].map(([, step = '']) => step)
  let field = parts.find(([own]) => own === part)?.[1]
  let label = address
  for (const step of steps) {
    const shape: Field | undefined = field && shapeOf(field)
    const inside = shape && { ...shape.fields, ...Object.assign({}, ...branchesIn(shape)) }
    if (inside && Object.hasOwn(inside, step)) {
      const [own = ''] = labelOf(step, inside[step] as Field).split(',')
      field = inside[step]
      label = / \d+$/.test(label) ? `${label}, ${own.toLowerCase()}` : own
    } else if (shape?.item && /^\d+$/.test(step)) {
      field = shape.item
      label = `${label} ${Number(step) + 1}`
    } else if (shape?.kind === 'table') return `${label}, ${step}`
  }
  return label
}
const branchesIn = ({ branches, tag }: Field) => [
  ...(tag === undefined ? [] : [{ [tag]: { kind: 'choice', need: 'required' } }]),
  ...Object.values((branches ?? {}) as { readonly [value: string]: Field }).map(({ fields = {} }) => fields),
]

/** A message as people read it: fields by their labels, times as dates. Other values, in quotes, stay as they are. */
export const inWords = (message: string): string =>
  message.replace(
    /"(?:[^"\\]|\\.)*"|\b(?:path|query|header|body)\.[\w.[\]-]*\w\]?|\d{4}-\d\d-\d\dT[\d:.]+Z/g,
    (found) => {
      const [instant] = /^"?\d{4}-\d\d-\d\dT[\d:.]+Z"?$/.exec(found) ?? []
      if (instant !== undefined) return timed(instant.replaceAll('"', ''))
      return found.startsWith('"') ? found : labelAt(found)
    },
  )

/** What a form has of a field: texts, and lists and records of them; rows with a name for a table. */
export type Value = string | readonly Value[] | { readonly [name: string]: Value }

export function blankOf(given: Field): Value {
  const field = shapeOf(given)
  if (field.fields) return Object.fromEntries(Object.entries(field.fields).map(([name, one]) => [name, blankOf(one)]))
  if (field.branches && field.tag) {
    const [[name, branch] = ['', recordOf({})]] = Object.entries<Field>(branchesOf(field)).reverse()
    return { [field.tag]: name, ...(blankOf(branch) as object) }
  }
  if (field.item) return [blankOf(field.item)]
  return field.kind === 'table' ? [] : ''
}

/** What a form has, as parts that can be judged: what was left blank is not sent. */
function sentOf(given: Field, value: Value): unknown {
  const field = shapeOf(given)
  if (field.kind === 'table') {
    const rows = (value as readonly { readonly name: string; readonly value: string }[]).filter(
      ({ name }) => name !== '',
    )
    return rows.length === 0 ? undefined : Object.fromEntries(rows.map((row) => [row.name, row.value]))
  }
  if (field.item) return (value as readonly Value[]).map((one) => sentOf(field.item as Field, one))
  const fields = field.branches ? branchOf(field, value) : field.fields
  if (fields) {
    const all = Object.entries(fields).map(([name, one]) => [
      name,
      sentOf(one, (value as { [name: string]: Value })[name] ?? ''),
    ])
    return Object.fromEntries(all.filter(([, one]) => one !== undefined))
  }
  return value === '' ? undefined : value
}
/** The fields of the branch that is chosen, its tag first. */
const branchesOf = ({ branches = {} }: Field) => branches as { readonly [value: string]: Field }
export function branchOf({ tag = '', ...field }: Field, value: Value): { readonly [name: string]: Field } {
  const branches = branchesOf(field as Field)
  const chosen = (value as { readonly [name: string]: string })[tag] ?? ''
  const tagged: Field = { kind: 'choice', need: 'required', values: Object.keys(branches) }
  return { [tag]: tagged, ...(Object.hasOwn(branches, chosen) ? branches[chosen]?.fields : {}) }
}

export type Values = { readonly [part: string]: Value }
export const blank = (): Values => Object.fromEntries(parts.map(([part, field]) => [part, blankOf(field)]))
/** @param key Of the attempt, by which the server knows it again. */
export const judged = (values: Values, key: string): EndpointVerdict<string, typeof bookSession> => {
  const sent = Object.fromEntries(parts.map(([part, field]) => [part, sentOf(field, values[part] ?? '')]))
  const header = { ...(sent['header'] as object), 'idempotency-key': key }
  return judgeParts(bookSession, { ...sent, header }, { text: true })
}

/** What stands at an address. */
export function valueAt(values: unknown, address: string): unknown {
  let value = values
  for (const [, name, index] of address.matchAll(/([^.[\]]+)|\[(\d+)\]/g))
    value =
      typeof value === 'object' && value !== null
        ? (value as { readonly [step: string]: unknown })[name ?? index ?? '']
        : undefined
  return value
}
