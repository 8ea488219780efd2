/** Loads an intake module, in TypeScript or JavaScript. */
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync, writeSync } from 'node:fs'
import { createRequire } from 'node:module'
import { basename, dirname, join, relative, resolve } from 'node:path'
import { pathToFileURL } from 'node:url'
import { Worker } from 'node:worker_threads'
import type { JitiOptions } from 'jiti'
import type { Intake, Sign } from 'yosei'
import { Failure } from './failure.js'
import { type Found, placeOf } from './place.js'

/** Whether a file is a description of an API, by its name: it is read, and not run. */
const isDescription = (file: string): boolean => /\.(?:json|ya?ml)$/i.test(file)

interface LoadOptions {
  /** Whether it is read again, though it was loaded before. */
  readonly isFresh?: boolean
  /** Whether names that a description does not have in a query are errors, in place of being dropped. */
  readonly refusesUnlisted?: boolean
}

/**
 * The intake of a module, or of a description of an API.
 *
 * @throws Failure if there is no such file, it throws, or it is no intake.
 */
export async function loadIntake(file: string, options: LoadOptions = {}): Promise<Intake> {
  if (isDescription(file)) return (await import('./load-description.js')).loadDescription(file, options)
  const app = await loadDefault(file, 'your intake', options)
  if (!isIntake(app))
    throw new Failure(
      `${file}: its default export is no intake; end it with: export default intake({ endpoints: { … } })`,
    )
  return app
}

/** What makes stand-in services, and signs messages for what endpoints attest. */
export interface MakeServices {
  (): Promise<unknown>
  readonly sign?: Sign | undefined
}

/** What makes the services of an intake, if any are named. A description asks none, so its callers are asked without. */
export async function servicesOf(
  intake: string,
  services: string | undefined,
  options: LoadOptions = {},
): Promise<MakeServices | undefined> {
  if (services !== undefined) return loadServices(services, options)
  return isDescription(intake) ? async () => ({}) : undefined
}

/**
 * What makes services; it throws a Failure where it cannot.
 *
 * @throws Failure if there is no such module, it throws, or it exports no function.
 */
export async function loadServices(file: string, options: LoadOptions = {}): Promise<MakeServices> {
  const { default: make, sign } = await loadModule(file, 'your stand-in services', options)
  if (typeof make !== 'function')
    throw new Failure(`${file}: its default export is no function; end it with: export default () => ({ … })`)
  if (sign !== undefined && typeof sign !== 'function')
    throw new Failure(`${file}: its export sign is no function; write: export const sign = ({ bytes }) => ({ … })`)
  const made = async () => {
    try {
      return await make()
    } catch (error) {
      throw new Failure(`${shownAt(placeOf(error), file)}: could not make its services: ${firstLine(error)}`)
    }
  }
  return Object.assign(made, { sign: sign as Sign | undefined })
}

const loadDefault = async (file: string, what: string, options: LoadOptions) =>
  (await loadModule(file, what, options)).default

async function loadModule(
  file: string,
  what: string,
  options: LoadOptions,
): Promise<{ readonly [name: string]: unknown }> {
  const path = resolve(file)
  if (!existsSync(path)) throw new Failure(`${file}: there is no such file; name the module that exports ${what}`)
  const module = await watched(file, options, () => evaluate(path, options)).catch((error: unknown) => {
    if (error instanceof Failure) throw error
    const place = placeOf(error)
    throw new Failure(`${shownAt(place, file)}: could not be loaded: ${firstLine(error)}`, { cause: error, place })
  })
  return module as { readonly [name: string]: unknown }
}

/** So long may a module take to load. */
const longestLoad = Number(process.env.YOSEI_LOAD_SECONDS ?? 30)

/**
 * Loads a module that may do anything meanwhile: end the process, wait for what never comes, or never come to an end. Each
 * ends the command with a line that says so.
 */
async function watched<T>(file: string, { isFresh = false }: LoadOptions, load: () => Promise<T>): Promise<T> {
  const tell = (what: string) => writeSync(2, `yosei: ${file}: ${what}\n`)
  const never = `it did not load within ${longestLoad} seconds: let it wait for nothing, and start no server`
  // From a thread of its own: what never ends lets no timer of this one run.
  const watch = new Worker(
    `const { workerData: { told, after, pid } } = require('node:worker_threads')
setTimeout(() => { require('node:fs').writeSync(2, told); process.kill(pid, 'SIGKILL') }, after)`,
    {
      eval: true,
      workerData: { told: `yosei: ${file}: ${never}\n`, after: (longestLoad + 1) * 1000, pid: process.pid },
    },
  )
  watch.unref()
  const end = (what: string) => {
    tell(what)
    process.off('exit', ended)
    // What it has begun would keep the process.
    process.exit(2)
  }
  let giveUp: (failure: Failure) => void = () => undefined
  const given = new Promise<never>((_, reject) => {
    giveUp = reject
  })
  // What judges again when a file changes goes on with what it had.
  const late = setTimeout(() => (isFresh ? giveUp(new Failure(`${file}: ${never}`)) : end(never)), longestLoad * 1000)
  late.unref()
  const ended = () => {
    tell('it ended the process while it was loaded: take process.exit() away')
    process.exitCode = 2
  }
  const idle = () => end('it waits for something that never comes: look at its await at the top')
  process.on('exit', ended).on('beforeExit', idle)
  try {
    return await Promise.race([load(), given])
  } finally {
    clearTimeout(late)
    process.off('exit', ended).off('beforeExit', idle)
    await watch.terminate()
  }
}

const require = createRequire(import.meta.url)

async function evaluate(path: string, { isFresh = false }: LoadOptions): Promise<unknown> {
  // Imported, its one large file would be searched for its exports first.
  const { createJiti } = require('jiti') as typeof import('jiti')
  return createJiti(pathToFileURL(path).href, { fsCache: false, moduleCache: !isFresh, transform }).import(path)
}

/** What takes the types away: it is loaded when there are some, and a text is new. */
const transform: JitiOptions['transform'] & {} = ({ source, filename = '', async }) => ({
  code: keptFor(filename, `${async} ${source}`, () => {
    const { transform } = require('sucrase') as typeof import('sucrase')
    try {
      const { code } = transform(source, { transforms: ['typescript', 'imports'], disableESTransforms: true })
      return async ? awaited(code) : code
    } catch (error) {
      const [, what = '', line = '1', column = '1'] = /^(.*?) \((\d+):(\d+)\)$/.exec((error as Error).message) ?? []
      throw new SyntaxError(`${what.replace(/^Error transforming .*?: /, '')}\n    at ${filename}:${line}:${column}`)
    }
  }),
})

/** What came of a text is kept for the next time, if it can be; until the text changes. */
function keptFor(filename: string, text: string, make: () => string): string {
  const file = keptAt(filename)
  if (file === undefined) return make()
  const mark = `\n// ${digest(text)}`
  try {
    const known = readFileSync(file, 'utf8')
    if (known.endsWith(mark)) return known
  } catch {
    // It was not kept yet.
  }
  const code = make()
  try {
    mkdirSync(dirname(file), { recursive: true })
    // Put there as a whole, since others may be reading and writing it.
    writeFileSync(`${file}.${process.pid}`, code + mark)
    renameSync(`${file}.${process.pid}`, file)
  } catch {
    // It takes as long the next time.
  }
  return code
}

/**
 * In the nearest `node_modules`, which no other writes to. Nowhere for what lies in a hidden folder: `compare` checks out
 * a revision to one of its own each time.
 */
function keptAt(filename: string): string | undefined {
  for (let folder = dirname(filename); folder !== dirname(folder); folder = dirname(folder)) {
    const modules = join(folder, 'node_modules')
    if (existsSync(modules))
      return join(modules, '.cache', `yosei-cli-${require('../package.json').version}`, `${digest(filename)}.js`)
    if (basename(folder).startsWith('.')) return undefined
  }
  return undefined
}

const digest = (text: string) => createHash('sha256').update(text).digest('hex')

/** What is imported may be a module of the platform's own, which has to be waited for. */
const awaited = (code: string): string =>
  code
    .replace(/^(.*?)\b(var _\w+ = )require\(('[^']*'|"[^"]*")\)/gm, '$1$2await jitiImport($3)')
    .replaceAll('obj && obj.__esModule ?', "obj && (obj.__esModule || 'default' in obj) ?")

const isIntake = (value: unknown): value is Intake =>
  typeof value === 'object' && value !== null && typeof (value as Partial<Intake>).endpoints === 'object'

/** A place as editors and terminals find it: from the folder that the command runs in. */
const shownAt = (place: Found | undefined, file: string): string =>
  place ? `${resolve(file) === place.file ? file : relative('.', place.file)}:${place.line}:${place.column}` : file

const firstLine = (error: unknown) => String(error instanceof Error ? error.message : error).split('\n')[0]
