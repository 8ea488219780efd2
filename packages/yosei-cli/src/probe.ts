/** The command `probe`: requests made from a declaration, judged, saved, or sent to a running server. */
import { existsSync, writeFileSync } from 'node:fs'
import type { Intake, Message } from 'yosei'
import { type BadProbe, type GoodProbe, isForged, judgeProbe, probesOf, signProbe, type Unprobed } from 'yosei/probe'
import { blockOf, isWritable, verdictOf } from './book/index.js'
import { checkSamples } from './check.js'
import { Failure } from './failure.js'
import { type Arrived, headerOf, Server } from './http.js'
import type { MakeServices } from './load.js'
import { maskedTarget, withoutSecrets } from './masked.js'
import { findSamples } from './samples.js'
import { endpointIn } from './show.js'
import { bar, pc, plural, print, shorten, visible, width } from './terminal.js'

export interface ProbeOptions {
  readonly format: 'text' | 'json'
  readonly seed: number
  readonly samples: readonly string[]
  readonly write?: string
  readonly at?: string
  readonly header: readonly string[]
  readonly timeout: number
  /** Makes stand-in services for each probe; without them lookups are not asked. */
  readonly makeServices?: MakeServices | undefined
}

type Request = GoodProbe | BadProbe
interface Wrong {
  readonly probe: Request
  readonly fault: string
}
interface Row {
  readonly endpoint: string
  accepted: number
  rejected: number
  readonly wrong: Wrong[]
  readonly unprobed: Unprobed[]
}

/** @returns The exit code. */
export async function runProbe(app: Intake, endpoint: string | undefined, options: ProbeOptions): Promise<number> {
  if (endpoint !== undefined) endpointIn(app, endpoint)
  if (options.write !== undefined && existsSync(options.write))
    throw new Failure(`${options.write}: is there already; name a new file, or remove it`)
  const rows = new Map<string, Row>()
  const trying = await trialOf(app, options)
  const book = options.write === undefined ? undefined : new Book()
  // A server has a clock of its own.
  const now = options.at === undefined ? undefined : new Date()
  const samples = await acceptedIn(app, options.samples)
  try {
    for (const probe of probesOf(app, { endpoint, seed: options.seed, now, samples })) {
      const row = rows.get(probe.endpoint) ?? {
        endpoint: probe.endpoint,
        accepted: 0,
        rejected: 0,
        wrong: [],
        unprobed: [],
      }
      rows.set(probe.endpoint, row)
      if (probe.outcome === 'unprobed') row.unprobed.push(probe)
      else {
        row[probe.outcome]++
        const { fault, verdict } = await trying.judge(probe)
        if (fault !== undefined) row.wrong.push({ probe, fault })
        if (book && verdict) book.add(probe, verdict)
      }
    }
  } finally {
    await trying.close()
  }
  if (book && options.write !== undefined) writeFileSync(options.write, book.text())
  const all = [...rows.values()]
  await print(`${options.format === 'json' ? JSON.stringify(jsonOf(all), null, 2) : textOf(app, all, options, book)}\n`)
  // That nothing is wrong says nothing if nothing was tried.
  const isTried = all.length > 0 && all.every(({ accepted, rejected }) => accepted + rejected > 0)
  return isTried && all.every(({ wrong }) => wrong.length === 0) ? 0 : 1
}

interface Judging {
  judge(probe: Request): Promise<{ readonly fault: string | undefined; readonly verdict?: readonly string[] }>
  close(): Promise<void>
}
async function trialOf(app: Intake, { at, header, timeout, makeServices }: ProbeOptions): Promise<Judging> {
  if (at === undefined)
    return {
      async judge(probe) {
        const services = makeServices && (await makeServices())
        const { fault, verdict } = await judgeProbe(app, probe, { services, sign: makeServices?.sign })
        return { fault, verdict: verdictOf(verdict) }
      },
      close: async () => undefined,
    }
  const server = new Server(at, { headers: header.map(headerOf), timeout, app }, 8)
  return {
    async judge(probe) {
      return { fault: faultAt(probe, await server.send(await signProbe(probe, makeServices?.sign))) }
    },
    close: () => server.close(),
  }
}

/** What a server's answer lacks: an error is looked for where it tells them. */
function faultAt(probe: Request, arrived: Arrived | string): string | undefined {
  if (typeof arrived === 'string') return arrived
  const { status, errors } = arrived
  const came = `it came ${status}${
    errors?.length
      ? `: ${errors
          .slice(0, 3)
          .map(({ address, code }) => `${address} ${code}`)
          .join(', ')}`
      : ''
  }`
  if (probe.outcome === 'accepted') return status < 400 ? undefined : `must be accepted, but ${came}`
  const { address, code } = probe
  const isThere =
    errors === undefined || errors.some((one) => (one.address === address && one.code === code) || isForged(probe, one))
  return status >= 400 && status < 500 && isThere ? undefined : `must be rejected with ${address} ${code}, but ${came}`
}

/** The messages of accepted samples. */
async function acceptedIn(app: Intake, patterns: readonly string[]): Promise<Message[]> {
  const accepted: Message[] = []
  if (patterns.length === 0) return accepted
  for await (const { sample, verdict } of checkSamples(app, findSamples(patterns)))
    if (verdict.outcome !== 'rejected') accepted.push(sample.message)
  return accepted
}

/** Probes as a book of samples. */
class Book {
  readonly #blocks: string[] = []
  #endpoint = ''
  left = 0
  add(probe: Request, verdict: readonly string[]): void {
    if (!isWritable(probe.message)) {
      this.left++
      return
    }
    if (probe.endpoint !== this.#endpoint) this.#blocks.push(`# ${probe.endpoint}`)
    this.#endpoint = probe.endpoint
    const settings = [
      `now: ${probe.now.toISOString()}`,
      ...(probe.who ? [`who: ${JSON.stringify(probe.who.json)}`] : []),
    ]
    this.#blocks.push(blockOf(titleOf(probe), probe.message, verdict, settings))
  }
  text(): string {
    return `${this.#blocks.join('\n\n')}\n`
  }
}

const titleOf = (probe: Request) =>
  probe.outcome === 'accepted'
    ? probe.what[0]?.toUpperCase() + probe.what.slice(1)
    : `${probe.address || 'request'}: ${probe.what}`

function textOf(app: Intake, rows: readonly Row[], { at, write }: ProbeOptions, book: Book | undefined): string {
  const names = Math.max(0, ...rows.map(({ endpoint }) => endpoint.length))
  const lines = rows.flatMap(({ endpoint, accepted, rejected, wrong, unprobed }) => {
    const all = accepted + rejected
    const held = `${bar(all === 0 ? 0 : (all - wrong.length) / all, 16)}`
    const counts = `${String(accepted).padStart(4)} accepted ${String(rejected).padStart(4)} rejected`
    return [
      `${endpoint.padEnd(names)}  ${wrong.length > 0 ? pc.red(held) : pc.green(held)} ${counts}${wrong.length > 0 ? pc.red(`  ${wrong.length} otherwise`) : all === 0 ? pc.red('  nothing was tried') : ''}`,
      ...wrong.flatMap((one) => wrongLines(app, one)),
      ...(unprobed.length > 0 ? [pc.gray('    not probed')] : []),
      ...unprobed.map(({ address, code, what, because }) =>
        pc.gray(shorten(visible(`      ${`${address} ${code}`.trim()} (${what}): ${because}`), width)),
      ),
    ]
  })
  const sum = (of: (row: Row) => number) => rows.reduce((all, row) => all + of(row), 0)
  const bad = sum(({ wrong }) => wrong.length)
  const count = sum(({ accepted, rejected }) => accepted + rejected)
  const told =
    count === 0 ? pc.red('nothing was tried') : bad === 0 ? 'all as they must be' : pc.red(`${bad} not as they must be`)
  return [
    ...lines,
    '',
    `${plural(count, 'probe')}${at === undefined ? '' : ` sent to ${at}`}: ${told}; ${sum(({ unprobed }) => unprobed.length)} not probed`,
    ...(book
      ? [`written to ${write}${book.left > 0 ? `, but for ${book.left} that are too large or no text` : ''}`]
      : []),
  ].join('\n')
}

function wrongLines(app: Intake, { probe, fault }: Wrong): string[] {
  const { method, target, body } = probe.message
  const shown = body === null ? '' : shownBody(app, probe.endpoint, body)
  return [
    `  ${pc.red('≠')} ${visible(titleOf(probe))}`,
    `      ${pc.red(shorten(visible(fault), width - 6))}`,
    `      ${pc.gray(shorten(visible(`${method} ${maskedTarget(app, probe.endpoint, target)} ${shown}`), width - 6))}`,
  ]
}

/** JSON without secrets; of another body its size. */
function shownBody(app: Intake, endpoint: string, body: string): string {
  try {
    return JSON.stringify(withoutSecrets(app, endpoint, JSON.parse(body), ['body']))
  } catch {
    return `(${body.length} bytes)`
  }
}

const jsonOf = (rows: readonly Row[]) => ({
  endpoints: rows.map(({ endpoint, accepted, rejected, wrong, unprobed }) => ({
    endpoint,
    accepted,
    rejected,
    wrong: wrong.map(({ probe, fault }) => ({ what: probe.what, fault, message: probe.message })),
    unprobed: unprobed.map(({ what, address, code, because }) => ({ what, address, code, because })),
  })),
})
