/** What need not be said each time: "yosei": { "intake", "samples", "services" } in the nearest package.json. */
import { existsSync, readFileSync } from 'node:fs'
import { dirname, join, relative, resolve } from 'node:path'
import { Failure } from './failure.js'
import { pc } from './terminal.js'

interface Settings {
  readonly intake: string
  readonly samples: readonly string[]
  readonly services?: string | undefined
}
interface Said {
  readonly intake?: string | undefined
  readonly samples?: readonly string[]
  readonly services?: string | undefined
}

/**
 * What was said on the command line, and for the rest what the package says; that is reported.
 *
 * @param needsSome Whether nothing can be done where samples are asked for and there are none.
 *
 * @throws Failure if neither does.
 */
export function settled(said: Said, needsSome = true): Settings {
  const needsSamples = said.samples !== undefined && said.samples.length === 0
  if (said.intake !== undefined && !(needsSamples && needsSome))
    return { ...said, intake: said.intake, samples: said.samples ?? [] }
  const found = packageSettings()
  const own = found?.settings ?? {}
  const intake = said.intake ?? own.intake
  const samples = needsSamples ? (own.samples ?? []) : (said.samples ?? [])
  // Services belong to the intake that the package names.
  const services = said.services ?? (said.intake === undefined ? own.services : undefined)
  if (intake === undefined)
    throw new Failure(`no intake is named; write its file, or "yosei": { "intake": "intake.ts" } into package.json`)
  if (needsSamples && needsSome && samples.length === 0)
    throw new Failure('no samples are named; write files, folders or globs of sample books behind the intake')
  const used = [
    ...(said.intake === undefined ? [`intake ${intake}`] : []),
    ...(needsSamples ? [`samples ${samples.join(' ')}`] : []),
    ...(services !== said.services ? [`services ${services}`] : []),
  ]
  process.stderr.write(`${pc.gray(`from ${found?.file}: ${used.join(', ')}`)}\n`)
  return { intake, samples, ...(services === undefined ? {} : { services }) }
}

/**
 * An intake and the name of an endpoint in it. What is no file is the endpoint, in the intake that the package names.
 *
 * @throws Failure if no intake is named.
 */
export function named(
  file: string | undefined,
  endpoint: string | undefined,
  services?: string,
): Settings & { readonly endpoint: string | undefined } {
  const isEndpoint = file !== undefined && endpoint === undefined && !existsSync(file) && packageIntake() !== undefined
  return isEndpoint
    ? { ...settled({ services }), endpoint: file }
    : { ...settled({ intake: file, services }), endpoint }
}

/** The intake that the package names, if it does. */
export const packageIntake = (): string | undefined => packageSettings()?.settings.intake

function packageSettings(): { readonly file: string; readonly settings: Said } | undefined {
  for (let folder = resolve('.'); ; folder = dirname(folder)) {
    const file = join(folder, 'package.json')
    if (existsSync(file)) {
      const told = relative('.', file)
      const settings = read(file, told)
      if (settings) return { file: told, settings: placed(settings, folder, told) }
    }
    if (dirname(folder) === folder) return undefined
  }
}

function read(file: string, told: string): unknown {
  try {
    return (JSON.parse(readFileSync(file, 'utf8')) as { yosei?: unknown }).yosei
  } catch (error) {
    throw new Failure(`${told}: could not be read: ${(error as Error).message}`)
  }
}

function placed(settings: unknown, folder: string, file: string): Said {
  const names = ['intake', 'samples', 'services']
  if (typeof settings !== 'object' || settings === null)
    throw new Failure(`${file}: "yosei" is no object; write { "intake": "intake.ts", "samples": "samples" }`)
  const odd = Object.keys(settings).find((name) => !names.includes(name))
  if (odd !== undefined) throw new Failure(`${file}: "yosei" has no setting ${odd}; it has ${names.join(', ')}`)
  const { intake, samples = [], services } = settings as { intake?: unknown; samples?: unknown; services?: unknown }
  const list = Array.isArray(samples) ? samples : [samples]
  for (const one of [intake, services, ...list])
    if (one !== undefined && typeof one !== 'string')
      throw new Failure(`${file}: a setting of "yosei" is no path; write "intake": "intake.ts"`)
  const at = (path: unknown) => (path === undefined ? undefined : relative('.', resolve(folder, path as string)))
  return { intake: at(intake), samples: list.map((one) => at(one) as string), services: at(services) }
}
