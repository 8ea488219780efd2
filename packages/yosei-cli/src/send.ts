/** The command `send`: samples at a running server, its answers compared with the books. */
import { setTimeout as sleep } from 'node:timers/promises'
import type { Message, Sign } from 'yosei'
import { signMessage } from 'yosei/client'
import type { Sample } from './book/index.js'
import { type Arrived, headerOf, lacking, Server } from './http.js'
import { loadIntake, loadServices } from './load.js'
import { type Found, findSamples } from './samples.js'
import { packageIntake } from './settings.js'
import { pc, plural, print, shorten, visible, width } from './terminal.js'

export interface SendOptions {
  readonly format: 'text' | 'json'
  readonly header: readonly string[]
  readonly abreast: number
  readonly repeat: number
  readonly timeout: number
  readonly intake?: string
  readonly services?: string
}

/** What came back, or why nothing did. */
type Answer = Arrived | string
interface SentSample extends Omit<Found, 'share'> {
  /** In the order in which they came. */
  readonly answers: readonly Answer[]
  readonly faults: readonly string[] | undefined
}

/** @returns The exit code. */
export async function runSend(base: string, patterns: readonly string[], options: SendOptions): Promise<number> {
  const { format, header, abreast, repeat, timeout, intake = packageIntake(), services } = options
  const app = intake === undefined ? undefined : await loadIntake(intake)
  const { sign } = services === undefined ? {} : await loadServices(services)
  const server = new Server(base, { headers: header.map(headerOf), timeout, app }, abreast)
  const all: SentSample[] = []
  try {
    for await (const { file, sample } of findSamples(patterns)) {
      const answers: Answer[] = []
      for (let turn = 0; turn < repeat; turn++)
        answers.push(...(await abreastOf(server, sample.message, sign, abreast)))
      const isOne = abreast === 1
      const faults =
        isOne && sample.expectation
          ? [
              ...new Set(
                answers.flatMap((answer) => lacking(sample.expectation as NonNullable<Sample['expectation']>, answer)),
              ),
            ]
          : undefined
      const sent = { file, sample, answers, faults }
      all.push(sent)
      if (format === 'text') await print(`${sentText(sent, all.at(-2)?.file, options)}\n`)
    }
  } finally {
    await server.close()
  }
  const bad = all.filter(({ faults, answers }) =>
    faults ? faults.length > 0 : answers.some((answer) => typeof answer === 'string'),
  )
  if (format === 'json') await print(`${JSON.stringify({ samples: all.map(sentJson) }, null, 2)}\n`)
  else {
    const held = all.filter(({ faults }) => faults)
    const told = `${bad.length} not as expected`
    await print(
      `\n${plural(all.length, 'sample')} sent to ${visible(base)}: ${held.length - held.filter(({ faults }) => faults?.length).length} as expected, ${bad.length > 0 ? pc.red(told) : told}\n`,
    )
  }
  return bad.length > 0 ? 1 : 0
}

/** The same message so many times at the same moment; the answers as they come. */
async function abreastOf(server: Server, message: Message, sign: Sign | undefined, count: number): Promise<Answer[]> {
  const came: Answer[] = []
  const messages = await Promise.all(Array.from({ length: count }, () => signMessage(message, sign)))
  // Everything is ready before the first goes out.
  await sleep(0)
  await Promise.all(
    messages.map(async (one) => {
      came.push(await server.send(one))
    }),
  )
  return came
}

/** How long an answer took has so many columns, however long that is: what stands before it is cut the same. */
const longestTook = 10

function sentText(
  { file, sample, answers, faults }: SentSample,
  last: string | undefined,
  { abreast, repeat }: SendOptions,
): string {
  const place = `${file}:${sample.places.requestLine.line}`
  const mark = faults === undefined ? pc.gray('·') : faults.length === 0 ? pc.green('=') : pc.red('≠')
  const [first] = answers
  const head = abreast * repeat === 1 && first ? statusOf(first) : pc.cyan(`× ${abreast * repeat}`.padEnd(8))
  const took = first && typeof first !== 'string' && abreast * repeat === 1 ? `  ${first.took.toFixed(0)} ms` : ''
  const request = `${sample.message.method} ${sample.message.target}`
  return [
    ...(file === last ? [] : [...(last === undefined ? [] : ['']), pc.bold(file)]),
    '',
    `${mark} ${head}  ${pc.bold(visible(sample.title))}`,
    `${' '.repeat(12)}${pc.gray(`${shorten(visible(request), Math.max(20, width - 14 - place.length - longestTook))}  ${place}${took}`)}`,
    ...(abreast * repeat === 1 && first ? errorLines(first) : tableOf(answers)),
    ...(faults ?? []).map((fault) => `${' '.repeat(12)}${pc.red(visible(fault))}`),
  ].join('\n')
}

const statusOf = (answer: Answer) => {
  if (typeof answer === 'string') return pc.red('none    ')
  const text = String(answer.status).padEnd(8)
  return answer.status < 400 ? pc.green(text) : answer.status < 500 ? pc.yellow(text) : pc.red(text)
}
const errorLines = (answer: Answer) =>
  typeof answer === 'string'
    ? [`${' '.repeat(12)}${pc.red(visible(answer))}`]
    : (answer.errors ?? []).map(({ address, code }) => `${' '.repeat(12)}${pc.cyan(visible(address))} ${visible(code)}`)

/** Each answer by its number and its time, and how many of which status. */
function tableOf(answers: readonly Answer[]): string[] {
  const counts = new Map<string, number>()
  for (const answer of answers) {
    const status = typeof answer === 'string' ? answer : String(answer.status)
    counts.set(status, (counts.get(status) ?? 0) + 1)
  }
  const rows = answers.slice(0, 50).map((answer, index) => {
    const number = String(index + 1).padStart(4)
    if (typeof answer === 'string') return `${' '.repeat(10)}${number}  ${pc.red(visible(answer))}`
    const errors = (answer.errors ?? []).map(({ address, code }) => `${address} ${code}`).join(', ')
    return `${' '.repeat(10)}${number}  ${answer.took.toFixed(1).padStart(8)} ms  ${statusOf(answer)}${pc.gray(shorten(visible(errors), width - 40))}`
  })
  const all = [...counts].sort(([a], [b]) => a.localeCompare(b)).map(([status, count]) => `${count} × ${status}`)
  return [
    ...rows,
    ...(answers.length > 50 ? [`${' '.repeat(12)}and ${answers.length - 50} more`] : []),
    `${' '.repeat(12)}${pc.bold(visible(all.join(', ')))}`,
  ]
}

const sentJson = ({ file, sample, answers, faults }: SentSample) => ({
  file,
  line: sample.places.requestLine.line,
  title: sample.title,
  method: sample.message.method,
  target: sample.message.target,
  answers: answers.map((answer) =>
    typeof answer === 'string'
      ? { status: null, trouble: answer }
      : { status: answer.status, milliseconds: Math.round(answer.took * 10) / 10, errors: answer.errors ?? null },
  ),
  asExpected: faults === undefined ? null : faults.length === 0,
  faults: faults ?? [],
})
