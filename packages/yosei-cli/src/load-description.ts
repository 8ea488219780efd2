/** Loads a description of an API as an intake: OpenAPI in JSON or YAML, with the files that its references lead to. */
import { existsSync, readFileSync } from 'node:fs'
import { resolve } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import { parse } from 'yaml'
import { DeclarationError, type Intake } from 'yosei'
import { type Note, readOpenApi } from 'yosei/openapi'
import { Failure } from './failure.js'

/** So many notes are printed. */
const mostPrinted = 10

/** @throws Failure if there is no such file, or it is no description. */
export function loadDescription(file: string, { refusesUnlisted = false } = {}): Intake {
  const policy = refusesUnlisted ? { unlisted: { query: 'refuse' } as const } : {}
  return readDescription(file, (document, options) => readOpenApi(document, { ...options, ...policy })).intake
}

/** What becomes of a description, and of the files that its references lead to. Prints what is not enforced. */
export function readDescription<R extends { readonly notes: readonly Note[] }>(
  file: string,
  read: (
    document: object,
    options: { readonly address: string; readonly documents: { readonly [uri: string]: unknown } },
  ) => R,
  print = (text: string) => void process.stderr.write(text),
): R {
  const address = pathToFileURL(resolve(file)).href
  const documents: { [uri: string]: unknown } = {}
  const due = [address]
  for (let uri = due.pop(); uri !== undefined; uri = due.pop()) {
    if (Object.hasOwn(documents, uri)) continue
    documents[uri] = documentAt(fileURLToPath(uri), uri === address ? file : fileURLToPath(uri))
    due.push(...filesIn(documents[uri], uri))
  }
  const { [address]: document, ...others } = documents
  try {
    const made = read(document as object, { address, documents: others })
    printNotes(file, made.notes, print)
    return made
  } catch (error) {
    if (!(error instanceof DeclarationError)) throw error
    throw new Failure(`${file}: ${error.message.replace(/^(?:read|adopt)OpenApi\(\)(?:, |: )/, '')}`)
  }
}
function printNotes(file: string, notes: readonly Note[], print: (text: string) => void): void {
  // Files are named as they are from the description.
  const folder = new URL('.', pathToFileURL(resolve(file))).href
  for (const { pointer, what, consequence } of notes.slice(0, mostPrinted))
    print(`${file}: ${pointer.replace(folder, '')}: ${what}. ${consequence}.\n`)
  if (notes.length > mostPrinted) print(`${file}: and ${notes.length - mostPrinted} more\n`)
}

function documentAt(path: string, shown: string): unknown {
  if (!existsSync(path)) throw new Failure(`${shown}: there is no such file; name the description of your API`)
  try {
    const text = readFileSync(path, 'utf8')
    return /\.json$/i.test(path) ? JSON.parse(text) : withoutCircles(parse(text))
  } catch (error) {
    throw new Failure(`${shown}: could not be read as JSON or YAML: ${(error as Error).message.split('\n')[0]}`)
  }
}

/** An alias of YAML can lead back to what holds it. */
function withoutCircles(document: unknown): unknown {
  try {
    JSON.stringify(document)
    return document
  } catch {
    throw new Error('an alias leads back to what holds it')
  }
}

/** The files beside it that its references lead to. */
function filesIn(document: unknown, uri: string): readonly string[] {
  const found = new Set<string>()
  JSON.stringify(document, (name, value: unknown) => {
    if (name === '$ref' && typeof value === 'string' && !value.startsWith('#') && URL.canParse(value, uri)) {
      const to = new URL(value, uri)
      to.hash = ''
      if (to.protocol === 'file:' && existsSync(to)) found.add(to.href)
    }
    return value
  })
  return [...found]
}
