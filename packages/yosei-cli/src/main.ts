/** The command line. Exit codes: 0 all as expected, 1 something is not, 2 the command could not run. */
import { readFileSync } from 'node:fs'
import { Command, CommanderError, InvalidArgumentError, Option } from 'commander'
import { Failure } from './failure.js'
import { type Grouping, groupings, tally } from './tally.js'
import { visible } from './terminal.js'

const program = new Command('yosei')
  .description('Judges HTTP requests by their declaration.')
  .version(JSON.parse(readFileSync(new URL('../package.json', import.meta.url), 'utf8')).version)
  .exitOverride()
  .showHelpAfterError('(yosei --help tells more)')

program
  .command('check')
  .description('Judges the sample requests of Markdown books, and says whether each verdict is as written.')
  .argument('<intake>', 'the module whose default export is the intake (TypeScript or JavaScript)')
  .argument(
    '<samples...>',
    'sample books: files, folders or globs; or journals (.ndjson), whose failed requests are judged again',
  )
  .addOption(new Option('--format <format>', 'what to print').choices(['text', 'json']).default('text'))
  .option('--services <module>', 'the module whose default export makes stand-in services, afresh for each sample')
  .action(
    async (file: string, patterns: string[], { format, services }: { format: 'text' | 'json'; services?: string }) => {
      // Each command loads what it needs, and no other.
      const [{ checkSamples, count }, { findSamples }, { loadIntake, loadServices }, { printJson, printText }] =
        await Promise.all([import('./check.js'), import('./find.js'), import('./load.js'), import('./print.js')])
      const samples = findSamples(patterns)
      const makeServices = services === undefined ? undefined : await loadServices(services)
      const checked = await checkSamples(await loadIntake(file), samples, makeServices)
      process.stdout.write(`${format === 'json' ? printJson(checked) : printText(checked)}\n`)
      process.exitCode = count(checked).notAsExpected > 0 ? 1 : 0
    },
  )

program
  .command('show')
  .description('Shows an endpoint: its outline as JSON, or the code that is made for it.')
  .argument('<intake>', 'the module whose default export is the intake (TypeScript or JavaScript)')
  .argument('<endpoint>', 'the name of the endpoint in the intake')
  .option('--code', 'print the generated code')
  .action(async (file: string, name: string, { code = false }: { code?: boolean }) => {
    const [{ loadIntake }, { showEndpoint }] = await Promise.all([import('./load.js'), import('./show.js')])
    process.stdout.write(`${showEndpoint(await loadIntake(file), name, code)}\n`)
  })

program
  .command('tally')
  .description('Counts what callers get wrong most, from journals.')
  .argument('<journals...>', 'journals: files or globs, gzipped too; or - for standard input')
  .addOption(new Option('--by <what>', 'what to count by').choices(groupings).default('error'))
  .option('--since <time>', 'leave out what was before: 2031-03-01 or 2031-03-01T12:00:00Z', timeOf)
  .option('--until <time>', 'leave out what was then or later', timeOf)
  .option('--top <count>', 'print so many rows', countOf, 20)
  .addOption(new Option('--format <format>', 'what to print').choices(['text', 'json']).default('text'))
  .addHelpText('after', '\nExample: yosei tally logs/*.ndjson.gz --by field --since 2031-03-01')
  .action(
    async (
      files: string[],
      { by, since, until, top, format }: { by: Grouping; since?: Date; until?: Date; top: number; format: string },
    ) => {
      const counted = await tally(files, { by, since, until })
      if (format === 'json') {
        const rows = counted.rows.slice(0, top)
        process.stdout.write(`${JSON.stringify({ ...counted, rows }, null, 2)}\n`)
        return
      }
      const { printTally } = await import('./print-tally.js')
      process.stdout.write(`${printTally(counted, top)}\n`)
    },
  )

/** @throws InvalidArgumentError which commander tells with the option. */
function timeOf(text: string): Date {
  const time = new Date(text)
  if (Number.isNaN(time.getTime())) throw new InvalidArgumentError('Write it as 2031-03-01 or 2031-03-01T12:00:00Z.')
  return time
}
function countOf(text: string): number {
  if (!/^[1-9]\d{0,5}$/.test(text)) throw new InvalidArgumentError('Write a whole number from 1 on.')
  return Number(text)
}

// Who reads what is printed may have seen enough.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code === 'EPIPE') process.exit()
  throw error
})

try {
  await program.parseAsync()
} catch (error) {
  if (error instanceof CommanderError) process.exitCode = error.exitCode === 0 ? 0 : 2
  else if (error instanceof Failure) {
    process.stderr.write(`yosei: ${visible(error.message)}\n`)
    process.exitCode = 2
  } else throw error
}
