/** Rejections as HTTP answers: problem documents, pages, and plain text. */

import { newId } from '../judge/journal.js'
import { grouped, noHeaders, originOf, type Rejection, verdictOf } from '../judge/verdict.js'
import { formatPointer } from '../terms/address.js'
import type { Catalogue, House, Problem } from '../terms/hooks.js'
import { titles } from '../terms/statuses.js'
import type { Rejected } from '../terms/verdict.js'
import { catalogueFor } from '../words/catalogue.js'
import { languageFor, shipped } from '../words/languages.js'
import { fill, type Wording, wordFault, wordingOf } from '../words/messages.js'
import { named } from '../words/naming.js'
import { chooseForm, type Form, forms } from './negotiate.js'
import { page } from './page.js'
import type { Reply } from './reply.js'

/** What the client would rather read. */
export interface Wishes {
  readonly accept: string | undefined
  readonly language: string | undefined
}

/**
 * The answer to a rejected request: its status, its header fields, and a problem document with every error at its
 * field. It is a page or plain text if the client prefers that, in a language that the client reads. The request is a
 * fetch Request, or an object with header fields, such as Node's.
 *
 * @example
 * if (verdict.outcome === 'rejected') return answer(verdict, request)
 */
export function answer(
  verdict: Rejected,
  request?: {
    /** The header fields of the request: `accept` and `accept-language` choose the form and the language. */ readonly headers?:
      | Headers
      | object
  },
): Response {
  const sent = new Headers(request?.headers as Headers)
  const wishes = { accept: sent.get('accept') ?? undefined, language: sent.get('accept-language') ?? undefined }
  const { status, headers, body } = replyTo(originOf(verdict), wishes, newId())
  return new Response(body as string, { status, headers })
}

/** The languages of an answer: English too, if a language that is not shipped whole has no word of its own. */
function writtenIn(language: string, { faults, house }: Rejection): string {
  const words = house?.languages
  if (language === 'en' || faults.length === 0) return language
  const has = (key: string) =>
    Object.hasOwn(words?.[language] ?? {}, key) || Object.hasOwn(shipped[language] ?? {}, key)
  const isSaid = ({ code, variant, messages }: (typeof faults)[number]) =>
    typeof messages === 'string' ? has(messages) || !hasWord(messages) : has(`${code}.${variant}`) || has(code)
  const hasWord = (key: string) => Object.hasOwn(words?.en ?? {}, key)
  return faults.every(isSaid) ? language : `${language}, en`
}

/** The answer in its pieces. `id` is the request's. */
export function replyTo(rejection: Rejection, wishes: Wishes, id: string): Reply {
  const { status, house } = rejection
  const language = languageFor(wishes.language, house?.languages)
  const catalogue = catalogueFor(language, house?.languages, shipped)
  if (house?.envelope) {
    const { text, type } = enveloped(rejection, house.envelope, catalogue, id)
    return { status, headers: headersOf(rejection, type, writtenIn(language, rejection)), body: text }
  }
  const form = chooseForm(wishes.accept)
  const body =
    form === forms[0]
      ? writeProblem(rejection, catalogue, id)
      : // A page may write one character in six, so its fields have less room.
        written(form, problemOf(rejection, catalogue, id, rejection.room / 6), language, catalogue)
  return { status, headers: headersOf(rejection, form, writtenIn(language, rejection)), body }
}

/** The most bytes of any answer. */
const mostBytes = 256_000

/** The body that an envelope makes. One that would be too large is made of fewer errors, the rest being counted. */
function enveloped(
  rejection: Rejection,
  envelope: NonNullable<House['envelope']>,
  catalogue: Catalogue,
  id: string,
): { readonly text: string; readonly type: string } {
  const write = typeof envelope === 'function' ? envelope : envelope.write
  const problem = problemOf(rejection, catalogue, id, Number.POSITIVE_INFINITY)
  const { body, type = 'application/json' } = write(verdictOf(rejection, catalogue), problem)
  const text = typeof body === 'string' && type.startsWith('text/') ? body : JSON.stringify(body)
  const { faults, more } = rejection
  if (faults.length < 2 || text === undefined || text.length * 3 <= mostBytes || bytesOf(text) <= mostBytes)
    return { text, type }
  const kept = faults.slice(0, faults.length >> 1)
  return enveloped({ ...rejection, faults: kept, more: more + faults.length - kept.length }, envelope, catalogue, id)
}

function headersOf({ headers: own }: Rejection, type: string, language: string): Reply['headers'] {
  const headers: { [name: string]: string } = {
    'content-type': type.startsWith('text/') && !type.includes(';') ? `${type}; charset=utf-8` : type,
    'content-language': language,
    'cache-control': 'no-store',
    vary: 'Accept, Accept-Language',
  }
  if (type === 'text/html') headers['content-security-policy'] = "default-src 'none'; style-src 'unsafe-inline'"
  return own === noHeaders ? headers : { ...headers, ...own }
}

function written(
  form: Exclude<Form, (typeof forms)[0]>,
  problem: Problem,
  language: string,
  catalogue: Catalogue,
): string {
  if (form === 'text/html') return page(problem, language, catalogue)
  const lines = Object.entries(problem.fields ?? {}).flatMap(([address, errors]) =>
    errors.map(({ detail }) => `${sentence(address, detail, wordingOf(catalogue))}\n`),
  )
  return `${problem.status} ${problem.title}\n${lines.length > 0 ? lines.join('') : `${problem.detail}\n`}\n${problem.instance}\n`
}

/** What is wrong, as a sentence: the request as a whole has no address to begin it. */
const sentence = (address: string, message: string, wording: Wording) =>
  address === '' ? fill(wording.text('detail.placeless') ?? '{message}', { message }) : `${address} ${message}`

/** What a problem document says besides its fields: of what is wrong first, and how much more there is. */
function detailOf(
  failure: Rejection['failure'],
  first: string | undefined,
  others: number,
  wording: Wording,
): string | undefined {
  if (first === undefined) return wording.text(`detail.${failure}`) ?? wording.text('detail.other')
  return others > 0 ? fill(wording.text('detail.more') ?? '{first}', { first, more: String(others) }) : first
}

const problemOf = (rejection: Rejection, catalogue: Catalogue, id: string, room: number): Problem =>
  JSON.parse(writeProblem(rejection, catalogue, id, room))

/** What a document has besides its fields, with room to spare. */
const around = 1000

/**
 * The text of a problem document: written at once, since an object with addresses for names is slow to make and to
 * write. Errors that have no room any more are counted with those that were not listed.
 */
function writeProblem(rejection: Rejection, catalogue: Catalogue, id: string, room = rejection.room): string {
  const { status, faults, more, house } = rejection
  const naming = house?.naming
  const wording = named(wordingOf(catalogue, 'json'), naming)
  const { write } = wording
  let first: string | undefined
  let before: string | undefined
  let fields = ''
  let told = 0
  for (const fault of naming ? grouped(faults, wording.address) : faults) {
    const { path, code } = fault
    const raw = wording.address(path)
    // Of our own addresses only names in brackets can have anything to escape.
    const isPlain = !naming && !raw.includes('"')
    const address = isPlain ? raw : write(raw)
    const detail = wordFault(fault, wording)
    const pointer = path[0] === 'body' ? formatPointer(path) : undefined
    // Errors of one address follow one another.
    let field = address === before ? ',' : `${before === undefined ? ',"fields":{' : '],'}"${address}":[`
    field += `{"code":"${write(code)}","detail":"${detail}"`
    if (pointer !== undefined) field += `,"pointer":"${isPlain ? pointer : write(pointer)}"`
    // A character has at most three bytes, so most answers need not be counted.
    const length = around + (first ?? '').length + fields.length + field.length
    if (told > 0 && length * 3 > room && around + bytesOf(first ?? '') + bytesOf(fields) + bytesOf(field) > room) break
    first ??= sentence(address, detail, wording)
    before = address
    fields += `${field}}`
    told++
  }
  if (before !== undefined) fields += ']}'
  const title = titles[status] ?? 'Rejected'
  const detail = detailOf(rejection.failure, first, faults.length - 1 + more, wording)
  const rest = faults.length - told + more
  const others = rest > 0 ? `,"more":${rest}` : ''
  return `{"type":"about:blank","title":"${title}","status":${status},"detail":"${detail}","instance":"urn:uuid:${id}"${fields}${others}}`
}

const bytesOf = (text: string): number => {
  let bytes = text.length
  for (let i = 0; i < text.length; i++) {
    const code = text.charCodeAt(i)
    if (code > 0x7f) bytes += code > 0x7ff ? 2 : 1
  }
  return bytes
}
