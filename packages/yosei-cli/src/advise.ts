/** What a careful colleague would say of a declaration: few things, each with its place, why, and the mend. */
import { type EndpointOutline, type FieldOutline, type Intake, outline, type RuleOutline } from 'yosei'
import type { Demanded } from 'yosei/probe'
import { branchesOf, isOutline, parts } from './outlined.js'
import { nameIn } from './place.js'

/** Each piece of advice by the name under which it can be answered in the declaration. */
export const advices = {
  unbounded: [
    'has no greatest length, so that one request may fill what stores it',
    'Give it a length: { length: [1, 200] }',
  ],
  open_identifier: [
    'is an identifier that takes any text',
    'Give it a pattern or a format: { pattern: /^s-[0-9]{6}$/ }',
  ],
  told_secret: ['looks like a secret, but messages, journals and outlines show it', 'Say secret: true'],
  patched_default: [
    'gets its default if a change leaves it out, which changes the stored value',
    'Use allOptional(), or take the default away',
  ],
  waiting_rule: [
    'may be left out, and then its rule is not judged',
    'Make it required, or add on.needed for when it must be sent',
  ],
  unclear_day: ['counts from today, without a zone', "Say the zone: { zone: 'Europe/Vienna' }"],
  odd_status: [
    'is answered with a status that no standard names: clients take it for 400',
    'Use one of RFC 9110, such as 409 or 422',
  ],
  unfixable: ['has the error, but no client can send it', 'Blame a field that a client sends: { blames: [...] }'],
  untripped: [
    'is a rule that no sample breaks: it is untested',
    'Write a sample that breaks it, or take it from yosei probe --write',
  ],
} as const satisfies { readonly [name: string]: readonly [why: string, mend: string] }
type AdviceName = keyof typeof advices

export interface Advice {
  readonly endpoint: string
  readonly address: string
  readonly name: AdviceName
  readonly why: string
  readonly mend: string
}

/** @param untripped The demands that no sample has tripped, if there are samples. */
export function adviceFor(app: Intake, untripped: readonly Demanded[]): Advice[] {
  return Object.entries(outline(app).endpoints).flatMap(([name, endpoint]) => {
    const found: Advice[] = []
    const say: Say = (address, advice, { because = {} }, told = advices[advice][0]) => {
      const answered = Object.hasOwn(because, advice) || Object.hasOwn(endpoint.because ?? {}, advice)
      if (!answered) found.push({ endpoint: name, address, name: advice, why: told, mend: advices[advice][1] })
    }
    const fields = [...fieldsOf(endpoint)]
    const byAddress = new Map(fields.map(([address, field]) => [address, field]))
    for (const placed of fields) adviseField(placed, endpoint, say)
    for (const [base, rule] of rulesOf(endpoint)) adviseRule(base, rule, byAddress, endpoint, say)
    for (const { address, status } of statusesOf(endpoint))
      if (!known.has(status))
        say(address, 'odd_status', endpoint, `is answered with ${status}, which no standard names`)
    for (const demand of untripped)
      if (demand.endpoint === name && isRule(demand))
        say(demand.address, 'untripped', endpoint, `${demand.code} (${demand.what}) ${advices.untripped[0]}`)
    return found
  })
}

/** Rules are reported by what they are and what they read. */
const isRule = ({ what, isImplied }: Demanded) =>
  !isImplied && /^[a-zA-Z]+ \S*\b(?:path|query|header|cookie|body|who)\b/.test(what) && !what.startsWith('lookup ')

/** What may answer advice with its reason. */
type Answering = Pick<FieldOutline, 'because'>
type Say = (address: string, advice: AdviceName, of: Answering, told?: string) => void

const texts = new Set([
  'uri',
  'uri-reference',
  'iri',
  'iri-reference',
  'regex',
  'json-pointer',
  'uri-template',
  'base64',
  'base64url',
  'relative-json-pointer',
])
const secretNames = /(?:^|[^a-z])(?:password|passphrase|secret|pin|cvv|cvc|token|apikey|api-key|iban)$/
const identifierNames = /(?:^id|[a-z]Id|[-_]id|^slug)$/

function adviseField([address, field, isOfWhole]: Placed, { method }: EndpointOutline, say: Say): void {
  const name = nameIn(address)
  const { kind, length, pattern, format, readOnly } = field
  if (readOnly) return
  const isText = kind === 'text'
  const isBounded =
    length !== undefined ||
    (typeof pattern === 'string' && isFinitePattern(pattern)) ||
    (typeof format === 'string' && !texts.has(format))
  if (isText && !isBounded) say(address, 'unbounded', field)
  // How many values a query may have is limited already.
  if ((kind === 'list' || kind === 'table') && length === undefined && address.startsWith('body'))
    say(address, 'unbounded', field)
  const isFree = isText && pattern === undefined && format === undefined
  if (isFree && address.startsWith('path.') && identifierNames.test(name)) say(address, 'open_identifier', field)
  const plain = name.replace(/([a-z])([A-Z])/g, '$1-$2').toLowerCase()
  if (!field.secret && kind !== 'flag' && secretNames.test(plain)) say(address, 'told_secret', field)
  if (method === 'PATCH' && field.need === 'defaulted' && address.startsWith('body') && !isOfWhole)
    say(address, 'patched_default', field)
  const isRelative = [field.from, field.until].some((limit) => typeof limit === 'string' && /^[+-]/.test(limit))
  if (kind === 'day' && isRelative && field.zone === undefined) say(address, 'unclear_day', field)
}

/** Whether what matches has an end: no repeat without one, from its start to its end. */
function isFinitePattern(pattern: string): boolean {
  const plain = pattern.replace(/\\./g, 'x').replace(/\[(?:[^\]])*\]/g, 'x')
  return /^\^.*\$$/.test(plain) && !/[*+]|\{\d+,\}/.test(plain) && !plain.includes('|')
}

function adviseRule(
  base: string,
  rule: RuleOutline,
  fields: ReadonlyMap<string, FieldOutline>,
  { method }: EndpointOutline,
  say: Say,
): void {
  const reads = rule.reads.map((address) => joined(base, address))
  const optional = reads.filter((address) => fields.get(address)?.need === 'optional')
  const isOfBody = reads.every((address) => address.startsWith('body'))
  // Two that may both be left out, as limits of a search may, are meant so.
  if (
    // It waits until both of two are there.
    rule.reads.length === 2 &&
    rule.reads.every((address) => rule.waits.includes(address)) &&
    isOfBody &&
    method !== 'PATCH' &&
    optional.length === 1 &&
    rule.during === undefined
  ) {
    const [address = ''] = optional
    say(
      address,
      'waiting_rule',
      fields.get(address) ?? {},
      `may be left out, and then ${rule.rule} ${reads.join(' ')} is not judged`,
    )
  }
  for (const blamed of rule.blames.map((address) => joined(base, address)))
    if (fields.get(blamed)?.readOnly) say(blamed, 'unfixable', fields.get(blamed) ?? {})
}

const known = new Set([
  400, 401, 402, 403, 404, 405, 406, 408, 409, 410, 411, 412, 413, 414, 415, 416, 417, 421, 422, 423, 424, 425, 426,
  428, 429, 431, 451,
])
function* statusesOf({
  rules,
  lookups,
  statuses = {},
}: EndpointOutline): Generator<{ address: string; status: number }> {
  for (const { status, blames } of rules) if (status !== undefined) yield { address: blames[0] ?? '', status }
  for (const { refusal, reads } of Object.values(lookups))
    if (refusal?.status !== undefined) yield { address: reads[0] ?? '', status: refusal.status }
  const { codes = {}, ...own } = statuses
  for (const status of [...Object.values(own), ...Object.values(codes as object)])
    if (typeof status === 'number' && status < 500) yield { address: '', status }
}

const joined = (base: string, address: string) => (base === '' ? address : `${base}.${address}`)

/** A field, and whether it is sent as a part of something that is always sent whole: a list, a table, a union. */
type Placed = readonly [address: string, field: FieldOutline, isOfWhole: boolean]

/** Every field of an endpoint's requests, by its address. */
function* fieldsOf(endpoint: EndpointOutline): Generator<Placed> {
  for (const part of parts)
    for (const [name, field] of Object.entries(endpoint[part])) yield* fieldsIn(joined(part, name), field, false)
  for (const body of Object.values(endpoint.body)) yield* fieldsIn('body', body, false)
}
function* fieldsIn(address: string, field: FieldOutline, isOfWhole: boolean): Generator<Placed> {
  if (field.base) {
    yield* fieldsIn(address, { ...field.base, ...(field.because ? { because: field.because } : {}) }, isOfWhole)
    return
  }
  yield [address, field, isOfWhole]
  for (const [name, one] of Object.entries(field.fields ?? {})) yield* fieldsIn(joined(address, name), one, isOfWhole)
  if (field.item) yield* fieldsIn(`${address}[]`, field.item, true)
  if (isOutline(field.value)) yield* fieldsIn(`${address}{}`, field.value, true)
  for (const one of field.items ?? []) yield* fieldsIn(address, one, true)
  for (const branch of branchesOf(field))
    for (const [at, one] of fieldsIn(address, branch, true))
      if (at !== address || one.kind !== 'record') yield [at, one, true]
}

function* rulesOf(endpoint: EndpointOutline): Generator<readonly [base: string, rule: RuleOutline]> {
  for (const rule of endpoint.rules) yield ['', rule]
  for (const [address, field] of fieldsOf(endpoint)) for (const rule of field.rules ?? []) yield [address, rule]
}
