/**
 * A plugin for Vite, so that a page takes of the library what it uses, and a service's declarations are used unchanged: in
 * a client build, `yosei` is `yosei/page`, and each module that imports it brings the rules and formats that it names.
 *
 * @example
 * // vite.config.ts
 * import yosei from 'yosei/vite'
 * export default defineConfig({ plugins: [yosei()] })
 */
import { existsSync, readFileSync } from 'node:fs'
import { dirname, relative, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { importsPrepared } from '../engine/prepare.js'
import { type Format, formats } from '../grammar/formats.js'
import { everyRule } from '../rules/every.js'
import type { RuleName } from '../rules/rule.js'
import type { Intake } from '../terms/endpoint.js'
import { prepareCode } from './prepared.js'

/** What the plugin reads of Vite's configuration. */
interface Config {
  readonly root: string
  readonly resolve: { readonly alias: unknown }
}
interface Loading {
  addWatchFile(file: string): void
}

/** What Vite needs to know of a plugin. */
interface Plugin {
  readonly name: string
  readonly enforce: 'pre'
  configResolved(config: Config): void
  resolveId(id: string, importer: string | undefined, options?: { readonly ssr?: boolean }): string | undefined
  load(
    this: Loading,
    id: string,
    options?: { readonly ssr?: boolean },
  ): Promise<{ readonly code: string; readonly map: null } | undefined>
  transform(
    code: string,
    id: string,
    options?: { readonly ssr?: boolean },
  ): { readonly code: string; readonly map: null } | undefined
}

const own = fileURLToPath(new URL('..', import.meta.url))
const page = `${own}page-lean.js`
const imports = /\bfrom\s*['"]yosei(?:\/page)?['"]/
/** `on.needed`; `({ needed }) => [needed(…)]`, under another name too. A field may have the name of a rule. */
const isUsed = (name: string) => {
  const patterns = [`\\.${name}\\b`, `[{,]\\s*${name}\\s*:\\s*[\\w$]+\\s*[,}]`].map((one) => new RegExp(one))
  const [given, called] = [new RegExp(`[{,]\\s*${name}\\s*[,}]`), new RegExp(`\\b${name}\\s*\\(`)]
  return (code: string) => patterns.some((one) => one.test(code)) || (given.test(code) && called.test(code))
}
const asText = (name: string) => new RegExp(`(['"\`])${name}\\1`)
const rules = (Object.keys(everyRule) as RuleName[]).map((name) => [name, isUsed(name)] as const)
const texts = (Object.keys(formats) as Format[]).map((name) => [name, asText(name)] as const)
/** Where rules and conditions are made: of a function, what it is given. */
const makes = /\b(?:rules|may|lookups)\b\s*[:(]/

const exported = (format: string) => `${format.replace(/-(\w)/g, (_, letter: string) => letter.toUpperCase())}Format`

/** The module of an intake of which a file is, or would be, the prepared code: `intake.ts` of `intake.prepared.js`. */
function intakeOf(file: string): string | undefined {
  const [, stem] = /^(.*)\.prepared\.[cm]?[jt]s$/.exec(file) ?? []
  if (stem === undefined || (existsSync(file) && !readFileSync(file, 'utf8').includes(importsPrepared)))
    return undefined
  return ['ts', 'mts', 'js', 'mjs'].map((end) => `${stem}.${end}`).find(existsSync)
}

/** Runs the module of an intake, as Vite reads it. */
async function loaded(intake: string, config: Config | undefined): Promise<{ app: Intake; files: readonly string[] }> {
  const { runnerImport } = await import('vite')
  if (!runnerImport)
    throw new Error(`${intake}: its code is prepared by Vite 6.3 and later; run yosei prepare before the build`)
  const root = config?.root ?? process.cwd()
  const { module, dependencies } = await runnerImport<{ default: Intake }>(intake, {
    configFile: false,
    logLevel: 'error',
    root,
    resolve: { alias: config?.resolve.alias as never },
  })
  return { app: module.default, files: [intake, ...dependencies.map((file) => resolve(root, file))] }
}

/** The plugin for Vite: a page ships only the rules and formats that it names, and `yosei` means `yosei/page`. */
export default function yosei(): Plugin {
  let config: Config | undefined
  return {
    name: 'yosei',
    enforce: 'pre',
    configResolved(resolved) {
      config = resolved
    },
    resolveId(id, importer, { ssr } = {}) {
      if (!ssr && (id === 'yosei' || id === 'yosei/page')) return page
      const file = importer && /^\.\.?\//.test(id) ? resolve(dirname(importer), id) : id
      return intakeOf(file) && file
    },
    async load(id, { ssr } = {}) {
      const intake = intakeOf(id)
      if (!intake) return undefined
      // A page interprets.
      if (!ssr) return { code: 'export const prepared = (app) => app', map: null }
      const { app, files } = await loaded(intake, config)
      for (const file of files) this.addWatchFile(file)
      const shown = (file: string) => relative(process.cwd(), file).replaceAll('\\', '/')
      return { code: prepareCode(app, { command: `yosei prepare ${shown(intake)} -o ${shown(id)}` }), map: null }
    },
    transform(code, id, { ssr } = {}) {
      if (ssr || id.startsWith(own) || !imports.test(code)) return undefined
      const used = rules.flatMap(([name, isUsedIn]) => (isUsedIn(code) ? [name] : []))
      const named = texts.flatMap(([name, pattern]) => (pattern.test(code) ? [name] : []))
      const calls: string[] = []
      const brought: string[] = []
      if (used.length > 0 || makes.test(code)) {
        brought.push('use as $use', ...used.map((name) => `${name} as $${name}`))
        calls.push(`$use({ ${used.map((name) => `${name}: $${name}`).join(', ')} });`)
      }
      if (named.length > 0) {
        brought.push('bringFormats as $bringFormats', ...named.map((name) => `${exported(name)} as $${exported(name)}`))
        calls.push(`$bringFormats({ ${named.map((name) => `'${name}': $${exported(name)}`).join(', ')} });`)
      }
      if (brought.length === 0) return undefined
      // On the first line, so that every other keeps its number.
      return { code: `import { ${brought.join(', ')} } from 'yosei/page'; ${calls.join(' ')} ${code}`, map: null }
    },
  }
}
