/** The command line. Exit codes: 0 all as expected, 1 something is not, 2 the command could not run. */
import { readFileSync } from 'node:fs'
import { Command, CommanderError, InvalidArgumentError, Option } from 'commander'
import { Failure } from './failure.js'
import type { ProbeOptions } from './probe.js'
import type { AdoptOptions } from './run-adopt.js'
import type { AdviseOptions } from './run-advise.js'
import type { RunOptions } from './run-check.js'
import type { CompareFormat } from './run-compare.js'
import type { ExportOptions } from './run-export.js'
import type { FrontCommand } from './run-front.js'
import type { PrepareOptions } from './run-prepare.js'
import type { SendOptions } from './send.js'
import { named, settled } from './settings.js'
import { type Grouping, groupings, tally } from './tally.js'
import { print, visible } from './terminal.js'
import type { TryOptions } from './try.js'

const program = new Command('yosei')
  .description('Validates HTTP requests by their declaration.')
  .version(JSON.parse(readFileSync(new URL('../package.json', import.meta.url), 'utf8')).version)
  .exitOverride()
  .showHelpAfterError('(see yosei --help)')

const intakeArgument = 'the intake: a module (TypeScript or JavaScript), or an OpenAPI description (.yaml or .json)'
const servicesOption = 'the module whose default export makes stand-in services, anew for each sample'
const formatOption = (...formats: string[]) =>
  new Option('--format <format>', 'what to print').choices(['text', 'json', ...formats]).default('text')

program
  .command('check')
  .description('Judges the samples of Markdown books, and compares each verdict with its book.')
  .argument('[intake]', intakeArgument)
  .argument(
    '[samples...]',
    'sample books: files, folders or globs; requests or journals (.ndjson), recordings (.har); - is a message',
  )
  .addOption(formatOption('junit'))
  .option('--services <module>', servicesOption)
  .option('--only <words...>', 'judge only samples with this endpoint, status or word in the title')
  .option('--quiet', 'print only samples that are not as expected')
  .option('--trace', 'print how each value was read, and how each stage and rule went')
  .addOption(new Option('--write [which]', 'write missing verdicts into the books').choices(['all']))
  .option('--watch', 'judge again when a file changes, and print the changes')
  .option('--coverage', 'print the limits and rules that no sample breaks')
  .option('--least <percent>', 'fail if the coverage is less', percentOf)
  .addHelpText('after', '\nExample: yosei check intake.ts samples --services services.ts --only 422')
  .action(async (file: string | undefined, patterns: string[], options: RunOptions) => {
    const { runCheck } = await import('./run-check.js')
    const { intake, samples, services } = settled({ intake: file, samples: patterns, services: options.services })
    process.exitCode = await runCheck(intake, samples, { ...options, ...(services ? { services } : {}) })
  })

program
  .command('show')
  .description('Shows all endpoints, or one as a sheet, as JSON, or its generated code.')
  .argument('[intake]', intakeArgument)
  .argument('[endpoint]', 'the name of the endpoint in the intake')
  .addOption(formatOption())
  .option('--code', 'print the generated code')
  .addHelpText('after', '\nExample: yosei show intake.ts bookSession')
  .action(async (file: string | undefined, name: string | undefined, options: { format: string; code?: boolean }) => {
    const [{ loadIntake }, { show }] = await Promise.all([import('./load.js'), import('./show.js')])
    const { intake, endpoint } = named(file, name)
    await print(`${show(await loadIntake(intake), endpoint, options)}\n`)
  })

program
  .command('tally')
  .description('Counts the most frequent errors of callers, from journals.')
  .argument('<journals...>', 'journals: files or globs, gzipped too; or - for standard input')
  .addOption(new Option('--by <what>', 'what to count by').choices(groupings).default('error'))
  .option('--since <time>', 'leave out events before: 2031-03-01 or 2031-03-01T12:00:00Z', timeOf)
  .option('--until <time>', 'leave out events then or later', timeOf)
  .option('--top <count>', 'print so many rows', countOf, 20)
  .addOption(formatOption())
  .addHelpText('after', '\nExample: yosei tally logs/*.ndjson.gz --by field --since 2031-03-01')
  .action(
    async (
      files: string[],
      { by, since, until, top, format }: { by: Grouping; since?: Date; until?: Date; top: number; format: string },
    ) => {
      const counted = await tally(files, { by, since, until })
      if (format === 'json') {
        const rows = counted.rows.slice(0, top)
        await print(`${JSON.stringify({ ...counted, rows }, null, 2)}\n`)
        return
      }
      const { printTally } = await import('./print-tally.js')
      await print(`${printTally(counted, top)}\n`)
    },
  )

program
  .command('try')
  .description('Judges one request: the smallest valid one, with your changes.')
  .usage('[intake] <method> <target> [options]')
  .argument('<intake>', intakeArgument)
  .argument('<method>', 'such as POST')
  .argument('[target]', 'path and query, such as /sessions?limit=5')
  .option('--header <field>', 'a header field, Name: value (repeatable)', gathered, [])
  .option('--body <body>', 'the body as it is, @FILE, or - for standard input')
  .option('--with <setting>', 'a value at its address, as in body.seats=5 (repeatable)', gathered, [])
  .option('--who <json>', 'the caller, as the endpoint declares it')
  .option('--now <time>', 'the clock of the judgement', timeOf)
  .option('--services <module>', servicesOption)
  .option('--trace', 'print how each value was read, and each rule')
  .option('--write <book>', 'append it to a sample book, with its verdict')
  .addOption(formatOption())
  .addHelpText('after', "\nExample: yosei try intake.ts GET '/sessions?limit=5' --with query.state=booked")
  .action(async (...given: [string, string, string | undefined, TryOptions]) => {
    const [{ loadIntake, servicesOf }, { runTry }] = await Promise.all([import('./load.js'), import('./try.js')])
    const [first, second, third, options] = given
    // With two, the intake is the one that the package names.
    const [file, method, target] = third === undefined ? [undefined, first, second] : [first, second, third]
    const { intake, services } = settled({ intake: file, services: options.services })
    process.exitCode = await runTry(await loadIntake(intake), method, target, {
      ...options,
      makeServices: await servicesOf(intake, services),
    })
  })

program
  .command('send')
  .description('Sends samples to a running server, and compares its answers with the books.')
  .argument('<base>', 'the address of the server, such as http://127.0.0.1:8080')
  .argument(
    '<samples...>',
    'sample books: files, folders or globs; requests (.ndjson), recordings (.har); - is a message',
  )
  .option('--abreast <count>', 'send each so many times at the same moment', countOf, 1)
  .option('--repeat <count>', 'send each so many times, one after the other', countOf, 1)
  .option('--header <field>', 'a header field for all that lack it, Name: value (repeatable)', gathered, [])
  .option('--intake <module>', 'the intake that it serves: its envelope says how errors are read')
  .option('--services <module>', 'the module whose export sign signs what is sent')
  .option('--timeout <ms>', 'wait so long for an answer', countOf, 10_000)
  .addOption(formatOption())
  .addHelpText('after', '\nExample: yosei send http://127.0.0.1:8080 samples/book.md --abreast 8')
  .action(async (base: string, patterns: string[], options: SendOptions) => {
    const { runSend } = await import('./send.js')
    process.exitCode = await runSend(base, patterns, options)
  })

program
  .command('probe')
  .description('Makes requests from the declaration: valid ones, and one that breaks each limit. Judges them.')
  .argument('[intake]', intakeArgument)
  .argument('[endpoint]', 'probe only this endpoint')
  .option('--samples <samples...>', 'accepted samples to take values from, if a function decides what is valid', [])
  .option('--services <module>', servicesOption)
  .option('--seed <number>', 'make other requests', countOf, 1)
  .option('--write <book>', 'save them as a sample book, with their verdicts')
  .option('--at <base>', 'send them to a running server')
  .option('--header <field>', 'a header field for all that lack it, with --at (repeatable)', gathered, [])
  .option('--timeout <ms>', 'wait so long for an answer', countOf, 10_000)
  .addOption(formatOption())
  .addHelpText('after', '\nExample: yosei probe intake.ts bookSession --write samples/probes.md')
  .action(async (file: string | undefined, name: string | undefined, options: ProbeOptions & { services?: string }) => {
    const [{ loadIntake, servicesOf }, { runProbe }] = await Promise.all([import('./load.js'), import('./probe.js')])
    const { intake, endpoint, services } = named(file, name, options.services)
    const makeServices = await servicesOf(intake, services)
    process.exitCode = await runProbe(await loadIntake(intake), endpoint, { ...options, makeServices })
  })

program
  .command('compare')
  .description('Shows by requests what a change breaks. Fails if a client would break.')
  .argument('<old>', 'an intake, or one at a revision: git:HEAD~1:path/intake.ts')
  .argument('<new>', 'the new version')
  .addOption(formatOption('markdown'))
  .addHelpText('after', '\nExample: yosei compare git:HEAD~1:intake.ts intake.ts')
  .action(async (before: string, after: string, { format }: { format: CompareFormat }) => {
    const { runCompare } = await import('./run-compare.js')
    process.exitCode = await runCompare(before, after, format)
  })

program
  .command('export')
  .description('Writes a description for others: OpenAPI, or JSON Schemas of the bodies.')
  .argument('[intake]', intakeArgument)
  .addOption(
    new Option('--to <what>', 'what to write').choices(['openapi', 'openapi-3.0', 'json-schema']).default('openapi'),
  )
  .option('--yaml', 'write YAML in place of JSON; a file that ends in .yaml has it anyway')
  .option('-o, --out <file>', 'write into this file')
  .option('--check <file>', 'fail if this file is not what would be written, and print the difference')
  .addHelpText('after', '\nExample: yosei export intake.ts -o openapi.yaml')
  .action(async (file: string | undefined, options: ExportOptions) => {
    const [{ loadIntake }, { runExport }] = await Promise.all([import('./load.js'), import('./run-export.js')])
    process.exitCode = await runExport(await loadIntake(settled({ intake: file }).intake), options)
  })

program
  .command('prepare')
  .description('Writes the generated code as a module, for workers and policies that make no code from text.')
  .argument('[intake]', intakeArgument)
  .requiredOption('-o, --out <file>', 'write into this file, a module of TypeScript or JavaScript')
  .option('--watch', 'write it again when a file beside the intake changes')
  .addHelpText('after', '\nExample: yosei prepare intake.ts -o intake.prepared.ts')
  .action(async (file: string | undefined, options: PrepareOptions) => {
    const { runPrepare } = await import('./run-prepare.js')
    process.exitCode = await runPrepare(settled({ intake: file }).intake, options)
  })

program
  .command('advise')
  .description('Reviews the declaration. You can answer each piece of advice with a reason.')
  .argument('[intake]', intakeArgument)
  .option('--samples <samples...>', 'sample books, to find rules that no sample breaks', [])
  .option('--services <module>', servicesOption)
  .addOption(formatOption('sarif'))
  .addHelpText('after', '\nExample: yosei advise intake.ts --samples samples')
  .action(async (file: string | undefined, options: AdviseOptions & { readonly services?: string }) => {
    const [{ loadIntake, servicesOf }, { runAdvise, sarifOfMistake }] = await Promise.all([
      import('./load.js'),
      import('./run-advise.js'),
    ])
    const { intake, services } = settled({ intake: file, services: options.services })
    const makeServices = await servicesOf(intake, services)
    const app = await loadIntake(intake).catch(async (error: unknown) => {
      if (options.format === 'sarif' && error instanceof Failure) await print(`${sarifOfMistake(error, intake)}\n`)
      throw error
    })
    process.exitCode = await runAdvise(app, intake, { ...options, makeServices })
  })

program
  .command('adopt')
  .description('Writes an intake module of an OpenAPI description: yours from then on.')
  .argument('<description>', 'the OpenAPI description: .yaml or .json')
  .option('-o, --out <path>', 'the module to write, or the folder with --by-tag; by default, it is printed')
  .option('--by-tag', 'write a module for each tag')
  .addHelpText('after', '\nExample: yosei adopt api.yaml -o intake.ts')
  .action(async (file: string, options: AdoptOptions) => {
    const { runAdopt } = await import('./run-adopt.js')
    await runAdopt(file, options)
  })

program
  .command('desk')
  .description('Opens a page on 127.0.0.1 to compose samples and to see their verdicts.')
  .argument('[intake]', intakeArgument)
  .argument('[samples...]', 'sample books that it can write to: files, folders or globs')
  .option('--services <module>', servicesOption)
  .option('--port <port>', 'the port, in place of a free one', portOf)
  .option('-o, --out <folder>', 'build it as files that judge in the browser, without a server')
  .addHelpText('after', '\nExample: yosei desk intake.ts samples --services services.ts')
  .action(
    async (
      file: string | undefined,
      patterns: string[],
      options: { services?: string; port?: number; out?: string },
    ) => {
      const { runDesk } = await import('./run-desk.js')
      const { intake, samples, services } = settled(
        { intake: file, samples: patterns, services: options.services },
        false,
      )
      await runDesk({ ...options, intake, samples, services })
    },
  )

program
  .command('front')
  .description('Judges requests before a server that you cannot change, and sends on what is accepted.')
  .argument('[intake]', intakeArgument)
  .requiredOption('--to <origin>', 'the server, such as http://127.0.0.1:8080')
  .option('--port <port>', 'the port to listen on', portOf, 4220)
  .option('--host <address>', 'the address to listen on', '127.0.0.1')
  .option(
    '--observe [parts]',
    'send on what would be rejected too, and log it; or what is wrong in these parts',
    partsOf,
  )
  .addOption(
    new Option('--unmatched <what>', 'what becomes of requests that no endpoint matches')
      .choices(['answer', 'next'])
      .default('answer'),
  )
  .option('--journal <file>', 'write rejections and failures into this file (.ndjson)')
  .option('--services <module>', 'the module whose default export makes what lookups and identify ask')
  .option('--health-port <port>', 'answer /health and /ready on this port', portOf)
  .option('--backend-host', "send the server's own host in place of the one that the client named")
  .option('--x-forwarded', 'also send X-Forwarded-For, -Host and -Proto')
  .addHelpText(
    'after',
    '\nExample: yosei front openapi.yaml --to http://127.0.0.1:8080 --observe --journal front.ndjson',
  )
  .action(async (file: string | undefined, options: FrontCommand) => {
    const { runFront } = await import('./run-front.js')
    const { intake, services } = settled({ intake: file, services: options.services })
    await runFront(intake, { ...options, services })
  })

program
  .command('explain')
  .description('Explains a code: when it comes, its words, its status, and an example. Lists all codes without one.')
  .argument('[code]', 'such as above_max')
  .addOption(formatOption())
  .addHelpText('after', '\nExample: yosei explain above_max')
  .action(async (code: string | undefined, options: { format: string }) => {
    const { explain } = await import('./explain.js')
    await print(`${explain(code, options)}\n`)
  })

program
  .command('completion')
  .description('Prints the completion of commands and options for a shell.')
  .argument('<shell>', 'bash, zsh or fish')
  .addHelpText('after', '\nExample: source <(yosei completion bash)')
  .action(async (shell: string) => {
    const { completionFor } = await import('./completion.js')
    await print(completionFor(shell, program))
  })

/** An option that may be given again. */
function gathered(text: string, all: readonly string[]): string[] {
  return [...all, text]
}
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
function portOf(text: string): number {
  const port = /^\d{1,5}$/.test(text) ? Number(text) : Number.NaN
  if (!(port < 65_536)) throw new InvalidArgumentError('Write a port from 0 to 65535.')
  return port
}
function partsOf(text: string): Part[] {
  const parts = text.split(',').map((one) => one.trim())
  if (!parts.every(isPart)) throw new InvalidArgumentError(`Name some of ${partNames.join(', ')}, with commas between.`)
  return parts
}
const partNames = ['path', 'query', 'header', 'cookie', 'body'] as const
type Part = (typeof partNames)[number]
const isPart = (text: string): text is Part => (partNames as readonly string[]).includes(text)
function percentOf(text: string): number {
  if (!/^(?:\d|[1-9]\d|100)$/.test(text)) throw new InvalidArgumentError('Write a whole number from 0 to 100.')
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
