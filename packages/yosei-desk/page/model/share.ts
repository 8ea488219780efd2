/** What is on the page as the fragment of its address, and as text for other programs. */
import { fileMark } from '../../src/bytes.ts'
import type { Draft } from '../../src/terms.ts'
import { cut, takeApart } from './message.ts'

/** What a reload brings back. */
export interface Shared {
  readonly endpoint: string
  readonly draft: Draft
  readonly opened?: string
}

/** @param draft Without its secrets and files. */
export async function fragmentOf(shared: Shared): Promise<string> {
  const bytes = await through(new TextEncoder().encode(JSON.stringify(shared)), new CompressionStream('deflate-raw'))
  return btoa(String.fromCharCode(...bytes))
    .replaceAll('+', '-')
    .replaceAll('/', '_')
    .replaceAll('=', '')
}

/** @returns `undefined` if the fragment is none of this page's. */
export async function sharedIn(fragment: string): Promise<Shared | undefined> {
  try {
    const text = atob(fragment.replaceAll('-', '+').replaceAll('_', '/'))
    const bytes = Uint8Array.from(text, (one) => one.charCodeAt(0))
    const json = new TextDecoder().decode(await through(bytes, new DecompressionStream('deflate-raw')))
    const { endpoint, draft, opened } = JSON.parse(json) as Shared
    if (typeof endpoint !== 'string' || typeof draft?.message !== 'string') return undefined
    const own: Draft = {
      message: draft.message,
      ...(typeof draft.now === 'string' ? { now: draft.now } : {}),
      ...(typeof draft.who === 'string' ? { who: draft.who } : {}),
    }
    return { endpoint, draft: own, ...(typeof opened === 'string' ? { opened } : {}) }
  } catch {
    return undefined
  }
}

async function through(bytes: Uint8Array, stream: CompressionStream | DecompressionStream): Promise<Uint8Array> {
  const whole = new Response(
    new Blob([bytes as BlobPart])
      .stream()
      .pipeThrough(stream as ReadableWritablePair<Uint8Array<ArrayBuffer>, Uint8Array<ArrayBuffer>>),
  )
  return new Uint8Array(await whole.arrayBuffer())
}

interface Request {
  readonly method: string
  readonly url: string
  readonly headers: readonly (readonly [name: string, value: string])[]
  readonly body: string
}
const token = /^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/
/** Large files have no place in a text that is copied. */
export const withoutFiles = (text: string): string => text.replace(new RegExp(fileMark, 'g'), '(file)')
function requestIn(given: string, origin: string): Request | undefined {
  const message = withoutFiles(given)
  const pieces = takeApart(message)
  if (!pieces || !token.test(pieces.method) || pieces.headers.some(({ name }) => !token.test(name))) return undefined
  const { method, target, headers, body } = pieces
  return {
    method,
    url: origin + cut(message, target),
    headers: headers.map(({ name, value }) => [name, cut(message, value)] as const),
    body: cut(message, body),
  }
}
const quotedForShell = (text: string) => `'${text.replaceAll("'", "'\\''")}'`

/** As a command for a shell. */
export function curlOf(message: string, origin: string): string {
  const request = requestIn(message, origin)
  if (!request) return ''
  const { method, url, headers, body } = request
  return [
    // A method may hold what a shell takes for its own (RFC 9110, section 5.6.2), and a URL what curl does.
    `curl -X ${quotedForShell(method)}${/[[\]{}]/.test(url) ? ' --globoff' : ''} ${quotedForShell(url)}`,
    ...headers.map(([name, value]) => `-H ${quotedForShell(`${name}: ${value}`)}`),
    ...(body === '' ? [] : [`--data-raw ${quotedForShell(body)}`]),
  ].join(' \\\n  ')
}
/** As a call in JavaScript. */
export function fetchOf(message: string, origin: string): string {
  const request = requestIn(message, origin)
  if (!request) return ''
  const { method, url, headers, body } = request
  const options = { method, headers: Object.fromEntries(headers), ...(body === '' ? {} : { body }) }
  return `await fetch(${JSON.stringify(url)}, ${JSON.stringify(options, null, 2)})`
}
/** As a call that writes the request from typed values. */
export function writeOf(endpoint: string, origin: string, parts: { readonly [part: string]: unknown }): string {
  const told = Object.fromEntries(Object.entries(parts).filter(([, value]) => value !== undefined))
  return `write(${endpoint}, ${JSON.stringify(origin)}, ${JSON.stringify(told, null, 2)})`
}

/** A request that was pasted: a command for curl, or a message. */
export function pasted(text: string): string | undefined {
  const trimmed = text.trim()
  if (/^curl\s/.test(trimmed)) return fromCurl(trimmed)
  return /^[A-Z]+ \S+ HTTP\/1\.[01]\r?(?:\n|$)/.test(trimmed)
    ? text.replaceAll('\r\n', '\n').replace(/^\s+/, '')
    : undefined
}

const withValue = new Set([
  '-X',
  '--request',
  '-H',
  '--header',
  '-d',
  '--data',
  '--data-raw',
  '--data-binary',
  '--data-ascii',
  '--json',
  '-u',
  '--user',
  '-b',
  '--cookie',
  '-A',
  '--user-agent',
  '-e',
  '--referer',
  '--url',
  '-F',
  '--form',
  '-o',
  '--output',
  '--max-time',
  '-m',
  '--connect-timeout',
  '--data-urlencode',
])

function fromCurl(command: string): string | undefined {
  const words = shellWords(command).slice(1)
  let method: string | undefined
  let url: string | undefined
  const headers: [string, string][] = []
  const data: string[] = []
  const form: string[] = []
  let isJson = false
  const add = (name: string, value: string) => headers.push([name, value])
  for (let at = 0; at < words.length; at++) {
    const word = words[at] as string
    const [, long = '', joined] = /^(--[a-z-]+)=(.*)$/s.exec(word) ?? []
    const short = /^-[XHdubAeFom]./s.test(word) && !word.startsWith('--') ? word.slice(0, 2) : ''
    const option = long || short || word
    const needs = withValue.has(option)
    const value = !needs ? '' : long ? (joined ?? '') : short ? word.slice(2) : (words[++at] ?? '')
    if (option === '-X' || option === '--request') method = value
    else if (option === '-H' || option === '--header') {
      const [, name, content = ''] = /^([^:;]+)[:;]\s*(.*)$/s.exec(value) ?? []
      if (name) add(name, content)
    } else if (option === '--json') {
      isJson = true
      data.push(value)
    } else if (option === '--data-urlencode') {
      const [, name = '', content = ''] = /^([^=]*)=?(.*)$/s.exec(value) ?? []
      data.push(`${name}${name ? '=' : ''}${encodeURIComponent(content)}`)
    } else if (/^(?:-d|--data(?:-raw|-binary|-ascii)?)$/.test(option)) data.push(value)
    else if (option === '-F' || option === '--form') form.push(value)
    else if (option === '-u' || option === '--user')
      add('Authorization', `Basic ${btoa(unescape(encodeURIComponent(value)))}`)
    else if (option === '-b' || option === '--cookie') add('Cookie', value)
    else if (option === '-A' || option === '--user-agent') add('User-Agent', value)
    else if (option === '-e' || option === '--referer') add('Referer', value)
    else if (option === '-I' || option === '--head') method ??= 'HEAD'
    else if (option === '--url') url = value
    else if (!option.startsWith('-')) url ??= word
  }
  if (url === undefined) return undefined
  const absolute = /^[a-z][a-z0-9+.-]*:\/\//i.test(url) ? url : `http://${url}`
  const target = absolute.replace(/^[^:]+:\/\/[^/?#]*/, '').replace(/#.*$/s, '')
  const has = (name: string) => headers.some(([own]) => own.toLowerCase() === name)
  let body = data.join('&')
  if (form.length > 0) {
    body = `${form.map((one) => formPart(one)).join('')}--part--`
    add('Content-Type', 'multipart/form-data; boundary=part')
  } else if (data.length > 0 && !has('content-type'))
    add('Content-Type', isJson ? 'application/json' : 'application/x-www-form-urlencoded')
  const verb = method ?? (data.length + form.length > 0 ? 'POST' : 'GET')
  const head = [
    `${verb} ${target.startsWith('/') ? target : `/${target}`} HTTP/1.1`,
    ...headers.map(([name, value]) => `${name}: ${value}`),
  ].join('\n')
  return body === '' ? head : `${head}\n\n${body}`
}

function formPart(text: string): string {
  const [, name = '', value = ''] = /^([^=]*)=(.*)$/s.exec(text) ?? []
  const [file, ...options] = value.startsWith('@') ? value.slice(1).split(';') : []
  if (file === undefined) return `--part\nContent-Disposition: form-data; name="${name}"\n\n${value}\n`
  const type = options.find((one) => one.startsWith('type='))?.slice(5) ?? 'application/octet-stream'
  return `--part\nContent-Disposition: form-data; name="${name}"; filename="${file.split('/').at(-1)}"\nContent-Type: ${type}\n\n(file)\n`
}

/** The words of a command, as a POSIX shell has them. */
function shellWords(command: string): string[] {
  const words: string[] = []
  let word: string | undefined
  for (let at = 0; at < command.length; at++) {
    const one = command[at] as string
    if (one === "'" || (one === '$' && command[at + 1] === "'")) {
      const isEscaped = one === '$'
      let end = at + (isEscaped ? 2 : 1)
      let text = ''
      while (end < command.length && command[end] !== "'") {
        if (isEscaped && command[end] === '\\') {
          const next = command[++end] ?? ''
          const unicode = /^[ux]([0-9a-fA-F]{2,4})/.exec(command.slice(end, end + 5))
          text += unicode
            ? String.fromCharCode(Number.parseInt(unicode[1] as string, 16))
            : ({ n: '\n', r: '\r', t: '\t' }[next] ?? next)
          end += unicode ? (unicode[1] as string).length : 0
        } else text += command[end]
        end++
      }
      word = (word ?? '') + text
      at = end
    } else if (one === '"') {
      let end = at + 1
      let text = ''
      while (end < command.length && command[end] !== '"') {
        if (command[end] === '\\' && /["\\$`\n]/.test(command[end + 1] ?? '')) end++
        text += command[end++]
      }
      word = (word ?? '') + text
      at = end
    } else if (one === '\\') {
      const next = command[++at]
      if (next !== '\n' && next !== '\r' && next !== undefined) word = (word ?? '') + next
    } else if (/\s/.test(one)) {
      if (word !== undefined) words.push(word)
      word = undefined
    } else word = (word ?? '') + one
  }
  if (word !== undefined) words.push(word)
  return words
}
