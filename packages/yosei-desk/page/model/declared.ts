/** What the page asks of a declaration: addresses, secrets, and the rules that touch a field. */
import { foldAddress, formatAddress, type Path } from 'yosei'
import type { EndpointOutline, FieldOutline, RuleOutline } from '../../src/terms.ts'

/** For a request that no endpoint takes: nothing is declared. */
export const unmatched: EndpointOutline = {
  name: '',
  method: '',
  template: '',
  tags: [],
  success: 200,
  path: {},
  query: {},
  header: {},
  cookie: {},
  body: {},
  rules: [],
  lookups: {},
}

/** Whether a field says nothing of what lies below it. */
export const isFree = ({ kind }: { readonly kind: string }): boolean => kind === 'anything' || kind === 'schema'

export const foldedAddress = (path: Path): string => foldAddress(formatAddress(path))

export const isSecret = (field: FieldOutline | undefined) => Boolean(field?.secret)

/** What declares the values of a table. */
export const entryOf = (field: FieldOutline | undefined): FieldOutline | undefined =>
  field?.kind === 'table' ? (field.value as FieldOutline | undefined) : undefined

const known = new WeakMap<FieldOutline, boolean>()
/** Whether a secret stands anywhere in a field, in whatever branch. */
export function holdsSecret(field: FieldOutline, outline: EndpointOutline): boolean {
  const found = known.get(field) ?? lookFor(field, outline, new Set())
  known.set(field, found)
  return found
}
function lookFor(field: FieldOutline, outline: EndpointOutline, seen: Set<FieldOutline>): boolean {
  if (seen.has(field)) return false
  seen.add(field)
  if (field.secret) return true
  const { fields = {}, item, items = [], base, branches = {}, of } = field
  const made = of === undefined ? undefined : outline.definitions?.[of]
  const inside = [...Object.values(fields), item, ...items, entryOf(field), base, made]
  return [...inside, ...Object.values(branches)].some((one) => one !== undefined && lookFor(one, outline, seen))
}

/** Whether a pair of a query or a form is of a field that holds a secret, also where its name goes on in brackets. */
export function isSecretPair(
  name: string,
  fields: { readonly [name: string]: FieldOutline },
  outline: EndpointOutline,
): boolean {
  const base = /^[^[]*/.exec(name)?.[0] ?? ''
  return [name, base].some((one) => Object.hasOwn(fields, one) && holdsSecret(fields[one] as FieldOutline, outline))
}

/** The rules that touch each address, in words. */
export function rulesByAddress(outline: EndpointOutline): ReadonlyMap<string, readonly string[]> {
  const found = new Map<string, string[]>()
  const add = (base: Path, { reads = [], blames = [], words }: RuleOutline) => {
    for (const one of new Set([...reads, ...blames])) {
      const address = base.length > 0 ? `${formatAddress(base)}.${one}` : one
      found.set(address, [...(found.get(address) ?? []), words])
    }
  }
  for (const rule of outline.rules) add([], rule)
  const look = (field: FieldOutline | undefined, path: Path, depth: number): void => {
    if (!field || depth > 12) return
    for (const rule of field.rules ?? []) add(path, rule)
    for (const [name, one] of Object.entries(field.fields ?? {})) look(one, [...path, name], depth + 1)
    const { branches } = field
    if (branches) for (const one of Object.values(branches)) look(one, path, depth + 1)
    look(field.base, path, depth + 1)
  }
  for (const field of Object.values(outline.body)) look(field, ['body'], 0)
  return found
}
