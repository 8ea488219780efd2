/** The desk without a server: the page, and one module that judges in the browser. */
import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { isBuiltin } from 'node:module'
import { join, relative } from 'node:path'
import { fileURLToPath } from 'node:url'
import { pageFolder } from './page-folder.js'

export interface BuildOptions {
  readonly intake: string
  readonly services?: string | undefined
  readonly books: readonly { readonly file: string; readonly page: string }[]
  /** The module that exports the kit. */
  readonly kit: string
  readonly folder: string
}

/**
 * Writes the page into a folder, which any server of files can serve.
 *
 * @throws Error if a module cannot run in a browser, the package `rolldown` is not installed, or the folder has
 * other files.
 */
export async function buildDesk({ intake, services, books, kit, folder }: BuildOptions): Promise<void> {
  const entry = [
    `import app from ${JSON.stringify(intake)}`,
    services === undefined
      ? 'const makeServices = undefined'
      : `import make, * as made from ${JSON.stringify(services)}\nconst makeServices = Object.assign(() => make(), { sign: made['sign'] })`,
    `import { createBench } from ${JSON.stringify(fileURLToPath(new URL('./bench.js', import.meta.url)))}`,
    `import { kit } from ${JSON.stringify(kit)}`,
    `export default createBench({ app, makeServices, kit, books: ${JSON.stringify(books)} })`,
  ].join('\n')
  const { rolldown } = await bundler()
  let refused: Error | undefined
  if (!isFree(folder)) throw new Error(`${folder}: has other files; name a new folder, or one with a desk in it`)
  const bundle = await rolldown({
    input: 'desk:bench',
    platform: 'browser',
    logLevel: 'silent',
    plugins: [
      {
        name: 'desk',
        resolveId(source, importer) {
          if (source === 'desk:bench') return source
          if (isBuiltin(source)) {
            refused = new Error(
              `${relative('.', importer ?? '')} imports ${source}, which no browser has; start the desk without -o, or name services that need no such module`,
            )
            throw refused
          }
          return undefined
        },
        load: (id) => (id === 'desk:bench' ? entry : undefined),
      },
    ],
  })
  try {
    const { output } = await bundle.generate({ format: 'esm', minify: true, codeSplitting: false } as never)
    const [{ code }] = output
    cpSync(pageFolder, folder, { recursive: true })
    mkdirSync(join(folder, 'assets'), { recursive: true })
    writeFileSync(join(folder, 'assets', 'bench.js'), code)
    const page = readFileSync(join(folder, 'index.html'), 'utf8')
    writeFileSync(join(folder, 'index.html'), page.replace('content="served"', 'content="here"'))
  } catch (error) {
    throw refused ?? error
  } finally {
    await bundle.close()
  }
}

/** Whether nothing is lost in a folder: there is none, it is empty, or a desk lies in it. */
function isFree(folder: string): boolean {
  if (!existsSync(folder) || readdirSync(folder).length === 0) return true
  const page = join(folder, 'index.html')
  return existsSync(page) && readFileSync(page, 'utf8').includes('<meta name="desk"')
}

/** Only here, so that who starts the desk alone needs none. */
async function bundler(): Promise<typeof import('rolldown')> {
  try {
    return await import('rolldown')
  } catch (cause) {
    if ((cause as { code?: string }).code !== 'ERR_MODULE_NOT_FOUND') throw cause
    throw new Error(
      '-o bundles your modules for the browser: it needs the package rolldown (npm install --save-dev rolldown)',
    )
  }
}
