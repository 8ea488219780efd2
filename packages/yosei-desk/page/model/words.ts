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
  const base = field.base ? { ...field.base, ...field, kind: field.base.kind } : field
  const words: string[] = [base.kind === 'readAs' ? 'text' : spaced(base.kind)]
  for (const [option, limit] of Object.entries(base)) {
    if (untold.has(option) || limit === false || limit === undefined) continue
    if (option === 'length') words.push(lengthOf(limit, base.kind))
    else
      words.push(
        spelled[option]?.(told(limit)) ?? (limit === true ? spaced(option) : `${spaced(option)} ${told(limit)}`),
      )
  }
  if (base.values) words.push(`one of ${base.values.map(String).join(', ')}`)
  if (base.kind === 'constant') words.push(JSON.stringify(base.value))
  if (base.nullable) words.push('may be null')
  if (base.need === 'optional') words.push('may be left out')
  if (base.need === 'defaulted') words.push(base['computed'] ? 'has a default' : `${told(base['default'])} by default`)
  if (base.secret) words.push('secret')
  return words.filter((one) => one !== '').join(', ')
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
