/** Where in the text of a module something is declared: found by its names. */
import { existsSync, readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'

export interface Place {
  /** From 1; 0 where the declaration stands in another module. */
  readonly line: number
  readonly column: number
}
const nowhere: Place = { line: 0, column: 0 }

export const nameIn = (address: string) => /([^.[\]{}"]+)["\]]*(?:\[\]|\{\})*$/.exec(address)?.[1] ?? ''

/** Where a field is declared; else where its endpoint is. */
export function placeIn(source: readonly string[], signature: string, address: string): Place {
  const start = startOf(source, signature)
  return (
    fieldIn(source, signature, address) ??
    (start < 0 ? nowhere : { line: start + 1, column: (source[start]?.search(/\S/) ?? 0) + 1 })
  )
}
const startOf = (source: readonly string[], signature: string): number =>
  source.findIndex((line) => /['"`]/.test(line) && line.includes(signature))

/** By its name, behind its endpoint, or by the name of what it was made with. */
function fieldIn(source: readonly string[], signature: string, address: string): Place | undefined {
  const start = startOf(source, signature)
  const end = source.findIndex((line, index) => index > start && /endpoint\(\s*['"`]/.test(line))
  const name = nameIn(address).replace(/[^\w-]/g, '.')
  const isPart = /^\w+(?:\[\])?$/.test(address)
  const ways = isPart
    ? [new RegExp(`(?<=^\\s*)${name}\\s*:`)]
    : [new RegExp(`(?<=^|[\\s{,(])['"]?${name}['"]?\\s*:`), new RegExp(`(?<=\\b(?:const|let) )${name}\\b`)]
  const spans = [
    [Math.max(0, start), end < 0 ? source.length : end],
    [0, source.length],
  ] as const
  for (const way of name === '' ? [] : ways)
    for (const [from, to] of spans) {
      const found = searched(source, from, to, (line) =>
        line.replaceAll(signature, (one) => ' '.repeat(one.length)).search(way),
      )
      if (found) return found
    }
  return undefined
}

function searched(
  source: readonly string[],
  from: number,
  to: number,
  search: (line: string) => number,
): Place | undefined {
  for (let index = from; index < to; index++) {
    const column = search(source[index] ?? '')
    if (column >= 0) return { line: index + 1, column: column + 1 }
  }
  return undefined
}

/** A mistake of a declaration, of whichever copy of the library. */
interface Mistake extends Error {
  readonly where: string
  readonly what: string
  readonly address: string | undefined
}
export const isMistake = (error: unknown): error is Mistake =>
  error instanceof Error && error.name === 'DeclarationError'

export interface Found extends Place {
  readonly file: string
}

/**
 * Where something was thrown that a module of the reader's own has called: of a mistake in a declaration, the address
 * or the field that it names.
 */
export function placeOf(error: unknown): Found | undefined {
  const told = error instanceof Error ? `${error.message}\n${error.stack}` : ''
  for (const line of told.split('\n')) {
    const [, url = '', row, column] = /((?:file:\/\/)?(?:\/|[A-Za-z]:[\\/])[^()]*?):(\d+):(\d+)\)?$/.exec(line) ?? []
    if (row === undefined || /[\\/](?:node_modules|yosei(?:-cli)?[\\/]dist)[\\/]/.test(url)) continue
    const file = url.startsWith('file:') ? fileURLToPath(url) : url
    // What was made and run from a text has no file.
    if (!existsSync(file)) continue
    const thrown = { file, line: Number(row), column: Number(column) }
    return isMistake(error) ? { ...thrown, ...namedBy(error, thrown) } : thrown
  }
  return undefined
}

const addressIn = /\b(?:path|query|header|cookie|body|who)[.[{][^\s,;]*/

/** What a mistake names, at the call that threw it or below: an address as it is written, or its field; else the call. */
function namedBy({ where, what, address = addressIn.exec(what)?.[0] }: Mistake, { file, line }: Found): Place {
  const source = readFileSync(file, 'utf8').split('\n')
  const [signature = ''] = where.split(', ')
  const below = (search: (line: string) => number) => searched(source, line - 1, source.length, search)
  const written = address && below((one) => one.search(new RegExp(`(?<=['"\`])${escaped(address)}['"\`]`)))
  const field = address ? fieldIn(source, signature, address) : undefined
  const call = source[line - 1] ?? ''
  const column = Math.max(call.search(new RegExp(`\\w+\\(\\s*['"\`]${escaped(signature)}`)), call.search(/\S/), 0) + 1
  return written || (field && field.line >= line ? field : { line, column })
}
const escaped = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')
