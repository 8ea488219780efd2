/** The command `compare`: two intakes, or one at two revisions of its repository. */
import { execFileSync } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { join, relative, resolve } from 'node:path'
import { type Change, changes, compareIntakes, type Difference } from './compare.js'
import { Failure } from './failure.js'
import { loadIntake } from './load.js'
import { markdownOf } from './print-comparison.js'
import { marked, pc, plural, print, shorten, visible, width, wrap } from './terminal.js'

const printers = {
  text: textOf,
  json: (differences: readonly Difference[]) => JSON.stringify({ differences: differences.map(jsonOf) }, null, 2),
  markdown: markdownOf,
} as const
export type CompareFormat = keyof typeof printers

/** @returns The exit code: 1 if something breaks. */
export async function runCompare(before: string, after: string, format: CompareFormat): Promise<number> {
  const [old, now] = [fileOf(before), fileOf(after)]
  const differences = await compareIntakes(await loadIntake(old), await loadIntake(now))
  await print(`${printers[format](differences)}\n`)
  return differences.some(({ change }) => change === 'breaking') ? 1 : 0
}

/**
 * A file as it is, or as it was at a revision: that is checked out beside what it imports, until the command ends.
 *
 * @throws Failure if there is no such revision.
 */
function fileOf(named: string): string {
  if (!named.startsWith('git:')) return named
  const [, revision, path] = /^git:([^:-][^:]*):(.+)$/.exec(named) ?? []
  if (revision === undefined || path === undefined)
    throw new Failure(`${named}: this is no revision of a file; write git:HEAD~1:path/intake.ts`)
  const root = git(['rev-parse', '--show-toplevel'], named, '.').trim()
  const folder = mkdtempSync(join(root, '.yosei-compare-'))
  process.once('exit', () => {
    rmSync(folder, { recursive: true, force: true })
    git(['worktree', 'prune'], named, root)
  })
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => process.exit(130))
  git(['worktree', 'add', '--detach', '--force', folder, revision], named, root)
  return relative('.', join(folder, relative(root, resolve(path))))
}

function git(args: readonly string[], named: string, cwd: string): string {
  try {
    return execFileSync('git', args, { cwd, encoding: 'utf8', stdio: ['ignore', 'pipe', 'pipe'] })
  } catch (error) {
    const told = String((error as { stderr?: string }).stderr ?? (error as Error).message)
    throw new Failure(
      `${named}: git says: ${told.split('\n').findLast((line) => line.trim() !== '') ?? 'it is not there'}`,
    )
  }
}

const colours: { readonly [C in Change]: (text: string) => string } = {
  breaking: pc.red,
  widening: pc.green,
  reading: pc.yellow,
}

function textOf(differences: readonly Difference[]): string {
  if (differences.length === 0) return 'no request was found that a client would see a difference by'
  const lines = differences.flatMap((one, index) => {
    const previous = differences[index - 1]
    const isNew = previous?.endpoint !== one.endpoint
    return [
      ...(isNew ? [...(index > 0 ? [''] : []), pc.bold(one.endpoint)] : []),
      ...(isNew || previous?.change !== one.change ? ['', `  ${colours[one.change](changes[one.change])}`] : []),
      ...differenceLines(one),
    ]
  })
  const counts = (Object.keys(changes) as Change[]).map(
    (change) => `${differences.filter((one) => one.change === change).length} ${changes[change]}`,
  )
  const breaking = differences.filter(({ change }) => change === 'breaking').length
  return [
    ...lines,
    '',
    `${plural(differences.length, 'difference')}: ${counts.join('; ')}`,
    breaking > 0 ? pc.red('a client that works today would break') : 'no client that works today would break',
  ].join('\n')
}

function differenceLines({ address, told, declared, evidence }: Difference): string[] {
  const { message, target, mark, before, after } = evidence
  return [
    ...wrap(visible(`${address === '' ? 'the request' : address} ${told}`), 6).map(
      (line, index) =>
        `${' '.repeat(index === 0 ? 4 : 6)}${index === 0 ? line.replace(visible(address), pc.cyan(visible(address))) : line}`,
    ),
    ...declared.map((line) => pc.gray(`      ${shorten(visible(line), width - 6)}`)),
    pc.gray(`      ${shorten(visible(`${message.method} ${target}`), width - 30)}  ${before} → ${after}`),
    ...(mark ? marked(mark, 8) : []),
  ]
}

const jsonOf = ({ evidence, change, ...rest }: Difference) => ({
  ...rest,
  change,
  isBreaking: change === 'breaking',
  evidence: {
    ...evidence.shown,
    who: evidence.who ?? null,
    now: evidence.now,
    before: evidence.before,
    after: evidence.after,
  },
})
