/** Loads an intake module, in TypeScript or JavaScript. */
import { existsSync } from 'node:fs'
import { resolve } from 'node:path'
import { pathToFileURL } from 'node:url'
import { createJiti } from 'jiti'
import type { Intake } from 'yosei'
import { Failure } from './failure.js'

/** @throws Failure where there is no such module, it throws, or it exports no intake. */
export async function loadIntake(file: string): Promise<Intake> {
  const app = await loadDefault(file, 'your intake')
  if (!isIntake(app))
    throw new Failure(
      `${file}: its default export is no intake; end it with: export default intake({ endpoints: { … } })`,
    )
  return app
}

/** @throws Failure where there is no such module, it throws, or it exports no function. */
export async function loadServices(file: string): Promise<() => unknown> {
  const make = await loadDefault(file, 'your stand-in services')
  if (typeof make !== 'function')
    throw new Failure(`${file}: its default export is no function; end it with: export default () => ({ … })`)
  return make as () => unknown
}

async function loadDefault(file: string, what: string): Promise<unknown> {
  const path = resolve(file)
  if (!existsSync(path)) throw new Failure(`${file}: there is no such file; name the module that exports ${what}`)
  const module = await evaluate(path).catch((error: unknown) => {
    throw new Failure(`${file}${lineOf(error, path)}: could not be loaded: ${firstLine(error)}`)
  })
  return (module as { default?: unknown }).default
}

const evaluate = async (path: string): Promise<unknown> =>
  createJiti(pathToFileURL(path).href, { fsCache: false }).import(path)

const isIntake = (value: unknown): value is Intake =>
  typeof value === 'object' && value !== null && typeof (value as Partial<Intake>).endpoints === 'object'

const firstLine = (error: unknown) => String(error instanceof Error ? error.message : error).split('\n')[0]

/** The line of the module that threw, from the stack or the message of a syntax error. */
function lineOf(error: unknown, path: string): string {
  const told = error instanceof Error ? `${error.message}\n${error.stack}` : ''
  const found = told.split('\n').find((line) => line.includes(path))
  const place = found && /:(\d+):(\d+)\)?$/.exec(found)
  return place ? `:${place[1]}:${place[2]}` : ''
}
