/** The command `try`: one request from the command line, and the way it goes. */
import { appendFileSync, existsSync, readFileSync, writeFileSync } from 'node:fs'
import { text } from 'node:stream/consumers'
import { answer, formatAddress, type Intake, judge, type Message } from 'yosei'
import { signMessage } from 'yosei/client'
import { requestFor } from 'yosei/probe'
import { type AnyVerdict, blockOf, isWritable, markOf, verdictOf } from './book/index.js'
import { readWho } from './check.js'
import { Failure } from './failure.js'
import { headerOf } from './http.js'
import type { MakeServices } from './load.js'
import { isShown, maskedHeader, maskedMessage, maskedTarget, withoutSecrets } from './masked.js'
import { nearestEndpoint } from './nearest.js'
import { errorLines, laidOut, shownValue, statusText, stepText, traceLines } from './print.js'
import { pc, print, shorten, visible, width } from './terminal.js'

export interface TryOptions {
  readonly format: 'text' | 'json'
  readonly services?: string
  readonly makeServices?: MakeServices | undefined
  readonly header: readonly string[]
  readonly body?: string
  readonly with: readonly string[]
  readonly who?: string
  readonly now?: Date
  readonly trace?: boolean
  readonly write?: string
}

/** @returns The exit code: 0 if it is accepted. */
export async function runTry(app: Intake, method: string, target: string, options: TryOptions): Promise<number> {
  if (!target.startsWith('/'))
    throw new Failure(`${target}: this is no target; it begins with a slash, such as /sessions?limit=5`)
  const now = options.now ?? new Date()
  const headers = options.header.map(headerOf)
  const composed = await composedOf(app, method.toUpperCase(), target, headers, now, options)
  const message = await signMessage(composed.message, options.makeServices?.sign, now)
  const services = await options.makeServices?.()
  const isAsked = services !== undefined && headers.some(([name]) => name === 'authorization' || name === 'cookie')
  const who = whoOf(app, composed, isAsked, now, options)
  const about = { now, trace: true, ...(services === undefined ? {} : { services }), ...who }
  const verdict = (await judge(app, message, about)) as AnyVerdict
  if (options.write !== undefined)
    writeSample(
      options.write,
      message,
      verdict,
      now,
      'who' in who ? (composed.who?.json ?? JSON.parse(options.who ?? '{}')) : undefined,
    )
  const answered = verdict.outcome === 'rejected' ? await answerOf(verdict, message) : undefined
  if (options.format === 'json')
    await print(
      `${JSON.stringify({ message: maskedMessage(app, verdict.endpoint, message), verdict: jsonOf(verdict), answer: answered ?? null }, null, 2)}\n`,
    )
  else await print(`${textOf(app, message, verdict, answered, options)}\n`)
  return verdict.outcome === 'rejected' ? 1 : 0
}

async function composedOf(
  app: Intake,
  method: string,
  target: string,
  headers: readonly (readonly [string, string])[],
  now: Date,
  options: TryOptions,
) {
  const body = await bodyOf(options.body)
  const values = options.with.map((one) => {
    const [, address, value] = /^([^=]+)=([\s\S]*)$/.exec(one) ?? []
    if (address === undefined || value === undefined)
      throw new Failure(`"${one}" sets nothing; write --with body.seats=5 or --with 'body.window={"opens":…}'`)
    return [address.trim(), value] as const
  })
  try {
    return requestFor(app, { method, target, headers, body, texts: values }, { now })
  } catch (error) {
    if (error instanceof RangeError) throw new Failure(error.message)
    throw error
  }
}

/** JSON where it is some; else a text. */
function readValue(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return text
  }
}

async function bodyOf(given: string | undefined): Promise<string | undefined> {
  if (given === undefined || !(given === '-' || given.startsWith('@'))) return given
  if (given === '-') return (await text(process.stdin)).replace(/\r?\n$/, '')
  const file = given.slice(1)
  if (!existsSync(file)) throw new Failure(`${file}: there is no such file; write --body @FILE, or the body itself`)
  return readFileSync(file, 'utf8')
}

function whoOf(
  app: Intake,
  { who, endpoint }: ReturnType<typeof requestFor>,
  isAsked: boolean,
  now: Date,
  { who: said }: TryOptions,
): { readonly who?: unknown } {
  if (said === undefined) return isAsked || !who ? {} : { who: who.read }
  const json = readValue(said)
  const read = readWho(app, endpoint, json, { now })
  if ('error' in read) throw new Failure(`${read.error?.address.replace(/^body/, '--who')} ${read.error?.message}`)
  return { who: read.who }
}

async function answerOf(verdict: AnyVerdict & { readonly outcome: 'rejected' }, { headers }: Message) {
  const response = answer(verdict, { headers: Object.fromEntries(headers) })
  return { status: response.status, headers: Object.fromEntries(response.headers), body: await response.text() }
}

function writeSample(file: string, message: Message, verdict: AnyVerdict, now: Date, who: unknown): void {
  if (!isWritable(message))
    throw new Failure(`${file}: the request cannot be written down; it is no text, or too large`)
  const settings = [`now: ${now.toISOString()}`, ...(who === undefined ? [] : [`who: ${JSON.stringify(who)}`])]
  const block = blockOf(`${message.method} ${message.target.split('?')[0]}`, message, verdictOf(verdict), settings)
  if (existsSync(file)) appendFileSync(file, `\n${block}\n`)
  else writeFileSync(file, `# Tried\n\n${block}\n`)
}

function textOf(
  app: Intake,
  message: Message<string | Uint8Array | null>,
  verdict: AnyVerdict,
  answered: Awaited<ReturnType<typeof answerOf>> | undefined,
  { trace, write }: TryOptions,
): string {
  const shownMessage = { ...message, body: laidOut(message.body) }
  const target = maskedTarget(app, verdict.endpoint, message.target)
  const shown = (address: string) => isShown(app, verdict.endpoint, address)
  const nearest =
    verdict.outcome === 'rejected' && verdict.stage === 'match'
      ? nearestEndpoint(app, message.method, message.target)
      : undefined
  const errors = verdict.outcome === 'rejected' ? verdict.errors : []
  const stages = verdict.trace?.steps.filter(({ stage }) => trace || stage !== 'rules') ?? []
  return [
    `${pc.bold(visible(`${message.method} ${target}`))}`,
    ...message.headers.map((field) => pc.gray(visible(`${field[0]}: ${maskedHeader(app, verdict.endpoint, field)}`))),
    ...bodyLines(app, verdict.endpoint, message.body),
    '',
    ...(trace ? traceLines(verdict) : stages.map((step) => `${' '.repeat(12)}${stepText(step)}`)),
    ...(stages.length > 0 ? [''] : []),
    `${statusText(verdict)}    ${verdict.endpoint ?? ''}`,
    ...errors.flatMap((error) => errorLines(error, undefined, markOf(error, shownMessage, target, shown))),
    ...(verdict.outcome === 'pending'
      ? [`${' '.repeat(12)}not asked: ${verdict.unasked.join(', ')} (--services MODULE asks them)`]
      : []),
    ...(nearest ? [`${' '.repeat(12)}the nearest endpoint is ${pc.cyan(nearest)}`] : []),
    '',
    ...(answered ? answerLines(answered) : inputLines(app, verdict)),
    ...(write === undefined ? [] : ['', `written to ${write}`]),
  ].join('\n')
}

/** A body of JSON without its secrets; of another only its size. */
function bodyLines(app: Intake, endpoint: string | undefined, body: string | Uint8Array | null): string[] {
  if (body === null || body === '') return []
  let value: unknown
  try {
    value = JSON.parse(String(body))
  } catch {
    const parts = [...String(body).matchAll(/^Content-Disposition:.*? name="([^"]*)"/gm)].map(([, name]) => name)
    return ['', pc.gray(`(${body.length} bytes${parts.length > 0 ? `: ${parts.join(', ')}` : ''})`)]
  }
  const told = endpoint === undefined ? value : withoutSecrets(app, endpoint, value, ['body'])
  const text = JSON.stringify(told, null, 2)
  const lines = text.split('\n').map((line) => shorten(visible(line), width))
  return ['', ...(lines.length > 40 ? [...lines.slice(0, 40), pc.gray(`… ${lines.length - 40} lines more`)] : lines)]
}

function answerLines({
  status,
  headers,
  body,
}: {
  status: number
  headers: { [name: string]: string }
  body: string
}): string[] {
  const text = /json/.test(headers['content-type'] ?? '') ? laidOut(body) : body
  return [
    pc.bold(`HTTP/1.1 ${status}`),
    ...Object.entries(headers).map(([name, value]) => pc.gray(`${name}: ${value}`)),
    '',
    ...text.split('\n').map((line) => visible(line)),
  ]
}

/** What a handler gets. */
function inputLines(app: Intake, verdict: AnyVerdict): string[] {
  if (verdict.outcome === 'rejected') return []
  const rows = Object.entries(verdict.input as { [part: string]: unknown }).flatMap(([part, value]) =>
    typeof value === 'object' && value !== null && !Array.isArray(value)
      ? Object.entries(value).map(([name, one]) => ({ path: [part, name], value: one as unknown }))
      : value === undefined
        ? []
        : [{ path: [part], value }],
  )
  return [
    pc.bold('the handler gets'),
    ...rows.map(({ path, value }) => {
      const told = shownValue(withoutSecrets(app, verdict.endpoint, value, path))
      return shorten(`${pc.cyan(visible(formatAddress(path)))} = ${visible(told)}`, width)
    }),
  ]
}

const jsonOf = (verdict: AnyVerdict) =>
  verdict.outcome === 'rejected'
    ? { ...verdict, errorsByField: undefined }
    : { outcome: verdict.outcome, endpoint: verdict.endpoint, trace: verdict.trace }
