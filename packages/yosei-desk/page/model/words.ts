/** A declared field in words: what it takes, and what becomes of it where it is left out. */
import type { FieldOutline } from '../../src/terms.ts'

/** Options that are reported by the words below, or elsewhere on the page. */
const untold = new Set([
  'kind',
  'need',
  'title',
  'description',
  'secret',
  'fields',
  'item',
  'items',
  'value',
  'base',
  'tag',
  'branches',
  'values',
  'titles',
  'rules',
  'of',
  'messages',
  'message',
  'because',
  'examples',
  'code',
  'default',
  'computed',
  'nullable',
  'name',
  'lines',
  'names',
  'deprecated',
  'relative',
  'write',
])
const spelled: { readonly [option: string]: (limit: string) => string } = {
  min: (limit) => `from ${limit}`,
  max: (limit) => `to ${limit}`,
  above: (limit) => `more than ${limit}`,
  below: (limit) => `less than ${limit}`,
  step: (limit) => `in steps of ${limit}`,
  from: (limit) => `not before ${limit}`,
  until: (limit) => `not after ${limit}`,
  pattern: (limit) => `like /${limit}/`,
  format: (limit) => limit,
  digits: (limit) => `${limit} digits`,
  scale: (limit) => `${limit} of them behind the point`,
  bytes: (limit) => `up to ${limit}`,
  types: (limit) => limit,
  zone: (limit) => `in ${limit}`,
  tidy: (limit) => `tidied: ${limit}`,
  distinct: (limit) => (limit === 'true' ? 'all different' : `different in ${limit}`),
}

export function wordsOf(field: FieldOutline): string {
  const base = whole(field)
  const words: string[] = [spaced(base.kind)]
  for (const [option, limit] of Object.entries(base)) {
    if (untold.has(option) || limit === false || limit === undefined) continue
    const relative = option === 'from' || option === 'until' ? base.relative?.[option] : undefined
    if (relative !== undefined) words.push(spelled[option]?.(relative) ?? '')
    else if (option === 'length') words.push(lengthOf(limit, base.kind))
    else
      words.push(
        spelled[option]?.(told(limit)) ?? (limit === true ? spaced(option) : `${spaced(option)} ${told(limit)}`),
      )
  }
  if (base.values) words.push(`one of ${listed(base.values)}`)
  if (base.kind === 'constant') words.push(JSON.stringify(base.value))
  if (base.nullable) words.push('may be null')
  if (base.need === 'optional') words.push('may be left out')
  if (base.need === 'defaulted') words.push(base.computed ? 'has a default' : `${told(base.default)} by default`)
  if (base.examples?.length) words.push(`such as ${told(base.examples[0])}`)
  if (base.secret) words.push('secret')
  return words.filter((one) => one !== '').join(', ')
}

/** What a reader takes is what its own base takes, with the words of both. */
export const whole = (field: FieldOutline): FieldOutline => {
  if (!field.base) return field
  const base = whole(field.base)
  return { ...base, ...field, kind: base.kind }
}

/** So many choices are named. */
const mostNamed = 12
const listed = (values: readonly unknown[]): string => {
  const more = values.length - mostNamed
  const named = values.slice(0, mostNamed).map(String).join(', ')
  return more > 0 ? `${named}, and ${more} more` : named
}

const told = (limit: unknown): string =>
  Array.isArray(limit) ? limit.map(told).join(', ') : typeof limit === 'string' ? limit : JSON.stringify(limit)
const spaced = (name: string) => name.replace(/[A-Z]/g, (one) => ` ${one.toLowerCase()}`)

function lengthOf(length: unknown, kind: string): string {
  const of = kind === 'list' || kind === 'tuple' ? 'elements' : kind === 'table' ? 'names' : 'characters'
  if (!Array.isArray(length)) return `${told(length)} ${of}`
  const [least, most] = length as unknown[]
  return most === undefined || most === null ? `${told(least)} ${of} or more` : `${told(least)} to ${told(most)} ${of}`
}

/** A value that was read, in one line. */
export function shownValue(value: unknown): string {
  if (value === undefined) return ''
  if (typeof value === 'string') return value === '' ? '""' : value.replace(/(:\d\d)\.000Z$/, '$1Z')
  return JSON.stringify(value)
}
