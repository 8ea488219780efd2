/** The command `advise`. */
import { readFileSync } from 'node:fs'
import type { Intake } from 'yosei'
import type { Demanded } from 'yosei/probe'
import { type Advice, adviceFor, advices } from './advise.js'
import { checkSamples } from './check.js'
import { Coverage } from './coverage.js'
import type { Failure } from './failure.js'
import type { MakeServices } from './load.js'
import { isMistake, type Place, placeIn } from './place.js'
import { findSamples } from './samples.js'
import { sarifOf } from './sarif.js'
import { marked, pc, plural, print, visible, wrap } from './terminal.js'

export interface AdviseOptions {
  readonly format: 'text' | 'json' | 'sarif'
  readonly samples: readonly string[]
  readonly makeServices?: MakeServices | undefined
}

/** @returns The exit code: 1 if there is advice. */
export async function runAdvise(
  app: Intake,
  file: string,
  { format, samples, makeServices }: AdviseOptions,
): Promise<number> {
  const advice = adviceFor(app, samples.length === 0 ? [] : await untrippedBy(app, samples, makeServices))
  const source = readFileSync(file, 'utf8').split('\n')
  const signatureOf = ({ method = '', template = '' } = {}) => `${method} ${template}`
  const placed = advice
    .map((one) => ({ ...one, ...placeIn(source, signatureOf(app.endpoints[one.endpoint]), one.address) }))
    .filter(isFirst)
  await print(`${printers[format](placed, source, file)}\n`)
  return advice.length > 0 ? 1 : 0
}

type PlacedAdvice = Advice & Place
const printers: {
  readonly [F in AdviseOptions['format']]: (
    advice: readonly PlacedAdvice[],
    source: readonly string[],
    file: string,
  ) => string
} = {
  text: textOf,
  json: (advice, _, file) => JSON.stringify({ advice: advice.map((one) => ({ ...one, file })) }, null, 2),
  sarif: (advice, _, file) =>
    sarifOf(
      advice.map((one) => ({
        rule: one.name,
        level: 'warning',
        text: `${one.address === '' ? 'A status' : one.address} ${one.why}. ${one.mend}.`,
        file,
        place: one,
        about: `${one.endpoint} ${one.address}`.trim(),
      })),
      found,
    ),
}

/** What may be found: advice, and a mistake because of which there is no intake. */
const found = { ...advices, mistake: ['makes no sense', 'Correct it: no request is judged before'] } as const

/** Why there is no intake, as a finding. */
export function sarifOfMistake({ message, cause, place }: Failure, file: string): string {
  const about = isMistake(cause) ? [cause.where, cause.address ?? ''].join(' ').trim() : 'the module'
  const text = isMistake(cause) ? cause.message : message
  return sarifOf([{ rule: 'mistake', level: 'error', text, file: place?.file ?? file, place, about }], found)
}

async function untrippedBy(
  app: Intake,
  patterns: readonly string[],
  makeServices: MakeServices | undefined,
): Promise<readonly Demanded[]> {
  const coverage = new Coverage(app)
  for await (const { verdict } of checkSamples(app, findSamples(patterns), { makeServices })) coverage.add(verdict)
  return coverage.untripped()
}

/** What endpoints share is said once. */
const isFirst = (one: PlacedAdvice, index: number, all: readonly PlacedAdvice[]): boolean =>
  one.line === 0 ||
  all.findIndex(({ name, line, column }) => name === one.name && line === one.line && column === one.column) === index

function textOf(advice: readonly PlacedAdvice[], source: readonly string[], file: string): string {
  if (advice.length === 0) return 'no advice: a careful colleague would have nothing to say'
  const lines = advice.flatMap(({ endpoint, address, name, why, mend, line, column }, index) => {
    const isNew = advice[index - 1]?.endpoint !== endpoint
    const text = source[line - 1] ?? ''
    const length = /^['"]?[\w-]+['"]?/.exec(text.slice(column - 1))?.[0].length ?? 1
    return [
      ...(isNew ? [...(index > 0 ? [''] : []), pc.bold(endpoint)] : []),
      ...wrap(visible(`${address === '' ? 'a status' : address} ${why}`), 4).map(
        (one, at) => `${' '.repeat(at === 0 ? 2 : 4)}${at === 0 ? one.replace(address, pc.cyan(address)) : one}`,
      ),
      ...wrap(mend, 4).map((one) => `    ${one}`),
      pc.gray(
        `    ${file}${line > 0 ? `:${line}:${column}` : ''}  (because: { ${name}: 'the reason' } keeps it quiet)`,
      ),
      ...(line > 0 ? marked({ text, at: column - 1, length }, 6) : []),
    ]
  })
  return [
    ...lines,
    '',
    `${advice.length} ${advice.length === 1 ? 'piece' : 'pieces'} of advice for ${plural(new Set(advice.map(({ endpoint }) => endpoint)).size, 'endpoint')}`,
  ].join('\n')
}
