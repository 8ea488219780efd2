/** The command `prepare`: writes the code of an intake as a module. */
import { dirname, join, relative, resolve } from 'node:path'
import { prepareCode } from 'yosei/prepared'
import { isPutAs } from 'yosei-desk/put'
import { Failure } from './failure.js'
import { writeTo } from './files.js'
import { nameOf } from './lines.js'
import { loadIntake } from './load.js'
import { plural, print } from './terminal.js'
import { againOnChange } from './watch.js'

export interface PrepareOptions {
  readonly out: string
  readonly watch?: boolean
}

/** @returns The exit code. */
export async function runPrepare(file: string, { out, watch }: PrepareOptions): Promise<number> {
  if (!/\.[cm]?[jt]s$/.test(out))
    throw new Failure(`${nameOf(out)}: this is no module; name one such as intake.prepared.ts`)
  if (resolve(out) === resolve(file)) throw new Failure(`${nameOf(out)}: this is the intake itself; name another file`)
  await print(`${await prepare(file, out)}\n`)
  if (!watch) return 0
  const folder = dirname(resolve(file))
  await againOnChange(
    [folder],
    () => prepare(file, out, true),
    (changed) => isPutAs(join(folder, changed), resolve(out)),
  )
  return 0
}

async function prepare(file: string, out: string, isFresh = false): Promise<string> {
  const app = await loadIntake(file, { isFresh })
  writeTo(out, prepareCode(app, { command: `yosei prepare ${shown(file)} -o ${shown(out)}` }))
  return `${nameOf(out)} is written: the code of ${plural(Object.keys(app.endpoints).length, 'endpoint')}.`
}

const shown = (file: string) => relative(process.cwd(), resolve(file)).replaceAll('\\', '/')
