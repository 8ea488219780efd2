/** The command `check`: judges, prints as it goes, writes verdicts, and watches. */
import { readFileSync } from 'node:fs'
import { dirname } from 'node:path'
import type { Intake } from 'yosei'
import { putFile } from 'yosei-desk/put'
import { verdictOf, withVerdicts } from './book/index.js'
import { type Checked, type CheckOptions, type Counts, checkSamples, chooserOf, count, noCounts } from './check.js'
import type { Coverage } from './coverage.js'
import { Failure } from './failure.js'
import { loadIntake, servicesOf } from './load.js'
import { countsText, junitText, sampleJson, sampleJunit, sampleText } from './print.js'
import { findSamples, sampleFiles } from './samples.js'
import { Progress, pc, print } from './terminal.js'
import { againOnChange } from './watch.js'

export interface RunOptions {
  readonly format: 'text' | 'json' | 'junit'
  readonly services?: string
  readonly quiet?: boolean
  readonly trace?: boolean
  readonly only?: readonly string[]
  /** `true`: missing verdicts; `all`: those that differ too. */
  readonly write?: true | 'all'
  readonly watch?: boolean
  readonly coverage?: boolean
  readonly least?: number
}

/** @returns The exit code. */
export async function runCheck(file: string, patterns: readonly string[], options: RunOptions): Promise<number> {
  if (options.least !== undefined && !options.coverage)
    throw new Failure('--least is a share of the coverage; say --coverage as well')
  if (options.watch && options.format !== 'text') throw new Failure('--watch prints text; leave out --format')
  if (options.watch && patterns.includes('-'))
    throw new Failure('--watch judges again when files change; standard input is none')
  const outcomes: Outcomes = new Map()
  const code = await checkOnce(file, patterns, options, options.watch ? outcomes : undefined)
  if (!options.watch) return code
  // Verdicts that were just written are as expected now.
  return watchOn(file, patterns, options, options.write ? await outcomesOf(file, patterns, options) : outcomes)
}

async function checkOnce(
  file: string,
  patterns: readonly string[],
  options: RunOptions,
  outcomes: Outcomes | undefined,
): Promise<number> {
  const { format, services, quiet, trace, only, write, coverage: wantsCoverage, least } = options
  const app = await loadIntake(file)
  const checking: CheckOptions = {
    makeServices: await servicesOf(file, services),
    trace,
    only: only && chooserOf(only),
  }
  const counts = noCounts()
  const coverage = wantsCoverage ? new (await import('./coverage.js')).Coverage(app) : undefined
  const writing = write ? new Writing(write) : undefined
  const out = printers[format](quiet ?? false)
  const progress = new Progress(format === 'text' && (quiet ?? false))
  for await (const checked of checkSamples(app, findSamples(patterns), checking)) {
    count(counts, checked)
    coverage?.add(checked.verdict)
    writing?.add(checked)
    if (outcomes) keep(outcomes, checked)
    progress.tell(checked.share, counts.samples)
    await out.sample(checked)
  }
  progress.end()
  const written = writing?.end() ?? []
  await out.end(counts, written, coverage)
  const isCovered = !coverage || least === undefined || coverage.share() * 100 >= least
  const left = write === 'all' ? 0 : counts.notAsExpected
  return left > 0 || !isCovered ? 1 : 0
}

interface Printer {
  sample(checked: Checked): Promise<void>
  end(counts: Counts, written: readonly string[], coverage: Coverage | undefined): Promise<void>
}
const isAsExpected = ({ faults }: Checked) => faults !== undefined && faults.length === 0

const printers: { readonly [F in RunOptions['format']]: (quiet: boolean) => Printer } = {
  text: (quiet) => {
    let last: string | undefined
    return {
      async sample(checked) {
        if (quiet && (isAsExpected(checked) || checked.faults === undefined)) return
        const head = checked.file === last ? '' : `${last === undefined ? '' : '\n'}${pc.bold(checked.file)}\n`
        last = checked.file
        await print(`${head}${sampleText(checked)}\n`)
      },
      async end(counts, written, coverage) {
        if (coverage) {
          const { coverageText } = await import('./print-coverage.js')
          await print(`${last === undefined ? '' : '\n'}${coverageText(coverage)}\n`)
        }
        const lines = [countsText(counts), ...written]
        await print(`${last === undefined && !coverage ? '' : '\n'}${lines.join('\n')}\n`)
      },
    }
  },
  json: (quiet) => {
    let isFirst = true
    return {
      async sample(checked) {
        if (quiet && isAsExpected(checked)) return
        const text = JSON.stringify(sampleJson(checked), null, 2).replace(/^/gm, '    ')
        await print(`${isFirst ? '{\n  "samples": [' : ','}\n${text}`)
        isFirst = false
      },
      async end(counts, _, coverage) {
        const rest = { counts, ...(coverage ? { coverage: coverage.json() } : {}) }
        const text = JSON.stringify(rest, null, 2).slice(2)
        await print(`${isFirst ? '{\n  "samples": []' : '\n  ]'},\n${text}\n`)
      },
    }
  },
  junit: () => {
    const cases: string[] = []
    return {
      async sample(checked) {
        cases.push(sampleJunit(checked))
      },
      end: (counts) => print(`${junitText(cases, counts)}\n`),
    }
  },
}

/** Puts verdicts into books. */
class Writing {
  readonly #books = new Map<string, Checked[]>()
  constructor(readonly which: true | 'all') {}

  add(checked: Checked): void {
    const { sample, faults, file } = checked
    if (!sample.blocks) return
    const isDue = faults === undefined || (this.which === 'all' && faults.length > 0)
    if (isDue) this.#books.set(file, [...(this.#books.get(file) ?? []), checked])
  }

  /** @returns What was written, in lines. */
  end(): string[] {
    return [...this.#books].map(([file, checked]) => {
      const page = readFileSync(file, 'utf8')
      putFile(
        file,
        withVerdicts(
          page,
          checked.map(({ sample, verdict }) => ({ sample, verdict: verdictOf(verdict) })),
        ),
      )
      return `${file}: ${checked.length} ${checked.length === 1 ? 'verdict' : 'verdicts'} written`
    })
  }
}

/** Judges again whenever a file beside the intake or a sample changes, until it is stopped. */
async function watchOn(
  file: string,
  patterns: readonly string[],
  options: RunOptions,
  known: Outcomes,
): Promise<number> {
  let before = known
  const folders = new Set(
    [file, ...(options.services ? [options.services] : []), ...sampleFiles(patterns)].map((one) => dirname(one)),
  )
  await againOnChange(folders, async () => {
    const after = await outcomesOf(file, patterns, options)
    const changes = changesBetween(before, after)
    before = after
    return changes
  })
  return 0
}

/** By file and title: several may have the same. */
type Outcomes = Map<string, Checked[]>
function keep(outcomes: Outcomes, checked: Checked): void {
  const name = `${checked.file} ${checked.sample.title}`
  const namesakes = outcomes.get(name)
  if (namesakes) namesakes.push(checked)
  else outcomes.set(name, [checked])
}

async function outcomesOf(
  file: string,
  patterns: readonly string[],
  { services, only }: RunOptions,
): Promise<Outcomes> {
  const app: Intake = await loadIntake(file, { isFresh: true })
  const makeServices = await servicesOf(file, services, { isFresh: true })
  const found: Outcomes = new Map()
  for await (const checked of checkSamples(app, findSamples(patterns), { makeServices, only: only && chooserOf(only) }))
    keep(found, checked)
  return found
}

const told = ({ verdict, faults }: Checked) => JSON.stringify([verdictOf(verdict), faults?.length ?? null])

/** What came to be otherwise. */
function changesBetween(before: Outcomes, after: Outcomes): string {
  const counts = noCounts()
  for (const checked of [...after.values()].flat()) count(counts, checked)
  const lines = [...after].flatMap(([name, all]) =>
    all.flatMap((checked, index) => {
      const old = before.get(name)?.[index]
      return old && told(old) === told(checked) ? [] : [sampleText(checked)]
    }),
  )
  const gone = [...before].flatMap(([name, all]) =>
    all.slice(after.get(name)?.length ?? 0).map(() => pc.gray(`gone: ${name}`)),
  )
  const time = new Date().toLocaleTimeString('en-GB')
  const changed = lines.length + gone.length === 0 ? [pc.gray('no verdict changed')] : [...lines, ...gone]
  return [`${pc.gray(time)}`, ...changed, '', countsText(counts)].join('\n')
}
