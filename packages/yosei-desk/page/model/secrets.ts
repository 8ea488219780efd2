/** What of a message may be a secret: it is shown as dots, and left out of what leaves the page. */
import { secretHeaders } from '../../src/secret.ts'
import type { FieldOutline } from '../../src/terms.ts'
import { entryOf, holdsSecret, isSecretPair } from './declared.ts'
import { leaf, rawAt, type Scene, shownText } from './edits.ts'
import { type Codec, cookiesIn, type Ledger, mostLines } from './lines.ts'
import { boundaryOf, cut, encoded, pairsIn, put, type Slice } from './message.ts'

export interface Hidden {
  readonly slice: Slice
  readonly codec: Codec
  /** Whether more than a value is meant, since what is in it could not be reported. */
  readonly isUntold: boolean
}

/** Stands where a secret was. */
const mask = '(secret)'

/**
 * Every place where a secret may stand, from the first to the last, none inside of another. What could not be taken
 * apart is hidden from the first word on that names a secret.
 */
export function hiddenIn({ text, ledger, outline }: Scene): readonly Hidden[] {
  const { pieces, lines, syntax } = ledger
  const found: Hidden[] = []
  const add = (slice: Slice | undefined, codec: Codec, isUntold = false) => {
    if (slice && slice.from < slice.to) found.push({ slice, codec, isUntold })
  }
  if (!pieces) {
    add({ from: 0, to: text.length }, 'plain', true)
    return found
  }
  for (const { slice, codec, isSecret, isHead } of lines) if (isSecret && !isHead) add(slice, codec)
  // A name that is sent twice has one line, and two values.
  for (const { name, value } of pieces.headers)
    if (name === 'cookie')
      for (const { value: own, whole } of cookiesIn(text, value)) add(own && own.from < own.to ? own : whole, 'percent')
    else if (secretHeaders.has(name) || isSecretPair(name, outline.header, outline)) add(value, 'plain')
  for (const { name, value } of pieces.query) if (isSecretPair(name, outline.query, outline)) add(value, 'percent')
  for (const stray of pieces.strays) add(stray, 'plain', true)
  const isIn = (fields: Scene['outline']['path']) => Object.values(fields).some((field) => holdsSecret(field, outline))
  const isMatched = lines.some(({ part, slice, depth }) => part === 'path' && depth > 0 && slice)
  if (isIn(outline.path) && !isMatched) add(pieces.path, 'plain', true)
  if (isIn(outline.body)) {
    if (syntax === 'form') {
      const fields = Object.assign({}, ...Object.values(outline.body).map(({ fields }) => fields ?? {}))
      for (const { name, value, whole } of pairsIn(text, pieces.body))
        if (isSecretPair(name, fields, outline) || !value) add(value ?? whole, 'percent')
    } else if (!isTold(text, ledger)) {
      const from = firstMention(cut(text, pieces.body), outline)
      if (from !== undefined) add({ from: pieces.body.from + from, to: pieces.body.to }, 'plain', true)
    }
  }
  found.sort((a, b) => a.slice.from - b.slice.from || b.slice.to - a.slice.to)
  let end = 0
  return found.filter(({ slice }) => {
    if (slice.from < end) return false
    end = slice.to
    return true
  })
}

/** Where a body begins to speak of a secret: behind its name, or at once if it has none, or is written with escapes. */
function firstMention(body: string, outline: Scene['outline']): number | undefined {
  const places = [...secretNames(outline)].flatMap((name) => {
    const at = name === '' ? 0 : body.indexOf(name)
    return at < 0 ? [] : [at + name.length]
  })
  const escaped = body.indexOf('\\u')
  const all = escaped < 0 ? places : [...places, escaped]
  return all.length === 0 ? undefined : Math.min(...all)
}

/** The names under which secrets stand in bodies; nothing for one that has none. */
function secretNames({ body, definitions = {} }: Scene['outline']): ReadonlySet<string> {
  const names = new Set<string>()
  const seen = new Set<FieldOutline>()
  const look = (field: FieldOutline | undefined, name: string): void => {
    if (!field || (seen.has(field) && !field.secret)) return
    seen.add(field)
    if (field.secret) names.add(name)
    const { fields = {}, item, items = [], base, branches = {}, of } = field
    for (const [own, one] of Object.entries(fields)) look(one, own)
    const others = [item, ...items, entryOf(field), base, definitions[of ?? '']]
    for (const one of [...others, ...Object.values(branches)]) look(one, name)
  }
  for (const field of Object.values(body)) look(field, '')
  return names
}

/** Whether each value of the body has its line. */
function isTold(text: string, { pieces, lines, syntax }: Ledger): boolean {
  if (!pieces || lines.length >= mostLines) return false
  const body = cut(text, pieces.body)
  const isOnce = lines.every(
    ({ part, times, isHead, adds }) => part !== 'body' || times < 2 || (isHead && adds === 'element'),
  )
  if (syntax === 'json') return isOnce && (body === '' || isJson(body))
  if (syntax === 'lines') return isOnce && body.split('\n').every((line) => line.trim() === '' || isJson(line))
  if (syntax !== 'parts') return true
  const type = pieces.headers.find(({ name }) => name === 'content-type')
  const mark = `--${(type && boundaryOf(cut(text, type.value))) ?? ''}`
  const parts = lines.filter(({ path, codec, whole }) => whole && codec === 'part' && path.length < 4).length
  const values = lines.filter(({ codec, slice, path }) => codec === 'json' && slice && path.length === 2)
  const isEach = values.every((line) => isJson(rawAt(text, line)))
  const isWhole = body.startsWith(mark) && body.trimEnd().endsWith(`${mark}--`)
  return mark !== '--' && isOnce && isEach && isWhole && body.split(mark).length - 2 === parts + values.length
}

const isJson = (json: string): boolean => {
  try {
    JSON.parse(json)
    return true
  } catch {
    return false
  }
}

/** The text without what may be secret, and without files where those are to go too. */
export function withoutSecrets(scene: Scene, isWithoutFiles = false): string {
  const files = isWithoutFiles
    ? scene.ledger.lines.filter(({ slice, field, isSecret }) => slice && !isSecret && leaf(field).kind === 'file')
    : []
  const gone = [
    ...hiddenIn(scene).map(({ slice, codec, isUntold }) => ({ slice, by: written(mask, isUntold ? 'plain' : codec) })),
    ...files.map(({ slice, codec }) => ({ slice: slice as Slice, by: written('(file)', codec) })),
  ]
  return gone
    .sort((a, b) => b.slice.from - a.slice.from)
    .reduce((text, { slice, by }) => put(text, slice, by), scene.text)
}
const written = (word: string, codec: Codec) =>
  codec === 'json' ? JSON.stringify(word) : codec === 'percent' ? encoded(word) : word

/** The addresses of secrets that were left out. */
export const secretsLeftOut = (scene: Scene): readonly string[] => maskedIn(scene).map(({ address }) => address)
const maskedIn = ({ ledger, text }: Scene) =>
  ledger.lines.filter(
    (line) => line.isSecret && !line.isHead && line.slice && shownText(rawAt(text, line), line) === mask,
  )

/** The texts that no output shows. */
export const secretTexts = (scene: Scene): readonly string[] =>
  hiddenIn(scene).flatMap(({ slice, codec }) => {
    const raw = cut(scene.text, slice)
    return [raw, codec === 'json' ? raw.replace(/^"|"$/g, '') : raw].filter((one) => one.length > 2)
  })

/** The text with the secrets that another one has at the same lines, if they were left out. */
export function withSecretsOf(scene: Scene, other: Scene): string {
  const known = new Map(other.ledger.lines.map((line) => [line.address, line]))
  return maskedIn(scene)
    .sort((a, b) => (b.slice as Slice).from - (a.slice as Slice).from)
    .reduce((text, { address, slice }) => {
      const own = known.get(address)?.slice
      return own ? put(text, slice as Slice, cut(other.text, own)) : text
    }, scene.text)
}
