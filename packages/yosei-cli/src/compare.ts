/** What a client that works today would notice of a change: by requests whose verdicts changed. */
import { isDeepStrictEqual } from 'node:util'
import {
  type Endpoint,
  type EndpointOutline,
  type FieldError,
  type FieldOutline,
  foldAddress,
  formatAddress,
  type Intake,
  judge,
  outline,
  type Path,
  parseAddress,
  type RuleOutline,
} from 'yosei'
import { type BadProbe, type GoodProbe, probesOf, requestsOf } from 'yosei/probe'
import { type AnyVerdict, type Mark, markOf } from './book/index.js'
import { readWho } from './check.js'
import { isShown, maskedMessage, maskedTarget, withoutSecrets } from './masked.js'
import { branchesOf, isOutline, parts } from './outlined.js'
import { laidOut, shownValue } from './print.js'

export const changes = {
  breaking: 'accepted before, rejected now',
  widening: 'rejected before, accepted now',
  reading: 'read differently',
} as const
export type Change = keyof typeof changes

/** A difference, by a request that shows it. */
export interface Difference {
  readonly endpoint: string
  readonly change: Change
  /** If it is seen: of a rejection its address and code, else the address that is read differently. */
  readonly address: string
  readonly code: string
  /** The words of the error; or what was read before, and what now. */
  readonly told: string
  /** What of the declaration is otherwise there. */
  readonly declared: readonly string[]
  readonly evidence: Evidence
}
interface Evidence {
  /** The target without secrets, and the line that an error speaks of. */
  readonly target: string
  readonly mark: Mark | undefined
  readonly message: GoodProbe['message']
  /** The same without secrets. */
  readonly shown: object
  readonly who: unknown
  readonly now: Date
  readonly before: string
  readonly after: string
}

/** So many requests are made at random for each endpoint, besides the probes. */
const more = 40

export async function compareIntakes(before: Intake, after: Intake): Promise<Difference[]> {
  const found = new Map<string, Difference & { readonly errors: number }>()
  for (const [from, to] of [
    [before, after],
    [after, before],
  ] as const)
    for (const probe of requestsFrom(from, to)) {
      const [old, now] = [await verdictIn(before, probe), await verdictIn(after, probe)]
      for (const difference of differencesOf(before, after, probe, old, now)) {
        const key = `${difference.endpoint} ${difference.change} ${foldAddress(difference.address)} ${difference.code}`
        const known = found.get(key)
        // What shows nothing else shows it best.
        if (!known || difference.errors < known.errors) found.set(key, difference)
      }
    }
  const order = Object.keys(changes)
  const names = [...new Set([...Object.keys(before.endpoints), ...Object.keys(after.endpoints)])]
  return [...found.values()]
    .map(({ errors: _, ...difference }) => difference)
    .sort(
      (a, b) =>
        names.indexOf(a.endpoint) - names.indexOf(b.endpoint) || order.indexOf(a.change) - order.indexOf(b.change),
    )
}

/** Probes of an intake, and requests at random; of endpoints that are the same in both, none. */
function* requestsFrom(from: Intake, to: Intake): Generator<GoodProbe | BadProbe> {
  const shared = ['base', 'limits', 'statuses'] as const
  const isSameAround = shared.every((name) => isDeepStrictEqual((from as never)[name], (to as never)[name]))
  for (const [name, endpoint] of Object.entries(from.endpoints)) {
    const other = to.endpoints[name]
    if (other && isSameAround && isSame(endpoint, other)) continue
    for (const probe of probesOf(from, { endpoint: name })) if (probe.outcome !== 'unprobed') yield probe
    const base = (from as { readonly base?: string }).base ?? ''
    let count = 0
    for (const probe of requestsOf(endpoint, { seed: 7 })) {
      yield { ...probe, endpoint: name, message: { ...probe.message, target: base + probe.message.target } }
      if (++count === more) break
    }
  }
}

/** Whether two declarations are the same; what functions close over is not known. */
function isSame(a: Endpoint, b: Endpoint): boolean {
  const [one, other] = [sourceOf(a), sourceOf(b)]
  return one !== undefined && one === other
}

/** A declaration as text; none if it has functions. */
function sourceOf(endpoint: Endpoint): string | undefined {
  let hasFunctions = false
  const text = JSON.stringify(endpoint, (name, value: unknown) => {
    if (name === 'origin' || name === 'lookups' || name === 'turn') return undefined
    if (typeof value === 'function') hasFunctions = true
    return typeof value === 'bigint' || value instanceof RegExp ? String(value) : value
  })
  return hasFunctions ? undefined : text
}

async function verdictIn(app: Intake, { message, now, who, endpoint }: GoodProbe | BadProbe): Promise<AnyVerdict> {
  const read = who && readWho(app, endpoint, who.json, { now })
  const asking = read && 'who' in read ? { who: read.who } : {}
  return (await judge(app, message, { now, ...asking })) as AnyVerdict
}

function* differencesOf(
  before: Intake,
  after: Intake,
  probe: GoodProbe | BadProbe,
  old: AnyVerdict,
  now: AnyVerdict,
): Generator<Difference & { readonly errors: number }> {
  const { endpoint, message } = probe
  const app = after.endpoints[endpoint] ? after : before
  const target = maskedTarget(app, endpoint, message.target)
  const evidenceOf = (address: string): Evidence => ({
    message,
    shown: maskedMessage(app, endpoint, message),
    target,
    mark: markIn(app, probe, address),
    who: probe.who && withoutSecrets(app, endpoint, probe.who.json, ['who']),
    now: probe.now,
    before: shortly(old),
    after: shortly(now),
  })
  const rejected = (change: Change, errors: readonly FieldError[], status: number) =>
    (errors.length === 0 ? [{ address: '', code: String(status), message: `is answered with ${status}` }] : errors).map(
      ({ address, code, message }) => ({
        endpoint,
        evidence: evidenceOf(address),
        change,
        address,
        code,
        told: message,
        declared: declaredBetween(before.endpoints[endpoint], after.endpoints[endpoint], address),
        errors: errors.length,
      }),
    )
  if (old.outcome !== 'rejected' && now.outcome === 'rejected') yield* rejected('breaking', now.errors, now.status)
  else if (old.outcome === 'rejected' && now.outcome !== 'rejected') yield* rejected('widening', old.errors, old.status)
  else if (isAttested(old) !== isAttested(now)) {
    const change = isAttested(now) ? 'breaking' : 'widening'
    const [difference] = rejected(change, [forged as FieldError], 403)
    const [signed, unsigned] = ['accepted', '403, unsigned']
    const sides = change === 'breaking' ? { before: signed, after: unsigned } : { before: unsigned, after: signed }
    if (difference) yield { ...difference, evidence: { ...difference.evidence, ...sides } }
  } else if (old.outcome !== 'rejected' && now.outcome !== 'rejected') {
    const [first, ...others] = unlike(old.input, now.input, [])
    if (!first) return
    const [address, was, is] = first
    const isHidden = !isShown(after, now.endpoint, address)
    yield {
      endpoint,
      evidence: evidenceOf(address),
      change: 'reading',
      address,
      code: '',
      told: isHidden ? 'is read differently' : `was read as ${shownValue(was)}, now as ${shownValue(is)}`,
      declared: declaredBetween(before.endpoints[endpoint], after.endpoints[endpoint], address),
      errors: others.length + 1,
    }
  }
}

/** Whether a request must be signed: without services, its verdict waits for that. */
const isAttested = (verdict: AnyVerdict) => verdict.outcome === 'pending' && verdict.unasked.includes('attest')
const forged = { address: 'body', code: 'not_genuine', message: 'must come from who it says, unchanged' }

const shortly = (verdict: AnyVerdict) => (verdict.outcome === 'rejected' ? String(verdict.status) : 'accepted')

type Unlike = readonly [address: string, was: unknown, is: unknown]
/** Where two values differ. */
function unlike(a: unknown, b: unknown, path: Path): readonly Unlike[] {
  if (isDeepStrictEqual(a, b)) return []
  const areObjects = [a, b].every((one) => typeof one === 'object' && one !== null && !(one instanceof Date))
  if (!areObjects || Array.isArray(a) !== Array.isArray(b) || path.length > 11) return [[formatAddress(path), a, b]]
  const names = new Set([...Object.keys(a as object), ...Object.keys(b as object)])
  return [...names].flatMap((name) => {
    const [was, is] = [a, b].map((one) =>
      Object.hasOwn(one as object, name) ? (one as { [name: string]: unknown })[name] : undefined,
    )
    return unlike(was, is, [...path, Array.isArray(a) ? Number(name) : name])
  })
}

/** What the declarations say otherwise of an address. */
function declaredBetween(
  before: Endpoint | undefined,
  after: Endpoint | undefined,
  address: string,
): readonly string[] {
  if (!before) return ['the endpoint is new']
  if (!after) return ['the endpoint is gone']
  const [old, now] = [outline(before), outline(after)]
  const [field, other] = [fieldAt(old, address), fieldAt(now, address)]
  const own =
    field && !other
      ? ['declared before, not now']
      : !field && other
        ? ['not declared before']
        : field && other
          ? optionsBetween(field, other)
          : []
  const rules = rulesBetween(old, now, address)
  if (own.length + rules.length > 0) return [...own, ...rules].slice(0, 6)
  // Else it is what holds the field, or the endpoint itself.
  const parent = (parseAddress(address) ?? []).slice(0, -1)
  if (parent.length > 0) return declaredBetween(before, after, formatAddress(parent))
  return optionsBetween(plainOf(old), plainOf(now)).slice(0, 6)
}
/** What an endpoint says besides its parts. */
const plainNames = [
  'method',
  'template',
  'limits',
  'unlisted',
  'coerce',
  'success',
  'may',
  'open',
  'uniqueNames',
  'attested',
]
const plainOf = (endpoint: EndpointOutline): Options =>
  Object.fromEntries(plainNames.map((name) => [name, endpoint[name]]))

/** What is said of the field at an address. */
function fieldAt(endpoint: EndpointOutline, address: string): Options | undefined {
  const [first, ...rest] = parseAddress(address) ?? []
  const part = parts.find((one) => one === first)
  const tops: readonly FieldOutline[] = part
    ? [{ kind: 'record', need: 'required', fields: endpoint[part] }]
    : first === 'body'
      ? Object.values(endpoint.body)
      : []
  return tops.map((top) => descend(top, rest)).find((found) => found !== undefined)
}

function descend(of: FieldOutline, path: Path): Options | undefined {
  const [step, ...rest] = path
  if (step === undefined) return of
  if (of.base) return descend(of.base, path)
  const next = typeof step === 'number' ? (of.item ?? of.items?.[step] ?? of.value) : (of.fields?.[step] ?? of.value)
  if (isOutline(next)) return descend(next, rest)
  if (step === of.tag)
    return rest.length === 0 ? { tag: of.tag, branches: Object.keys(of.branches ?? {}).join(', ') } : undefined
  return branchesOf(of)
    .map((branch) => descend(branch, path))
    .find((found) => found !== undefined)
}

/** The options of a field that are otherwise; what lies below is looked at there. */
type Options = { readonly [option: string]: unknown }
function optionsBetween(before: Options, after: Options): string[] {
  const inside = new Set([
    'fields',
    'item',
    'value',
    'items',
    'base',
    'rules',
    'title',
    'description',
    'examples',
    'messages',
  ])
  const names = new Set([...Object.keys(before), ...Object.keys(after)])
  return [...names].flatMap((name) => {
    const [was, is] = [before[name], after[name]]
    const isBelow = inside.has(name) && !(name === 'value' && before.kind === 'constant')
    if (isBelow || isDeepStrictEqual(was, is)) return []
    if (name === 'branches' && typeof was === 'object' && typeof is === 'object') {
      const [old, now] = [Object.keys(was ?? {}), Object.keys(is ?? {})].map((keys) => keys.join(', '))
      return old === now ? [] : [`branches ${old} → ${now}`]
    }
    return [name === 'need' ? `${was} → ${is}` : `${name} ${option(was)} → ${option(is)}`]
  })
}
const option = (value: unknown) =>
  value === undefined ? '(none)' : typeof value === 'string' ? value : JSON.stringify(value)

/** Rules that speak of an address, and are new or gone. */
function rulesBetween(before: EndpointOutline, after: EndpointOutline, address: string): string[] {
  const [old, now] = [before, after].map((one) => rulesIn(one).map(({ words }) => words))
  const name = /[^.[\]]+(?=[[\]\d]*$)/.exec(foldAddress(address))?.[0] ?? ''
  const speaks = (words: string) => name !== '' && words.includes(name)
  return [
    ...(now ?? []).filter((words) => !old?.includes(words) && speaks(words)).map((words) => `new rule: ${words}`),
    ...(old ?? []).filter((words) => !now?.includes(words) && speaks(words)).map((words) => `gone: ${words}`),
  ]
}
/** The rules of an endpoint, and of its records. */
function rulesIn(of: unknown): RuleOutline[] {
  if (typeof of !== 'object' || of === null) return []
  const own = 'rules' in of && Array.isArray(of.rules) ? (of.rules as RuleOutline[]) : []
  return [...own, ...Object.entries(of).flatMap(([name, one]) => (name === 'rules' ? [] : rulesIn(one)))]
}

/** The line that an error speaks of. */
function markIn(app: Intake, { message, endpoint }: GoodProbe | BadProbe, address: string): Evidence['mark'] {
  const shown = { ...message, body: laidOut(message.body) }
  const isTold = (one: string) => isShown(app, endpoint, one)
  return address.startsWith('body') ? markOf({ address }, shown, message.target, isTold) : undefined
}
