/** The command line. Exit codes: 0 all as expected, 1 something is not, 2 the command could not run. */
import { readFileSync } from 'node:fs'
import { Command, CommanderError, Option } from 'commander'
import { checkSamples, count } from './check.js'
import { Failure } from './failure.js'
import { findSamples } from './find.js'
import { loadIntake, loadServices } from './load.js'
import { printJson, printText } from './print.js'
import { showEndpoint } from './show.js'

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
    process.stdout.write(`${showEndpoint(await loadIntake(file), name, code)}\n`)
  })

try {
  await program.parseAsync()
} catch (error) {
  if (error instanceof CommanderError) process.exitCode = error.exitCode === 0 ? 0 : 2
  else if (error instanceof Failure) {
    process.stderr.write(`yosei: ${error.message}\n`)
    process.exitCode = 2
  } else throw error
}
