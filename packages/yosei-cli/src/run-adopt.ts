/** The command `adopt`: an OpenAPI description as an intake module of your own. */
import { existsSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { format, resolveConfig } from 'prettier'
import { transform } from 'sucrase'
import { adoptOpenApi } from 'yosei/openapi'
import { Failure } from './failure.js'
import { writeTo } from './files.js'
import { nameOf } from './lines.js'
import { readDescription } from './load-description.js'
import { plural, print } from './terminal.js'

export interface AdoptOptions {
  /** The module, or the folder of the modules. */
  readonly out?: string
  /** Whether each tag gets a module of its own. */
  readonly byTag?: boolean
}

export async function runAdopt(file: string, { out, byTag = false }: AdoptOptions): Promise<void> {
  if (byTag && out === undefined) throw new Failure('--by-tag writes several modules: name their folder with -o')
  if (!/\.(?:json|ya?ml)$/i.test(file))
    throw new Failure(`${file}: this is no OpenAPI description; name a file that ends in .json, .yaml or .yml`)
  const { modules } = readDescription(file, (document, options) =>
    adoptOpenApi(document, { ...options, ...(byTag ? { split: 'tag' } : {}) }),
  )
  const named = Object.entries(modules).map(([name, text]): readonly [path: string, text: string] => [
    byTag ? join(out as string, `${name}.ts`) : (out ?? 'intake.ts'),
    text,
  ])
  const kept = out === undefined ? undefined : named.find(([path]) => existsSync(path))
  if (kept) throw new Failure(`${nameOf(kept[0])} is there already: name another place with -o, or remove it`)
  for (const [path, text] of named) {
    const formatted = await formattedFor(path, text)
    if (out === undefined) await print(formatted)
    else writeTo(path, formatted)
  }
  if (out === undefined) return
  await print(byTag ? `${nameOf(out)} has ${plural(named.length, 'module')} now.\n` : `${nameOf(out)} is written.\n`)
}

/** As other modules there are formatted; without types, if it is JavaScript. */
async function formattedFor(path: string, text: string): Promise<string> {
  const own = await resolveConfig(resolve(path), { editorconfig: true })
  const isScript = /\.m?js$/.test(path)
  const { code } = isScript
    ? transform(text, { transforms: ['typescript'], disableESTransforms: true })
    : { code: text }
  return format(code, { printWidth: 100, semi: false, singleQuote: true, ...own, parser: 'typescript' })
}
