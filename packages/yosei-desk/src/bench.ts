/** What judges for the page: over a module and its services, in Node or in a browser. */
import { answer, foldAddress, type Intake, judge, type Message, outline, parseAddress, type Sign } from 'yosei'
import { signMessage } from 'yosei/client'
import { type Probe, probesOf } from 'yosei/probe'
import { draftOf, messageOf, writtenMessage } from './draft.js'
import type { AnyVerdict, BookSample, Kit } from './kit.js'
import { secretHeaders } from './secret.js'
import type {
  Answer,
  Bench,
  BookEntry,
  Caller,
  Draft,
  EndpointEntry,
  EndpointOutline,
  Judged,
  ProbeEntry,
  Shelf,
  Stamp,
  Wishes,
} from './terms.js'

export { messageOf } from './draft.js'
export type { Kit } from './kit.js'

/** A book as it was read. */
export interface Book {
  readonly file: string
  readonly page: string
}
export interface Matter {
  readonly app: Intake
  /** Makes stand-in services, afresh for each judgement. */
  readonly makeServices?: ((() => unknown) & { readonly sign?: Sign | undefined }) | undefined
  readonly books: readonly Book[]
  readonly kit: Kit
  /** What marks in messages stand for, by their names. */
  readonly files?: Map<string, Uint8Array>
  readonly revision?: number
  readonly broken?: string | undefined
}

/** @throws Error if a book cannot be read. */
export function createBench(given: Matter): Bench {
  const { app, books, kit, files = new Map<string, Uint8Array>(), revision = 0, broken } = given
  const matter = { ...given, files }
  // Plain JSON to its users; here its shape is known.
  const outlined = outline(app)
  const samples = new Map<string, BookSample>()
  const entries = books.map(
    ({ file, page }): BookEntry => ({
      file,
      title: /^#\s+(.*)$/m.exec(page)?.[1] ?? file,
      samples: kit.readBook(page).map((sample, index) => {
        const id = `${file}#${index + 1}`
        samples.set(id, sample)
        return { id, title: sample.title, method: sample.message.method, target: sample.message.target }
      }),
    }),
  )
  const known = <T>(found: T | undefined, what: string): T => {
    if (found === undefined) throw new RangeError(`${what}: there is none`)
    return found
  }
  const outlineOf = (name: string) =>
    known(Object.hasOwn(outlined.endpoints, name) ? outlined.endpoints[name] : undefined, name)
  /** Samples that may be of an endpoint: what a function of the declaration takes is taken from them. */
  const like = (endpoint: string): Message[] =>
    [...samples.values()]
      .map(({ message }) => message)
      .filter(({ method }) => method === outlined.endpoints[endpoint]?.method)
      .slice(0, mostLike)
  const probes = new Map<string, readonly Probe[]>()
  const probesIn = (endpoint: string): readonly Probe[] => {
    outlineOf(endpoint)
    const made = probes.get(endpoint) ?? [...probesOf(app, { endpoint, samples: like(endpoint) })]
    probes.set(endpoint, made)
    return made
  }

  return {
    async catalogue() {
      return {
        title: outlined.title ?? 'Intake',
        endpoints: Object.values(outlined.endpoints).map(entryOf),
        books: entries,
        languages: ['en', 'de', ...Object.keys((app as { languages?: object }).languages ?? {})].filter(
          (one, index, all) => all.indexOf(one) === index,
        ),
        revision,
        ...(broken === undefined ? {} : { broken }),
      }
    },
    async shelf(): Promise<Shelf> {
      const coverage = kit.coverage(app)
      const stamps: { [sample: string]: Stamp } = {}
      let since = performance.now()
      for (const [id, sample] of samples) {
        // Other requests are not kept waiting.
        if (performance.now() - since > longestHold) {
          await new Promise((next) => setTimeout(next))
          since = performance.now()
        }
        const verdict = await verdictOn(matter, draftOf(sample))
        coverage.add(verdict)
        stamps[id] = stampOf(matter, sample, verdict)
      }
      return { stamps, coverage: coverage.table() }
    },
    async sample(id) {
      return draftOf(known(samples.get(id), id))
    },
    async sheet(name) {
      const own = outlineOf(name)
      const good = goodProbes(app, name, like(name))
      return { outline: own, base: outlined.base ?? '', ...good }
    },
    async probes(endpoint, address) {
      return probesIn(endpoint).flatMap((probe): ProbeEntry[] => {
        if (probe.outcome !== 'rejected' || foldAddress(probe.address) !== address) return []
        return [{ what: probe.what, address: probe.address, code: probe.code, draft: probeDraft(probe) }]
      })
    },
    async callers(name) {
      const secret = secretHeadersOf(outlineOf(name))
      const compared = new Set(comparedHeaders(outlineOf(name)))
      const named = new Set(Object.values(outlined.endpoints).flatMap(comparedHeaders))
      const callers = new Map<string, Caller>()
      for (const sample of samples.values()) {
        const isIn = (set: ReadonlySet<string>) => sample.message.headers.filter(([header]) => set.has(header))
        const who = sample.who && JSON.stringify(sample.who.json)
        const headers = [...isIn(compared), ...isIn(secret)]
        const key = JSON.stringify([isIn(secret), who])
        const known = callers.get(key)
        if (known ? known.headers.length >= headers.length : callers.size === mostCallers) continue
        if (who === undefined && isIn(secret).length === 0) continue
        // A caller that is not let in is no choice.
        const verdict = await verdictOn(matter, draftOf(sample))
        if (verdict.outcome === 'rejected' && (early.has(verdict.stage) || known)) continue
        const words = isIn(named).map(([, value]) => value)
        if (who !== undefined) words.push(who)
        const label = words.length === 0 ? (known?.label ?? `as in “${sample.title}”`) : words.join(', ')
        callers.set(key, { label, headers, ...(who === undefined ? {} : { who }) })
      }
      return [...callers.values()]
    },
    async keep(id, file) {
      const bytes = new Uint8Array(await file.arrayBuffer())
      files.delete(id)
      let sum = bytes.length
      for (const { length } of files.values()) sum += length
      // The oldest go first; a page brings one again that it still needs.
      for (const [old, { length }] of files) {
        if (sum <= mostBytes) break
        files.delete(old)
        sum -= length
      }
      files.set(id, bytes)
    },
    judge: (draft) => judged(matter, draft),
    async answer(draft, wishes) {
      return answerTo(await verdictOn(matter, draft), wishes)
    },
    async recorded(har) {
      return [...kit.readHar(har)].map(draftOf)
    },
  }
}

/** In milliseconds. */
const longestHold = 20
/** More samples tell probes nothing new. */
const mostLike = 40
const mostCallers = 20
/** Of all files that are kept. */
const mostBytes = 200_000_000

/** Stages that no unknown caller comes past. */
const early = new Set<string | undefined>(['match', 'admit', 'identify', 'attest'])
/** The header fields that say who asks. */
const secretHeadersOf = ({ header }: EndpointOutline): ReadonlySet<string> =>
  new Set([...secretHeaders, ...Object.entries(header).flatMap(([name, field]) => (field.secret ? [name] : []))])
/** The header fields that a rule compares with the caller. */
const comparedHeaders = ({ rules }: EndpointOutline): readonly string[] =>
  rules
    .filter(({ rule, reads }) => rule === 'equal' && reads.some((address) => address.startsWith('who.')))
    .flatMap(({ reads }) => reads.flatMap((address) => /^header\.(.+)$/.exec(address)?.[1] ?? []))

const entryOf = ({ name, method, template, title, tags }: EndpointOutline): EndpointEntry => ({
  name,
  method,
  template,
  ...(title === undefined ? {} : { title }),
  tags,
})

/** The first right requests that are made are the smallest and the fullest. */
function goodProbes(app: Intake, endpoint: string, samples: readonly Message[]): { smallest?: Draft; fullest?: Draft } {
  const found: Draft[] = []
  for (const probe of probesOf(app, { endpoint, samples })) {
    if (probe.outcome !== 'accepted' || found.length === 2) break
    found.push(probeDraft(probe))
  }
  const [smallest, fullest = smallest] = found
  return smallest && fullest ? { smallest, fullest } : {}
}

const probeDraft = ({ message, now, who }: Exclude<Probe, { outcome: 'unprobed' }>): Draft => ({
  message: writtenMessage(message),
  now: now.toISOString().replace('.000Z', 'Z'),
  ...(who ? { who: JSON.stringify(who.json) } : {}),
})

/** What stands beside the message makes no sense, so that there is nothing to judge. */
export class Misplaced extends RangeError {
  constructor(
    readonly at: 'now' | 'who',
    message: string,
  ) {
    super(message)
  }
}

/** What `judge` takes besides the message. */
async function aboutOf({ app, makeServices, kit }: Matter, { now, who }: Draft, endpoint: string | undefined) {
  // By another clock than the one that stands there, a verdict would be of something else.
  if (now !== undefined && now !== '' && Number.isNaN(Date.parse(now)))
    throw new Misplaced('now', `${JSON.stringify(now)} is not a date-time; write it as 2031-03-01T12:00:00Z`)
  const clock = now === undefined || now === '' ? {} : { now: new Date(now) }
  const services = makeServices ? { services: await makeServices() } : {}
  if (who === undefined || who.trim() === '') return { ...clock, ...services }
  const json = jsonOf(who)
  if (json === undefined) throw new Misplaced('who', 'is not JSON; write it as {"name": "a value"}')
  const read = kit.readWho(app, endpoint, json, clock)
  // If the endpoint does not take this caller, that is reported, and nothing is judged.
  if ('error' in read)
    throw new Misplaced('who', `${read.error?.address.replace(/^body\.?/, '')} ${read.error?.message}`.trim())
  return { ...clock, ...services, who: read.who }
}

function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return undefined
  }
}

export async function verdictOn(matter: Matter, draft: Draft): Promise<AnyVerdict> {
  const { app } = matter
  const message = messageOf(draft, matter.files)
  const request = 'reason' in message ? draft.message : message
  const endpoint = draft.who === undefined ? undefined : ((await judge(app, request)) as { endpoint?: string }).endpoint
  const about = await aboutOf(matter, draft, endpoint)
  const { sign } = matter.makeServices ?? {}
  const signed = 'reason' in message ? draft.message : await signMessage(message, sign, about.now)
  return (await judge(app, signed, { ...about, trace: true })) as AnyVerdict
}

export function stampOf({ app, kit }: Matter, sample: BookSample, verdict: AnyVerdict): Stamp {
  const faults = kit.faultsOf(app, sample, verdict)
  return {
    ...(verdict.endpoint === undefined ? {} : { endpoint: verdict.endpoint }),
    status: verdict.outcome === 'rejected' ? String(verdict.status) : verdict.outcome,
    isGood: verdict.outcome !== 'rejected',
    ...(faults ? { faults } : {}),
  }
}

async function judged(matter: Matter, draft: Draft): Promise<Judged> {
  const verdict = await verdictOn(matter, draft)
  const { endpoint, trace } = verdict
  const told = {
    ...(endpoint === undefined ? {} : { endpoint }),
    readings: trace?.readings.map((one) => ({ ...one, sent: asJson(one.sent), read: asJson(one.read) })) ?? [],
    steps: trace?.steps.map((one) => ({ ...one, ...('found' in one ? { found: asJson(one.found) } : {}) })) ?? [],
    unasked: verdict.outcome === 'pending' ? verdict.unasked : [],
  }
  if (verdict.outcome === 'rejected') {
    const { outcome, stage, status, errors, more } = verdict
    return { ...told, ...(stage === 'match' ? unmatchedIn(matter, draft) : {}), outcome, stage, status, errors, more }
  }
  const { success, turn } = matter.app.endpoints[endpoint ?? ''] as { success?: number; turn?: Turn }
  const input = asJson(matter.kit.withoutSecrets(matter.app, endpoint, verdict.input, []))
  return {
    ...told,
    outcome: verdict.outcome,
    ...(success === undefined ? {} : { status: success }),
    errors: [],
    more: 0,
    input,
    ...(turn ? { turn: { of: turn.of, key: turn.by.map((address) => valueAt(input, address)) } } : {}),
  }
}
function unmatchedIn({ app, kit, files }: Matter, draft: Draft): Pick<Judged, 'unmatched'> {
  const message = messageOf(draft, files)
  if ('reason' in message) return {}
  const { method, target } = message
  const nearest = kit.nearestEndpoint(app, method, target)
  return { unmatched: { request: `${method} ${target.split('?')[0]}`, ...(nearest === undefined ? {} : { nearest }) } }
}

/** Readers and services make what they like: what JSON cannot say, or says slowly, is replaced by a note. */
function asJson(value: unknown): unknown {
  if (value === undefined) return undefined
  try {
    const json = JSON.stringify(value, (_, one) => (typeof one === 'bigint' ? String(one) : one))
    if (json === undefined) return `(${typeof value})`
    return json.length > longestValue ? `${json.slice(0, longestValue)}…` : JSON.parse(json)
  } catch {
    return '(what JSON cannot say)'
  }
}
/** In characters. */
const longestValue = 1_000_000

interface Turn {
  readonly of: string
  readonly by: readonly string[]
}

const valueAt = (input: unknown, address: string): unknown =>
  (parseAddress(address) ?? []).reduce<unknown>(
    (value, step) =>
      typeof value === 'object' && value !== null && Object.hasOwn(value, step)
        ? (value as { readonly [step: string | number]: unknown })[step]
        : undefined,
    input,
  )

/** What goes out: of an acceptance that its handler decides. */
async function answerTo(verdict: AnyVerdict, { accept, language }: Wishes): Promise<Answer> {
  if (verdict.outcome !== 'rejected') return { status: 0, headers: [], body: '' }
  const response = answer(verdict, { headers: { accept, 'accept-language': language } })
  return { status: response.status, headers: [...response.headers], body: await response.text() }
}
