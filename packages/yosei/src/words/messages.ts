/**
 * The words of errors. Each completes the sentence that the address begins: “query.limit *must be at most 50*”.
 * A catalogue has a text for each code, or for a code and its variant (`wrong_type.flag`), with places for what
 * failed: `{limit}`, and `{limit|character|characters}` for the word that goes with one or with more.
 */

import { spoken } from '../catalogue/spoken.js'
import { mendNumber } from '../grammar/numbers.js'
import { writeInstant } from '../grammar/times.js'
import { alternatives, Moment, Phrase, Place, quoted, Said, type Speech, Unshown } from '../kinds/phrase.js'
import type { Fault } from '../kinds/run.js'
import { conditionOf } from '../rules/brought.js'
import type { AnyCondition } from '../rules/condition.js'
import { type Path, tellAddress } from '../terms/address.js'
import type { Catalogue } from '../terms/hooks.js'

/** A catalogue, and how what it speaks of is written: as it is, or for the inside of a JSON string. */
export interface Wording {
  /** The text of a code, or of its variant; or of anything else that a catalogue has. */
  text(code: string, variant?: string): string | undefined
  write(text: string): string
  /** What a place is called. */
  address(path: Path): string
  /** A quotation mark, written. */
  readonly mark: string
}

const wordings = { plain: new WeakMap<Catalogue, Wording>(), json: new WeakMap<Catalogue, Wording>() }

/** The words of a catalogue, to be read as they are or to be put into JSON. */
export function wordingOf(catalogue: Catalogue, form: keyof typeof wordings = 'plain'): Wording {
  const known = wordings[form].get(catalogue)
  if (known) return known
  const write = form === 'json' ? writeJson : (text: string) => text
  // A code of a service's own may be called like what every object has.
  const own = (key: string) => (Object.hasOwn(catalogue, key) ? catalogue[key] : undefined)
  const texts = new Map<string, Map<string | undefined, string | undefined>>()
  const wording: Wording = {
    text(code, variant) {
      let variants = texts.get(code)
      if (!variants) {
        variants = new Map()
        if (texts.size < mostKept) texts.set(code, variants)
      }
      const known = variants.get(variant)
      if (known !== undefined || variants.has(variant)) return known
      const text = (variant === undefined ? undefined : own(`${code}.${variant}`)) ?? own(code)
      const written = text === undefined ? undefined : write(text)
      if (variants.size < mostKept) variants.set(variant, written)
      return written
    },
    write,
    address: tellAddress,
    mark: write('"'),
  }
  wordings[form].set(catalogue, wording)
  return wording
}

/** Codes and own words may be made up for each error, so not every one is kept. */
const mostKept = 2000

const escaped = /[\u0000-\u001f"\\\ud800-\udfff]/
/** The inside of a JSON string. Most texts need no escape, which is soon seen. */
const writeJson = (text: string) => (escaped.test(text) ? JSON.stringify(text).slice(1, -1) : text)

/**
 * The message of a fault: own words, as a function says them or with their places filled; else the catalogue's and what
 * was sent.
 */
export function wordFault(fault: Fault, wording: Wording = wordingOf(spoken())): string {
  const { code, saidAs = code, limit, about } = fault
  const isQuoted = fault.variant?.startsWith('quoted') ?? false
  const own = ownWords(fault)
  const when = about?.when as AnyCondition | undefined
  const unless =
    when && own === undefined ? unlessOf(when, wording.text(code) === undefined ? saidAs : code, wording) : undefined
  const variant = fault.variant ?? (unless ? 'unless' : fault.node?.kind)
  const said = typeof own === 'function' ? saidBy(own, fault) : undefined
  if (said !== undefined) return wording.write(bounded(said))
  const sent =
    fault.sent === undefined
      ? undefined
      : fault.sent instanceof Unshown
        ? wording.text(`sent.${fault.sent.kind}`)
        : isQuoted
          ? fill(wording.text(`sent.quoted.${typeof fault.sent}`) ?? '{sent}', { sent: quote(fault.sent, wording) })
          : quote(fault.sent, wording)
  const values = about ? shown(about, wording) : {}
  if (limit !== undefined)
    values.limit = show(Array.isArray(limit) || isQuoted ? quoted(limit, isQuoted) : limit, wording)
  values.sent = sent
  if (about) {
    const value = quote(about.value, wording)
    if (value !== undefined && 'value' in about) values.other = `${values.other} (${value})`
    if (when) values.when = wordCondition(unless ?? when, wording)
  }
  // Own words may be the name of a text that the catalogues have in each language.
  if (typeof own === 'string') {
    const words = (isName.test(own) ? wording.text(own) : undefined) ?? wording.write(bounded(own))
    const whole = sent === undefined ? withoutSent(words) : words
    if (whole !== '') return fill(whole, values)
  }
  const other = wording.text('other') ?? ''
  // A rule of one's own may take a code of ours, and knows nothing of what its words tell.
  const message = fill(wording.text(code, variant) ?? wording.text(saidAs, variant) ?? other, values, other)
  const around = sent === undefined ? undefined : wording.text('sent')
  const whole = around === undefined ? message : fill(around, { message, sent })
  const mend = hinted(fault)
  if (fault.hint === undefined || mend === undefined) return whole
  return fill(wording.text(`hint.${fault.hint}`) ?? '{message}', { message: whole, mend: wording.write(mend) })
}

/** Own words without the clauses that speak of what was sent, if that is not told. */
function withoutSent(words: string): string {
  if (!words.includes('{sent')) return words
  return words
    .split(/(?=[;,(–—])/)
    .filter((clause) => !clause.includes('{sent'))
    .join('')
    .trim()
}

/** What a hint goes into; `undefined` if there is nothing to say. */
function hinted({ hint, sent, node, about }: Fault): string | undefined {
  if (hint !== 'written') return String(about?.mend ?? '')
  return typeof sent === 'string' && node
    ? mendNumber(sent, node.kind === 'integer' || node.kind === 'bigInteger')
    : undefined
}

/** What a rule waits for not to hold, if that has no short clause of its own: `must be sent unless …`. */
function unlessOf(when: AnyCondition, code: string, wording: Wording): AnyCondition | undefined {
  if (when.condition !== 'not' || wording.text(code, 'unless') === wording.text(code)) return undefined
  return conditionOf(when.of).negated(when.of, () => '') === undefined ? when.of : undefined
}

const isName = /^[a-z][a-zA-Z0-9_]*(?:\.[a-zA-Z0-9_]+)?$/

/** Own words may be made of what was sent: more of them than this is not told. */
const longestWords = 4000
const bounded = (text: string) => (text.length > longestWords ? `${text.slice(0, longestWords)}…` : text)

/** A condition as the clause that a message ends with. */
function wordCondition(condition: AnyCondition, wording: Wording): string {
  const speech = speechOf(wording)
  const say = (key: string, about: { readonly [name: string]: unknown }) =>
    speech.say(key, Array.isArray(about.value) ? { ...about, value: new Said(oneOf(about.value)) } : about)
  const oneOf = (values: readonly unknown[]) =>
    values.length > mostListed
      ? speech.show(quoted(values))
      : alternatives(
          values.map((one) => speech.show(quoted(one))),
          speech,
        )
  const clause = (one: AnyCondition): string => {
    const inner = one.condition === 'not' ? conditionOf(one.of).negated(one.of, say) : undefined
    return inner ?? conditionOf(one).words(one, say, clause)
  }
  return clause(condition)
}

/** What goes into the places of a text, written for where the text will stand. */
type Values = { [name: string]: string | undefined }

function shown(about: { readonly [name: string]: unknown }, wording: Wording): Values {
  const values: Values = {}
  for (const name in about) if (about[name] !== undefined) values[name] = show(about[name], wording)
  return values
}

type OwnWords = string | ((about: { readonly limit?: unknown; readonly sent?: unknown }) => string)

function ownWords({ messages, node, code }: Fault): OwnWords | undefined {
  const words = messages ?? (node?.kind === 'readAs' ? (node.message ?? node.base.messages) : node?.messages)
  if (typeof words === 'string' || words === undefined) return words
  return Object.hasOwn(words, code) ? words[code] : undefined
}

/** What a function says of a fault; the catalogue has words where it fails. */
function saidBy(words: Exclude<OwnWords, string>, { limit, sent }: Fault): string | undefined {
  try {
    return String(words({ limit, sent: sent instanceof Unshown ? undefined : spelled(sent) }))
  } catch {
    return undefined
  }
}

/** What was sent, with an instant as its text. */
export const spelled = (sent: unknown): unknown => (sent instanceof Moment ? writeInstant(sent.instant) : sent)

/** A place in a template: the value of a name, or one of two words by its number. */
interface Slot {
  readonly place: string
  readonly name: string
  readonly one: string | undefined
  readonly more: string | undefined
}
const templates = /* @__PURE__ */ new Map<string, readonly (string | Slot)[]>()
function partsOf(template: string): readonly (string | Slot)[] {
  const known = templates.get(template)
  if (known) return known
  const parts: (string | Slot)[] = []
  let end = 0
  for (const found of template.matchAll(/\{([a-z]+)(?:\|([^|}]*)\|([^|}]*))?\}/gi)) {
    const [place, name = '', one, more] = found
    if (found.index > end) parts.push(template.slice(end, found.index))
    parts.push({ place, name, one, more })
    end = found.index + place.length
  }
  if (end < template.length) parts.push(template.slice(end))
  if (templates.size < mostKept && template.length < 500) templates.set(template, parts)
  return parts
}

/** Puts values in the places of a template; a name without a value stays as it stands, or `other` takes the place of all. */
export function fill(template: string, values: Readonly<Values>, other?: string): string {
  let text = ''
  for (const part of partsOf(template)) {
    if (typeof part === 'string') text += part
    else if (Object.hasOwn(values, part.name) && values[part.name] !== undefined)
      text += part.one === undefined ? values[part.name] : Number(values[part.name]) === 1 ? part.one : part.more
    else if (other === undefined) text += part.place
    else return other
  }
  return text
}

const speechOf = (wording: Wording): Speech => ({
  say: (key, values) => fill(wording.text(key) ?? '', shown(values, wording)),
  show: (value) => show(value, wording),
  address: wording.address,
})

function show(value: unknown, wording: Wording): string {
  if (typeof value === 'number') return String(value)
  if (value instanceof Date) return writeInstant(value)
  if (value instanceof Place) {
    const [address, there] = [wording.write(wording.address(value.path)), quote(value.value, wording)]
    return value.value === undefined || there === undefined ? address : `${address} (${there})`
  }
  if (value instanceof Phrase) return value.words(speechOf(wording))
  if (value instanceof Moment) return writeInstant(value.instant)
  if (Array.isArray(value)) return listed(value, wording)
  // What was sent may have a `toString` of its own.
  return typeof value === 'object' && value !== null ? '…' : wording.write(bounded(String(value)))
}

/** A message lists so many values, and counts the rest. */
const mostListed = 20
const longestListed = 100

function listed(values: readonly unknown[], wording: Wording): string {
  const isLong = values.length > mostListed + 4
  const told = (isLong ? values.slice(0, mostListed) : values).map((one) => {
    const text = show(one, wording)
    return text.length > longestListed ? `${[...text].slice(0, longestListed - 1).join('')}…` : text
  })
  const list = told.join(', ')
  return isLong
    ? fill(wording.text('list.more') ?? '{list} …', { list, more: String(values.length - told.length) })
    : list
}

const longest = 40

/** What was sent, as the sender would recognise it: shortened, and never more than a scalar. */
function quote(given: unknown, { write, mark }: Wording): string | undefined {
  if (given instanceof Date) return writeInstant(given)
  const value = spelled(given)
  if (typeof value === 'object' && value !== null) return undefined
  if (typeof value !== 'string') return shorten(String(value))
  return value.length < longest - 1 && !escaped.test(value)
    ? mark + value + mark
    : write(shorten(JSON.stringify(value.slice(0, 2 * longest))))
}

function shorten(text: string): string {
  if (text.length <= longest) return text
  const points = [...text.slice(0, 2 * longest + 2)]
  return points.length > longest ? `${points.slice(0, longest - 1).join('')}…` : text
}
