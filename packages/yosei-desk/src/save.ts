/** A draft as a sample in a book: every byte that is not its own stays. */
import { applyEdits, modify } from 'jsonc-parser'
import type { Message } from 'yosei'
import { type Matter, stampOf, verdictOn } from './bench.js'
import { draftOf, messageOf } from './draft.js'
import type { BookSample } from './kit.js'
import type { Decision, OpenLine, Saved, SaveOrder } from './terms.js'

/** Stands where a secret was. */
const masked = '(secret)'

/** A page, and whether all its lines are decided. */
export interface Made {
  readonly page: string
  readonly saved: Omit<Saved, 'change'>
  /** The lines that need a decision. */
  readonly open: readonly OpenLine[]
  /** Whether each has one. Until then each stays. */
  readonly isDecided: boolean
}

/**
 * The page of a book with the draft as a sample: at its end, or in place of the one with an index. Its verdict is the one
 * that the sample gets as it is written; in place, lines of the verdict that still hold stay. Secrets are left out, but for
 * those that the book has already.
 *
 * @throws RangeError if it cannot be written down.
 */
export async function savedPage(
  matter: Matter,
  page: string,
  { draft, title, file, decisions = [] }: SaveOrder,
  replaced: number | undefined,
): Promise<Made> {
  const { kit, files } = matter
  const message = messageOf(draft, files)
  if ('reason' in message)
    throw new RangeError(`line ${message.line}: ${message.reason}; only a request message can be kept in a book`)
  const samples = kit.readBook(page)
  const old = replaced === undefined ? undefined : samples[replaced]
  const before = old ?? samples.at(-1)
  const { now, who } = before ? draftOf(before) : {}
  const asking = oneLine(draft.who ?? '')
  // A line of its own would be another setting.
  if (draft.now !== undefined && !(isInstant.test(draft.now) && Number.isFinite(Date.parse(draft.now))))
    throw new RangeError(`the clock ${JSON.stringify(draft.now)} is no date-time; write it as 2031-03-01T12:00:00Z`)
  const isSet = sameTime(now, draft.now) && (who ?? '') === asking
  if (old && !isSet)
    throw new RangeError('its clock and caller are set by the book for all samples after it; save it as a new one')
  const index = replaced ?? samples.length
  const written = (one: Message, settings: readonly string[]) => {
    const text = { ...one, body: typeof one.body === 'string' ? one.body.replaceAll('\r\n', '\n') : one.body }
    if (/[\u0000]/.test(`${title}${draft.message}`))
      throw new RangeError('it cannot be written down: a book reads U+0000 as another character')
    if (!kit.isWritable(text)) throw new RangeError('it cannot be written down: it is no text, or too large')
    if (old) return kit.withRequest(page, old, text)
    const end = /\r\n/.test(page) ? '\r\n' : '\n'
    const block = kit.blockOf(kit.plainTitle(title) || 'Untitled', text, ['accepted'], settings)
    return `${page}${page === '' || page.endsWith('\n') ? '' : end}${page === '' ? '' : end}${block.replaceAll('\n', end)}${end}`
  }
  const at = (whole: string) => kit.readBook(whole)[index] as BookSample
  // What the book adds to a message that has no header fields is what it adds to all.
  const added = new Map(at(written({ ...message, headers: [] }, [])).message.headers)
  const isAdded = ([name, value]: readonly [string, string]) =>
    added.has(name) && (value === masked || value === added.get(name))
  // A block of settings ends those before it: what the request has of theirs is set again.
  const again = message.headers.filter(isAdded).map(([name]) => `header: ${name}: ${added.get(name)}`)
  const settings = isSet
    ? []
    : [...(draft.now ? [`now: ${draft.now}`] : []), ...(asking === '' ? [] : [`who: ${asking}`]), ...again]
  const headers = message.headers.flatMap(([name, value]): [string, string][] => {
    if (isAdded([name, value])) return []
    return [[name, value === masked ? (headerIn(old, name) ?? value) : value]]
  })
  const asked = written({ ...message, headers, body: unmasked(message.body, old?.message.body) }, settings)
  const verdict = await verdictOn(matter, draftOf(at(asked)))
  // Assertions that still hold are not written again.
  const revised = (by: readonly Decision[]) =>
    old ? kit.revised(matter.app, asked, at(asked), verdict, by) : { lines: kit.verdictOf(verdict), open: [] }
  const { open } = revised([])
  // The book may have changed since it was asked: a decision is of the line that it was made for, and of no other.
  const isDecided = open.every(({ was, now }, at) => decisions[at]?.was === was && decisions[at]?.now === now)
  const { lines } = revised(isDecided ? decisions.map(({ decision }) => decision) : [])
  const whole = kit.withVerdicts(asked, [{ sample: at(asked), verdict: lines }])
  const saved = { id: `${file}#${index + 1}`, stamp: stampOf(matter, at(whole), verdict) }
  return { page: whole, saved, open, isDecided }
}

const isInstant = /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(?:\.\d+)?(?:Z|[+-]\d\d:\d\d)$/i

const sameTime = (one: string | undefined, other: string | undefined) =>
  one === other || (one !== undefined && other !== undefined && Date.parse(one) === Date.parse(other))
/** JSON as a book has it. */
function oneLine(json: string): string {
  try {
    return JSON.stringify(JSON.parse(json))
  } catch {
    return ''
  }
}
const headerIn = (sample: BookSample | undefined, name: string) =>
  sample?.message.headers.find(([own]) => own === name)?.[1]

/** A body of JSON with the secrets that the one before it had at the same places. */
function unmasked(body: Message['body'], before: Message['body'] | undefined): Message['body'] {
  if (typeof body !== 'string' || typeof before !== 'string' || !body.includes(masked)) return body
  let [now, then]: unknown[] = []
  try {
    now = JSON.parse(body)
    then = JSON.parse(before)
  } catch {
    return body
  }
  let text = body
  const look = (one: unknown, other: unknown, path: (string | number)[]): void => {
    if (one === masked && other !== undefined) text = applyEdits(text, modify(text, path, other, {}))
    if (typeof one !== 'object' || one === null || typeof other !== 'object' || other === null) return
    for (const [name, below] of Object.entries(one))
      if (Object.hasOwn(other, name))
        look(below, (other as { readonly [name: string]: unknown })[name], [
          ...path,
          Array.isArray(one) ? Number(name) : name,
        ])
  }
  look(now, then, [])
  return text
}
