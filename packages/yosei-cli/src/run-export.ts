/** The command `export`: a description of the intake for others. */
import { readFileSync } from 'node:fs'
import { diffLines } from 'diff'
import { stringify } from 'yaml'
import type { Intake } from 'yosei'
import { writeJsonSchema } from 'yosei/json-schema'
import { writeOpenApi } from 'yosei/openapi'
import { Failure } from './failure.js'
import { writeTo } from './files.js'
import { nameOf } from './lines.js'
import { pc, plural, print, visible } from './terminal.js'

export interface ExportOptions {
  readonly to: 'openapi' | 'openapi-3.0' | 'json-schema'
  readonly yaml?: boolean
  readonly out?: string
  /** A file that must be as what would be written. */
  readonly check?: string
}

const openApi = (version: '3.1' | '3.0') => async (app: Intake) => {
  const { document, unsaid } = await writeOpenApi(app, { version })
  return { document: document as object, unsaid: unsaid.length }
}
/** What can be written of an intake, and how many demands it has in words alone. */
const writings: {
  readonly [to in ExportOptions['to']]: (app: Intake) => Promise<{ readonly document: object; readonly unsaid: number }>
} = {
  openapi: openApi('3.1'),
  'openapi-3.0': openApi('3.0'),
  async 'json-schema'(app) {
    const { schema, unsaid } = writeJsonSchema(app)
    return { document: schema, unsaid: unsaid.length }
  },
}

/** @returns The exit code: 1 if a file is stale. */
export async function runExport(app: Intake, options: ExportOptions): Promise<number> {
  const { to, yaml = false, out, check } = options
  const isYaml = yaml || /\.ya?ml$/.test(out ?? check ?? '')
  const { document, unsaid } = await writings[to](app)
  const text = isYaml
    ? stringify(document, { lineWidth: 120, aliasDuplicateObjects: false })
    : `${JSON.stringify(document, null, 2)}\n`
  if (check !== undefined) return checked(check, text)
  if (out === undefined) await print(text)
  else {
    writeTo(out, text)
    await print(`${nameOf(out)} is written${unsaid > 0 ? `; ${unsaid} of its demands stand there in words` : ''}.\n`)
  }
  return 0
}

/** Whether a file is what would be written now. */
async function checked(file: string, text: string): Promise<number> {
  const before = read(file)
  if (before === text) {
    await print(`${nameOf(file)} is up to date.\n`)
    return 0
  }
  const lines = diffLines(before, text).flatMap(({ added, removed, value }) =>
    added || removed
      ? value
          .replace(/\n$/, '')
          .split('\n')
          .map((line) => (added ? pc.green(`+ ${visible(line)}`) : pc.red(`- ${visible(line)}`)))
      : [],
  )
  const shown = lines.slice(0, mostShown)
  const more =
    lines.length > shown.length ? `\n${pc.gray(`and ${plural(lines.length - shown.length, 'more line')}`)}` : ''
  await print(`${nameOf(file)} is stale:\n${shown.join('\n')}${more}\n`)
  return 1
}
const mostShown = 60

function read(file: string): string {
  try {
    return readFileSync(file, 'utf8')
  } catch (error) {
    throw new Failure(`${nameOf(file)}: ${(error as Error).message}; write it with -o ${nameOf(file)}`)
  }
}
