/** The command `advise`. */
import { readFileSync } from 'node:fs'
import type { Intake } from 'yosei'
import type { Demanded } from 'yosei/probe'
import { type Advice, adviceFor, nameIn } from './advise.js'
import { checkSamples } from './check.js'
import { Coverage } from './coverage.js'
import type { MakeServices } from './load.js'
import { findSamples } from './samples.js'
import { marked, pc, plural, print, visible, wrap } from './terminal.js'

export interface AdviseOptions {
  readonly format: string
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
  const placed = advice.map((one) => ({ ...one, ...placeIn(source, app, one) })).filter(isFirst)
  if (format === 'json')
    await print(`${JSON.stringify({ advice: placed.map((one) => ({ ...one, file })) }, null, 2)}\n`)
  else await print(`${textOf(placed, source, file)}\n`)
  return advice.length > 0 ? 1 : 0
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
const isFirst = (one: Advice & Place, index: number, all: readonly (Advice & Place)[]): boolean =>
  one.line === 0 ||
  all.findIndex(({ name, line, column }) => name === one.name && line === one.line && column === one.column) === index

interface Place {
  /** From 1; 0 where the declaration stands in another module. */
  readonly line: number
  readonly column: number
}

/**
 * Where a field is declared, as far as the text of the module says: by its name, behind its endpoint, or by the name
 * of what it was made with; else where the endpoint is.
 */
function placeIn(source: readonly string[], app: Intake, { endpoint, address }: Advice): Place {
  const { method = '', template = '' } = app.endpoints[endpoint] ?? {}
  const signature = `${method} ${template}`
  const start = source.findIndex((line) => /['"`]/.test(line) && line.includes(signature))
  const end = source.findIndex((line, index) => index > start && /endpoint\(\s*['"`]/.test(line))
  const name = nameIn(address).replace(/[^\w-]/g, '.')
  const isPart = /^\w+(?:\[\])?$/.test(address)
  const ways = isPart
    ? [new RegExp(`(?<=^\\s*)${name}\\s*:`)]
    : [new RegExp(`(?<=^|[\\s{,(])['"]?${name}['"]?\\s*:`), new RegExp(`(?<=\\b(?:const|let) )${name}\\b`)]
  const spans = [
    [Math.max(0, start), end < 0 ? source.length : end],
    [0, source.length],
  ] as const
  for (const way of name === '' ? [] : ways)
    for (const [from, to] of spans)
      for (let index = from; index < to; index++) {
        const column = source[index]?.replaceAll(signature, (one) => ' '.repeat(one.length)).search(way) ?? -1
        if (column >= 0) return { line: index + 1, column: column + 1 }
      }
  return start < 0 ? { line: 0, column: 0 } : { line: start + 1, column: (source[start]?.search(/\S/) ?? 0) + 1 }
}

function textOf(advice: readonly (Advice & Place)[], source: readonly string[], file: string): string {
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
