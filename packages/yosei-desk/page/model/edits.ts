/** What can be done to a line: each gives the whole message as it is then. */

import type { Node } from 'jsonc-parser'
import type { Path } from 'yosei'
import type { EndpointOutline, FieldOutline } from '../../src/terms.ts'
import { entryOf, isFree } from './declared.ts'

import { type Ledger, type Line, ledgerOf, treeOf } from './lines.ts'
import { boundaryOf, cut, decoded, encoded, plainlyDecoded, put, type Slice, segmentEncoded } from './message.ts'

/** What the page is about: the text, and how it is read. */
export interface Scene {
  readonly text: string
  readonly ledger: Ledger
  readonly outline: EndpointOutline
  readonly base: string
}
export const sceneOf = (outline: EndpointOutline, base: string, text: string, blamed?: readonly string[]): Scene => ({
  text,
  outline,
  base,
  ledger: ledgerOf(outline, base, text, blamed),
})

/** What is sent at a line, as it stands in the message. */
export const rawAt = (text: string, { slice }: Line): string => (slice ? cut(text, slice) : '')

/** A value as a person reads and types it. */
export function shownText(raw: string, { codec, part }: Pick<Line, 'codec' | 'part'>): string {
  if (codec === 'percent') return part === 'path' || part === 'cookie' ? plainlyDecoded(raw) : decoded(raw)
  if (codec !== 'json' || !raw.startsWith('"')) return raw
  try {
    return JSON.parse(raw) as string
  } catch {
    return raw
  }
}

const literal = /^(?:true|false|null|-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?)$/
/** Kinds whose values JSON has no quotes around. */
const bare = new Set(['integer', 'number', 'flag', 'bigInteger', 'anything', 'schema', 'constant', 'choice', 'either'])

/** What a person typed, as the message carries it. */
function rawOf({ codec, field, slice, part }: Line, typed: string, text: string): string {
  if (codec === 'percent') return part === 'path' ? segmentEncoded(typed) : encoded(typed)
  if (codec === 'plain')
    return part === 'header' ? typed.replace(/\r?\n/g, ' ') : part === 'path' ? typedPath(typed) : typed
  if (codec === 'part') return typed
  const kind = leaf(field).kind
  const before = slice ? cut(text, slice) : ''
  const isBare = bare.has(kind) && !(quoted(field) || (before.startsWith('"') && isFree({ kind })))
  // A number that JSON would round is sent as text.
  const isExact = kind !== 'bigInteger' || Number.isSafeInteger(Number(typed))
  return isBare && isExact && literal.test(typed) ? typed : JSON.stringify(typed)
}
/** A path as it was typed; what would end it is encoded. */
const typedPath = (path: string) => path.replace(/[\s?#]/g, (one) => encodeURIComponent(one))
/** A field of these values alone is sent in quotes. */
function quoted(field: FieldOutline | undefined): boolean {
  const { kind, values = [], value } = leaf(field)
  return (
    (kind === 'choice' && values.every((one) => typeof one === 'string')) ||
    (kind === 'constant' && typeof value === 'string')
  )
}
export const leaf = (field: FieldOutline | undefined): FieldOutline => {
  let one = field
  while (one?.base) one = one.base
  return one ?? { kind: 'anything', need: 'optional' }
}

/** Sends what was typed. */
export const typed = (scene: Scene, line: Line, value: string): string =>
  sendRaw(scene, line, rawOf(line, value, scene.text))

/** Sends this as it stands. */
export function sendRaw(scene: Scene, line: Line, raw: string): string {
  const { text } = scene
  if (!line.slice) return inserted(scene, line, raw)
  const isBareName =
    line.codec === 'percent' &&
    line.whole?.to === line.slice.from &&
    line.part !== 'path' &&
    text[line.slice.from - 1] !== '='
  return put(text, line.slice, isBareName && raw !== '' ? `=${raw}` : raw)
}

/** Leaves the line out. */
export function leftOut(scene: Scene, line: Line): string {
  const { text, ledger } = scene
  const { whole, part, path, codec } = line
  if (!whole) return text
  if (codec === 'json' && ledger.syntax === 'json' && path.length > 1) return jsonEdited(scene, path, undefined)
  if (codec === 'json' && ledger.syntax === 'parts' && path.length > 2) return partEdited(scene, path, undefined)
  if (codec === 'json' && ledger.syntax === 'lines' && path.length > 2) return lineEdited(scene, path, undefined)
  if (part === 'cookie') return put(text, whole, '').replace(/;\s*;/, ';')
  if (codec === 'percent' && part !== 'path') return withoutPair(text, whole)
  return put(text, whole, '')
}

function withoutPair(text: string, { from, to }: Slice): string {
  if (text[from - 1] === '&') return put(text, { from: from - 1, to }, '')
  if (text[to] === '&') return put(text, { from, to: to + 1 }, '')
  return put(text, { from: text[from - 1] === '?' ? from - 1 : from, to }, '')
}

/** Sends it once more. */
export function sentTwice({ text }: Scene, { whole, codec, part }: Line): string {
  if (!whole) return text
  const again = cut(text, whole)
  const between =
    part === 'header' || codec === 'part' || part === 'path'
      ? ''
      : part === 'cookie'
        ? '; '
        : codec === 'percent'
          ? '&'
          : ', '
  return put(
    text,
    { from: whole.to, to: whole.to },
    `${between}${part === 'header' && !again.endsWith('\n') ? '\n' : ''}${again}`,
  )
}

/** Moves an element by so many places. */
export function moved(scene: Scene, line: Line, by: number): string {
  const { text, ledger } = scene
  const { element, path } = line
  if (!element) return text
  const parent = path.slice(0, -1)
  const other = ledger.lines.find(
    (one) =>
      one.path.length === path.length &&
      one.path.at(-1) === element.index + by &&
      parent.every((step, at) => one.path[at] === step),
  )
  const [first, second] = by < 0 ? [other, line] : [line, other]
  if (!first?.whole || !second?.whole) return text
  const [a, b] = [cut(text, first.whole), cut(text, second.whole)]
  return put(put(text, second.whole, a), first.whole, b)
}

/** Adds a name that may be declared or not. */
export function withName(scene: Scene, head: Line, name: string): string {
  const value = entryOf(leaf(head.field))
  const codec =
    head.part === 'query' || scene.ledger.syntax === 'form'
      ? 'percent'
      : head.part === 'header'
        ? 'plain'
        : scene.ledger.syntax === 'parts' && head.path.length === 1
          ? 'part'
          : 'json'
  const raw = codec === 'json' ? blankOf(value) : 'x'
  return inserted(
    scene,
    { ...head, path: [...head.path, name], slice: undefined, codec, field: value, isHead: false },
    raw,
  )
}

export const isRightBelow = (path: Path, parent: Path) =>
  path.length === parent.length + 1 && parent.every((step, index) => path[index] === step)

/** Something of the kind, for a person to go on with. */
export function blankOf(field: FieldOutline | undefined): string {
  const one = leaf(field)
  if (one.kind === 'record' || one.kind === 'table' || one.kind === 'tagged') return '{}'
  if (one.kind === 'list' || one.kind === 'tuple') return '[]'
  if (one.kind === 'integer' || one.kind === 'number' || one.kind === 'bigInteger') return '0'
  if (one.kind === 'flag') return 'true'
  const [first] = one.values ?? []
  return first === undefined ? '""' : JSON.stringify(first)
}

export function inserted(scene: Scene, line: Line, raw: string): string {
  const { text, ledger, outline, base } = scene
  const { pieces, syntax } = ledger
  const { part, path } = line
  const name = String(path[1] ?? '')
  if (!pieces) return text
  if (part === 'path') return put(text, pieces.path, filledPath(scene, name, raw))
  if (part === 'query') {
    const query = text.slice(pieces.path.to, pieces.target.to)
    const pair = `${encoded(pairName(path))}=${raw}`
    return put(
      text,
      { from: pieces.target.to, to: pieces.target.to },
      `${query === '' ? '?' : query.endsWith('?') || query.endsWith('&') ? '' : '&'}${pair}`,
    )
  }
  if (part === 'header')
    return put(
      text,
      { from: pieces.headEnd, to: pieces.headEnd },
      headerLine(text, pieces.headEnd, capitals(name), raw),
    )
  if (part === 'cookie') {
    const cookie = pieces.headers.find((one) => one.name === 'cookie')
    if (cookie) return put(text, { from: cookie.value.to, to: cookie.value.to }, `; ${name}=${raw}`)
    return put(
      text,
      { from: pieces.headEnd, to: pieces.headEnd },
      headerLine(text, pieces.headEnd, 'Cookie', `${name}=${raw}`),
    )
  }
  const typedText = withType(text, ledger)
  const next = typedText === text ? scene : sceneOf(outline, base, typedText)
  if (path.length === 1 || !syntax) return withBody(next, raw)
  if (syntax === 'json') return jsonEdited(next, path, raw)
  if (syntax === 'lines') {
    if (path.length > 2) return lineEdited(next, path, raw)
    const body = bodyOf(next)
    const line = raw.replace(/\s*\n\s*/g, ' ')
    return withBody(next, body === '' || body.endsWith('\n') ? `${body}${line}\n` : `${body}\n${line}`)
  }
  if (syntax === 'form') {
    const body = bodyOf(next)
    return withBody(next, `${body}${body === '' ? '' : '&'}${encoded(pairName(path))}=${raw}`)
  }
  if (syntax === 'parts')
    return path.length > 2 && line.codec === 'json' ? partEdited(next, path, raw) : withPart(next, name, raw, line)
  return withBody(next, raw)
}

const pairName = ([, name = '', ...more]: Path) =>
  `${name}${more.map((step) => (typeof step === 'number' ? '' : `[${step}]`)).join('')}`
const capitals = (name: string) => name.replace(/(^|-)[a-z]/g, (one) => one.toUpperCase())
const headerLine = (text: string, at: number, name: string, value: string) =>
  `${at > 0 && text[at - 1] !== '\n' ? '\n' : ''}${name}: ${value}${at < text.length ? '\n' : ''}`

function filledPath({ ledger, outline, base, text }: Scene, name: string, raw: string): string {
  return `${base}${outline.template}`.replace(/\{([^}]+)\}/g, (_, one: string) => {
    if (one === name) return raw
    const slice = ledger.lines.find(({ address }) => address === `path.${one}`)?.slice
    return slice ? cut(text, slice) : 'x'
  })
}

/** With the media type of the body that is meant, if the message has none. */
function withType(text: string, { pieces, mediaType, syntax }: Ledger): string {
  if (!pieces || mediaType === undefined || pieces.headers.some(({ name }) => name === 'content-type')) return text
  const type = syntax === 'parts' ? `${mediaType}; boundary=part` : mediaType.replace('/*', '/octet-stream')
  return put(text, { from: pieces.headEnd, to: pieces.headEnd }, headerLine(text, pieces.headEnd, 'Content-Type', type))
}

const bodyOf = ({ text, ledger: { pieces } }: Scene) => (pieces ? cut(text, pieces.body) : '')
function withBody({ text, ledger: { pieces } }: Scene, body: string): string {
  if (!pieces) return text
  if (pieces.body.from < pieces.body.to || text.endsWith('\n\n')) return put(text, pieces.body, body)
  return `${text.endsWith('\n') ? text : `${text}\n`}\n${body}`
}

/** JSON with a value in place of another, of nothing, or gone; every character that is not its own stays. */
export function jsonWith(json: string, path: Path, raw: string | undefined, order: readonly string[]): string {
  if (json.trim() === '') return raw === undefined ? json : `{\n  ${nested(path, raw).slice(1, -1).trim()}\n}`
  let container = treeOf(json)
  for (const [depth, step] of path.entries()) {
    const child = container && childAt(container, step)
    if (!container || !isContainer(container, step))
      return container && raw !== undefined ? put(json, sliceOf(container), nested(path.slice(depth), raw)) : json
    if (!child)
      return raw === undefined ? json : insertedInto(json, container, step, nested(path.slice(depth + 1), raw), order)
    if (depth === path.length - 1)
      return raw === undefined ? takenFrom(json, container, child.whole) : put(json, sliceOf(child.value), raw)
    container = child.value
  }
  return json
}
const sliceOf = ({ offset, length }: Node): Slice => ({ from: offset, to: offset + length })
const isContainer = ({ type }: Node, step: string | number) => type === (typeof step === 'number' ? 'array' : 'object')

/** What stands at a step: of names that come twice, the last counts. */
function childAt({ children = [] }: Node, step: string | number): { value: Node; whole: Node } | undefined {
  if (typeof step === 'number') {
    const value = children[step]
    return value && { value, whole: value }
  }
  const whole = children.findLast(({ children: [name] = [] }) => name?.value === step)
  const value = whole?.children?.[1]
  return whole && value && { value, whole }
}

/** A value inside of what has to be there for it. */
const nested = (path: Path, raw: string): string =>
  path.reduceRight<string>(
    (inner, step) => (typeof step === 'number' ? `[${inner}]` : `{ ${JSON.stringify(step)}: ${inner} }`),
    raw,
  )

function insertedInto(
  json: string,
  container: Node,
  step: string | number,
  raw: string,
  order: readonly string[],
): string {
  const { children = [] } = container
  const around = cut(json, sliceOf(container))
  const isSpread = around.includes('\n')
  const isTight = !isSpread && children.length > 0 && !/[,:] /.test(around)
  const text = typeof step === 'number' ? raw : `${JSON.stringify(step)}:${isTight ? '' : ' '}${raw}`
  const [first] = children
  if (!first) return put(json, sliceOf(container), typeof step === 'number' ? `[${text}]` : `{ ${text} }`)
  const space = isSpread ? `\n${/[^\S\n]*$/.exec(json.slice(0, first.offset))?.[0] ?? ''}` : isTight ? '' : ' '
  const own = order.indexOf(String(step))
  const isBefore = ({ children: [name] = [] }: Node) =>
    order.includes(String(name?.value)) && order.indexOf(String(name?.value)) < own
  const last = own < 0 ? children.at(-1) : children.findLast(isBefore)
  if (!last) return put(json, { from: first.offset, to: first.offset }, `${text},${space}`)
  const { to } = sliceOf(last)
  return put(json, { from: to, to }, `,${space}${text}`)
}

function takenFrom(json: string, { children = [], ...container }: Node, whole: Node): string {
  const at = children.indexOf(whole)
  const [before, after] = [children[at - 1], children[at + 1]]
  if (before) return put(json, { from: sliceOf(before).to, to: sliceOf(whole).to }, '')
  if (after) return put(json, { from: whole.offset, to: after.offset }, '')
  return put(json, sliceOf({ ...container }), container.type === 'array' ? '[]' : '{}')
}

/** The declared names of the record that a path leads into. */
const namesAround = ({ ledger }: Scene, path: Path): string[] => {
  const parent = path.slice(0, -1)
  return ledger.lines.flatMap((line) =>
    line.field && isRightBelow(line.path, parent) ? [String(line.path.at(-1))] : [],
  )
}

const jsonEdited = (scene: Scene, path: Path, raw: string | undefined): string =>
  withBody(scene, jsonWith(bodyOf(scene), path.slice(1), raw, namesAround(scene, path)))

function lineEdited(scene: Scene, path: Path, raw: string | undefined): string {
  const own = scene.ledger.lines.find((one) => one.path.length === 2 && one.path[1] === path[1])
  if (!own?.slice) return scene.text
  return put(
    scene.text,
    own.slice,
    jsonWith(cut(scene.text, own.slice), path.slice(2), raw, namesAround(scene, path)).replace(/\s*\n\s*/g, ' '),
  )
}

function partEdited(scene: Scene, path: Path, raw: string | undefined): string {
  const own = scene.ledger.lines.find((one) => one.path.length === 2 && one.path[1] === path[1])
  const order = namesAround(scene, path)
  if (!own?.slice)
    return raw === undefined
      ? scene.text
      : withPart(scene, String(path[1]), jsonWith('{}', path.slice(2), raw, order), undefined)
  return put(scene.text, own.slice, jsonWith(cut(scene.text, own.slice), path.slice(2), raw, order))
}

function withPart(scene: Scene, name: string, raw: string, line: Line | undefined): string {
  const { pieces } = scene.ledger
  const type = pieces?.headers.find((one) => one.name === 'content-type')
  const boundary = (type && boundaryOf(cut(scene.text, type.value))) ?? 'part'
  const isFile = leaf(line?.field).kind === 'file' || leaf(leaf(line?.field).item).kind === 'file'
  const [media] = (leaf(line?.field)['types'] as readonly string[] | undefined) ?? []
  const head = isFile
    ? `Content-Disposition: form-data; name="${name}"; filename="${name}"\nContent-Type: ${media?.replace('/*', '/png') ?? 'application/octet-stream'}`
    : `Content-Disposition: form-data; name="${name}"${/^\s*[{[]/.test(raw) ? '\nContent-Type: application/json' : ''}`
  const part = `--${boundary}\n${head}\n\n${raw}\n`
  const body = bodyOf(scene)
  const end = `--${boundary}--`
  const at = body.lastIndexOf(end)
  return withBody(
    scene,
    at < 0
      ? `${body}${body === '' || body.endsWith('\n') ? '' : '\n'}${part}${end}`
      : body.slice(0, at) + part + body.slice(at),
  )
}

/** A part with a file in place of another. */
export function withFile(scene: Scene, line: Line, name: string, type: string, content: string): string {
  const isPart = line.codec === 'part'
  const own = isPart && !line.slice ? sceneOf(scene.outline, scene.base, inserted(scene, line, content)) : scene
  const there = own.ledger.lines.find(({ address }) => address === line.address)
  if (!isPart) return sendRaw(scene, line, content)
  if (!there?.slice || !there.whole) return own.text
  const body = put(own.text, there.slice, content)
  const head = { from: there.whole.from, to: there.slice.from }
  const plain = name.replace(/["\r\n]/g, '_')
  const told = cut(body, head)
    .replace(/filename="[^"]*"/i, () => `filename="${plain}"`)
    .replace(/^content-type:.*$/im, () => `Content-Type: ${type || 'application/octet-stream'}`)
  return put(body, head, told)
}
