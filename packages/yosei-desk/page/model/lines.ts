/** The ledger: a line for each declared field in the order of the declaration, and for all else that is sent. */
import { type Node, parseTree } from 'jsonc-parser'
import { formatAddress, type Path } from 'yosei'
import { secretHeaders } from '../../src/secret.ts'
import type { EndpointOutline, FieldOutline } from '../../src/terms.ts'
import { entryOf, holdsSecret, isFree, isSecret, isSecretPair } from './declared.ts'
import { boundaryOf, cut, decoded, type Pair, type Pieces, pairsIn, partsIn, type Slice, takeApart } from './message.ts'

type Part = 'path' | 'query' | 'header' | 'cookie' | 'body'
/** How a value stands in the message. */
export type Codec = 'percent' | 'plain' | 'json' | 'part'

export interface Line {
  readonly address: string
  readonly path: Path
  readonly part: Part
  readonly depth: number
  readonly label: string
  /** What is declared; nothing for a name that is not declared. */
  readonly field: FieldOutline | undefined
  /** A head stands over the lines of what it holds. */
  readonly isHead: boolean
  readonly codec: Codec
  /** Where its value stands; nothing where it is not sent. */
  readonly slice: Slice | undefined
  /** With its name, and what goes when it goes. */
  readonly whole: Slice | undefined
  readonly times: number
  readonly isSecret: boolean
  /** Whether it is one of several that have an order. */
  readonly element: { readonly index: number; readonly of: number } | undefined
  /** What it holds that can be added: an element, or a name. */
  readonly adds: 'element' | 'name' | undefined
  /** What a file is called, and of which media type it is. */
  readonly file?: { readonly name: string | undefined; readonly type: string | undefined }
}
export interface Ledger {
  readonly pieces: Pieces | undefined
  readonly lines: readonly Line[]
  /** Of the body that is meant. */
  readonly mediaType: string | undefined
  readonly syntax: 'json' | 'lines' | 'form' | 'parts' | 'plain' | undefined
}

/** @param blamed Addresses that something is wrong with: what is not sent there has its line too. */
export function ledgerOf(outline: EndpointOutline, base: string, text: string, blamed: readonly string[] = []): Ledger {
  const pieces = takeApart(text)
  const contentType = pieces ? headerIn(pieces, 'content-type') : undefined
  const mediaType = mediaTypeOf(outline, contentType)
  const walk = new Walk(outline, text)
  walk.path(base, pieces)
  walk.pairs('query', outline.query, pieces?.query ?? [], 1)
  walk.headers(pieces, headersOf(outline, blamed))
  walk.cookies(pieces)
  const body = mediaType === undefined ? undefined : outline.body[mediaType]
  const syntax = body && mediaType !== undefined ? syntaxOf(mediaType, body) : undefined
  if (body && syntax) walk.body(body, syntax, pieces, contentType ?? mediaType ?? '')
  else if (pieces && pieces.body.from < pieces.body.to) walk.undeclaredBody(pieces)
  return { pieces, lines: walk.lines, mediaType, syntax }
}

/** Header fields that have a line although they are not declared. */
const headersOf = ({ body }: EndpointOutline, blamed: readonly string[]): string[] => [
  ...(Object.keys(body).length > 0 ? ['content-type'] : []),
  ...blamed.flatMap((address) => /^header\.([A-Za-z0-9_$-]+)$/.exec(address)?.[1] ?? []),
]

const headerIn = ({ headers, text }: Pieces, name: string) => {
  const found = headers.find((one) => one.name === name)
  return found && cut(text, found.value)
}

function mediaTypeOf({ body }: EndpointOutline, sent: string | undefined): string | undefined {
  const own = sent?.split(';')[0]?.trim().toLowerCase()
  const types = Object.keys(body)
  return types.find((type) => type === own || (type.endsWith('/*') && own?.startsWith(type.slice(0, -1)))) ?? types[0]
}

function syntaxOf(mediaType: string, field: FieldOutline): Ledger['syntax'] {
  if (field.kind === 'list' && field['lines'] === true) return 'lines'
  if (/\/(?:.*\+)?json$/.test(mediaType)) return 'json'
  if (mediaType === 'application/x-www-form-urlencoded') return 'form'
  return mediaType === 'multipart/form-data' ? 'parts' : 'plain'
}

/** What is nested deeper stands in one line, as it is in the message. */
const deepest = 60
/** So many lines are drawn up: what a message has beyond them stands in its text. */
export const mostLines = 20_000

/** The values of a JSON text, as far as they can be reported. */
export function treeOf(json: string): Node | undefined {
  // Its parser goes as deep as the text does.
  let depth = 0
  for (const [one] of json.matchAll(/"(?:[^"\\\n]|\\.)*"?|[[{\]}]/g)) {
    if (one === '[' || one === '{') depth++
    else if (one === ']' || one === '}') depth--
    if (depth > 1000) return undefined
  }
  return parseTree(json)
}

class Walk {
  readonly lines: Line[] = []
  readonly #outline: EndpointOutline
  readonly #text: string

  constructor(outline: EndpointOutline, text: string) {
    this.#outline = outline
    this.#text = text
  }

  #add(path: Path, depth: number, about: Partial<Line> & Pick<Line, 'codec' | 'field'>): void {
    if (this.lines.length >= mostLines) return
    const { field, isHead = false, isSecret = false } = about
    this.lines.push({
      address: formatAddress(path),
      path,
      part: path[0] as Part,
      depth,
      label: labelOf(path),
      isHead,
      slice: undefined,
      whole: undefined,
      times: about.slice ? 1 : 0,
      element: undefined,
      adds: undefined,
      ...about,
      // What is not distinguished may be what a secret in it was meant to be.
      isSecret: isSecret || (!isHead && field !== undefined && holdsSecret(field, this.#outline)),
    })
  }
  #head(part: Part, about: Partial<Line> = {}): void {
    this.#add([part], 0, { codec: 'plain', field: undefined, isHead: true, ...about })
  }
  /** What stands for a field: what `later` makes, and what a reader or a schema reads. */
  #shape(field: FieldOutline): FieldOutline {
    let one: FieldOutline | undefined = field
    for (let step = 0; one && step < 20; step++) {
      const next: FieldOutline | undefined =
        one.kind === 'later'
          ? this.#outline.definitions?.[one.of ?? '']
          : one.kind === 'readAs' || one.kind === 'schema'
            ? one.base
            : undefined
      if (!next) return one
      one = {
        ...next,
        need: one.need ?? next.need ?? 'required',
        secret: (one.secret ?? false) || (next.secret ?? false),
      }
    }
    return field
  }

  path(base: string, pieces: Pieces | undefined): void {
    const { path, template } = this.#outline
    // A path that holds a secret is shown by its parameters alone.
    if (Object.values(path).some(isSecret)) this.#head('path')
    else this.#add(['path'], 0, { codec: 'plain', field: undefined, slice: pieces?.path })
    if (Object.keys(path).length === 0) return
    const names: string[] = []
    const pattern = `${base}${template}`.replace(/\{([^}]+)\}|([^{]+)/g, (_, name?: string, literal?: string) => {
      if (name === undefined) return (literal ?? '').replace(/[.*+?^${}()|[\]\\]/g, '\\$&')
      names.push(name)
      return '([^/]*?)'
    })
    const found = pieces && new RegExp(`^${pattern}$`, 'd').exec(cut(this.#text, pieces.path))
    for (const [name, field] of Object.entries(path)) {
      const place = found?.indices?.[names.indexOf(name) + 1]
      const slice = place && pieces ? { from: pieces.path.from + place[0], to: pieces.path.from + place[1] } : undefined
      this.#add(['path', name], 1, { codec: 'percent', field, slice, whole: slice, isSecret: isSecret(field) })
    }
  }

  /** Of a query or a form. */
  pairs(part: Part, fields: { readonly [name: string]: FieldOutline }, pairs: readonly Pair[], depth: number): void {
    if (part === 'query') {
      if (Object.keys(fields).length === 0 && pairs.length === 0) return
      this.#head(part, { adds: 'name' })
    }
    const own = new Set<Pair>()
    for (const [name, field] of Object.entries(fields)) {
      const shape = this.#shape(field)
      const mine = pairs.filter(
        (pair) => pair.name === name || (shape.kind === 'record' && pair.name.startsWith(`${name}[`)),
      )
      for (const pair of mine) own.add(pair)
      this.#pairsOf([part, name], field, shape, name, mine, depth)
    }
    for (const pair of pairs)
      if (!own.has(pair))
        this.#pair(
          [part, pair.name],
          depth,
          undefined,
          [pair],
          undefined,
          isSecretPair(pair.name, fields, this.#outline),
        )
  }

  #pairsOf(
    path: Path,
    field: FieldOutline,
    shape: FieldOutline,
    name: string,
    mine: readonly Pair[],
    depth: number,
  ): void {
    if (shape.kind === 'record' && shape.fields) {
      this.#add(path, depth, { codec: 'percent', field, isHead: true })
      for (const [below, one] of Object.entries(shape.fields)) {
        const inner = `${name}[${below}]`
        this.#pairsOf(
          [...path, below],
          one,
          this.#shape(one),
          inner,
          mine.filter((pair) => pair.name === inner || pair.name.startsWith(`${inner}[`)),
          depth + 1,
        )
      }
      return
    }
    const plain = mine.filter((pair) => pair.name === name)
    if (shape.kind === 'list' && shape.item && shape['explode'] !== false) {
      this.#add(path, depth, {
        codec: 'percent',
        field,
        isHead: true,
        adds: 'element',
        isSecret: isSecret(field),
        times: plain.length,
      })
      for (const [index, pair] of plain.entries())
        this.#pair([...path, index], depth + 1, shape.item, [pair], { index, of: plain.length }, isSecret(field))
      return
    }
    this.#pair(path, depth, field, plain)
  }

  #pair(
    path: Path,
    depth: number,
    field: FieldOutline | undefined,
    pairs: readonly Pair[],
    element?: Line['element'],
    isHidden = false,
  ): void {
    const last = pairs.at(-1)
    this.#add(path, depth, {
      codec: 'percent',
      field,
      slice: last && (last.value ?? { from: last.whole.to, to: last.whole.to }),
      whole: last?.whole,
      times: pairs.length,
      element,
      isSecret: isHidden || isSecret(field),
    })
  }

  headers(pieces: Pieces | undefined, more: readonly string[]): void {
    const { header } = this.#outline
    // Cookies that are declared have lines of their own.
    const hasCookies = Object.keys(this.#outline.cookie).length > 0
    const sent = pieces?.headers.filter(({ name }) => !(hasCookies && name === 'cookie')) ?? []
    this.#head('header', { adds: 'name' })
    for (const [name, field] of Object.entries(header))
      this.#header(
        name,
        field,
        sent.filter((one) => one.name === name),
      )
    for (const name of new Set([...sent.map((one) => one.name), ...more]))
      if (!Object.hasOwn(header, name))
        this.#header(
          name,
          undefined,
          sent.filter((one) => one.name === name),
        )
  }
  #header(name: string, field: FieldOutline | undefined, sent: Pieces['headers']): void {
    const last = sent.at(-1)
    this.#add(['header', name], 1, {
      codec: 'plain',
      field,
      slice: last?.value,
      whole: last?.line,
      times: sent.length,
      isSecret: isSecret(field) || secretHeaders.has(name),
    })
  }

  cookies(pieces: Pieces | undefined): void {
    const { cookie } = this.#outline
    if (Object.keys(cookie).length === 0) return
    this.#head('cookie')
    const headers = pieces?.headers.filter(({ name }) => name === 'cookie') ?? []
    const sent = headers.flatMap(({ value }) => cookiesIn(this.#text, value))
    const names = new Set([...Object.keys(cookie), ...sent.map((one) => one.name)])
    for (const name of names) {
      const field = Object.hasOwn(cookie, name) ? cookie[name] : undefined
      const mine = sent.filter((one) => one.name === name)
      // The first of a name counts.
      const [first] = mine
      const about = { slice: first?.value, whole: first?.whole, times: mine.length }
      this.#add(['cookie', name], 1, { codec: 'percent', field, isSecret: true, ...about })
    }
  }

  body(
    field: FieldOutline,
    syntax: NonNullable<Ledger['syntax']>,
    pieces: Pieces | undefined,
    contentType: string,
  ): void {
    const body = pieces?.body
    const isSent = body !== undefined && body.from < body.to
    const shape = this.#shape(field)
    if (syntax === 'json') {
      const root = isSent ? treeOf(cut(this.#text, body)) : undefined
      if (isSent && !root) {
        this.#add(['body'], 0, { codec: 'json', field, slice: body, whole: body, isSecret: isSecret(field) })
        return
      }
      this.#json(['body'], field, root, body?.from ?? 0, 0, isSecret(field))
    } else if (syntax === 'lines') this.#lines(field, shape, isSent ? body : undefined)
    else if (syntax === 'form') {
      this.#head('body', { field, adds: 'name' })
      this.pairs('body', shape.fields ?? {}, isSent ? pairsIn(this.#text, body) : [], 1)
    } else if (syntax === 'parts') this.#parts(shape, isSent ? body : undefined, contentType)
    else {
      const slice = isSent ? body : undefined
      this.#add(['body'], 0, { codec: 'plain', field, slice, whole: slice, isSecret: isSecret(field) })
    }
  }
  undeclaredBody({ body }: Pieces): void {
    this.#add(['body'], 0, { codec: 'plain', field: undefined, slice: body, whole: body })
  }

  #lines(field: FieldOutline, shape: FieldOutline, body: Slice | undefined): void {
    this.#head('body', { field, adds: 'element' })
    if (!body || !shape.item) return
    const texts = cut(this.#text, body).split('\n')
    let at = body.from
    let index = 0
    const count = texts.filter((one) => one.trim() !== '').length
    for (const text of texts) {
      if (text.trim() !== '') {
        const element = { index, of: count }
        const root = treeOf(text)
        const whole = { from: at, to: Math.min(at + text.length + 1, body.to) }
        if (root?.type === 'object' || root?.type === 'array')
          this.#json(['body', index], shape.item, root, at, 1, isSecret(field), element, whole)
        else
          this.#add(['body', index], 1, {
            codec: 'json',
            field: shape.item,
            slice: { from: at, to: at + text.length },
            whole,
            element,
            isSecret: isSecret(field),
          })
        index++
      }
      at += text.length + 1
    }
  }

  #parts(shape: FieldOutline, body: Slice | undefined, contentType: string): void {
    const parts = body && boundaryOf(contentType) !== undefined ? partsIn(this.#text, body, contentType) : []
    this.#head('body', { adds: 'name' })
    const fields = shape.fields ?? {}
    for (const [name, field] of Object.entries(fields)) {
      const mine = parts.filter((one) => one.name === name)
      const inner = this.#shape(field)
      const last = mine.at(-1)
      const about = { field, slice: last?.value, whole: last?.whole, times: mine.length, isSecret: isSecret(field) }
      if (inner.kind === 'record' || (inner.kind !== 'file' && /json/.test(last?.type ?? ''))) {
        const root = last && treeOf(cut(this.#text, last.value))
        this.#json(['body', name], field, root, last?.value.from ?? 0, 1, isSecret(field), undefined, last?.whole)
      } else if (inner.kind === 'list' && inner.item) {
        const { times, isSecret } = about
        this.#add(['body', name], 1, { codec: 'part', field, isHead: true, adds: 'element', times, isSecret })
        for (const [index, one] of mine.entries())
          this.#add(['body', name, index], 2, {
            codec: 'part',
            field: inner.item,
            slice: one.value,
            whole: one.whole,
            element: { index, of: mine.length },
            isSecret,
            file: { name: one.file, type: one.type },
          })
      } else
        this.#add(['body', name], 1, {
          codec: 'part',
          ...about,
          ...(last ? { file: { name: last.file, type: last.type } } : {}),
        })
    }
    for (const one of parts)
      if (!Object.hasOwn(fields, one.name))
        this.#add(['body', one.name], 1, {
          codec: 'part',
          field: undefined,
          slice: one.value,
          whole: one.whole,
          file: { name: one.file, type: one.type },
        })
  }

  #json(
    path: Path,
    field: FieldOutline | undefined,
    node: Node | undefined,
    offset: number,
    depth: number,
    isHidden: boolean,
    element?: Line['element'],
    around?: Slice,
    times = node ? 1 : 0,
  ): void {
    const slice = node && { from: offset + node.offset, to: offset + node.offset + node.length }
    const shape = field && this.#shape(field)
    const hides = isHidden || isSecret(field) || isSecret(shape)
    const about = { codec: 'json', field, slice, whole: around ?? slice, times, element, isSecret: hides } as const
    const below = (name: string, one: FieldOutline | undefined, property?: Node, count = 1, isVeiled = false) => {
      const whole = property && { from: offset + property.offset, to: offset + property.offset + property.length }
      this.#json(
        [...path, name],
        one,
        property?.children?.[1],
        offset,
        depth + 1,
        hides || isVeiled,
        undefined,
        whole,
        property ? count : 0,
      )
    }
    if (depth > deepest) {
      this.#add(path, depth, about)
      return
    }
    const branch = shape && this.#branch(shape, node)
    const named = branch ?? shape
    if (named?.fields && (node?.type === 'object' || (!node && (depth === 0 || field?.need === 'required')))) {
      this.#add(path, depth, { ...about, isHead: true, adds: 'name' })
      const { properties, counts } = propertiesOf(node)
      if (shape?.tag !== undefined) below(shape.tag, tagField(shape), properties.get(shape.tag), counts.get(shape.tag))
      for (const [name, one] of Object.entries(named.fields)) below(name, one, properties.get(name), counts.get(name))
      // Another branch of a union may have the name for a secret.
      const isOfUnion = shape?.branches !== undefined && holdsSecret(shape, this.#outline)
      for (const [name, property] of properties)
        if (!Object.hasOwn(named.fields, name) && name !== shape?.tag)
          below(name, undefined, property, counts.get(name), isOfUnion)
      return
    }
    if (node?.type === 'object' && (shape?.kind === 'table' || !shape || isFree(shape))) {
      this.#add(path, depth, { ...about, isHead: true, adds: 'name' })
      const { properties, counts } = propertiesOf(node)
      for (const [name, property] of properties) below(name, entryOf(shape), property, counts.get(name))
      return
    }
    if (node?.type === 'array' && (shape?.item || shape?.items || !shape || isFree(shape))) {
      const elements = node.children ?? []
      this.#add(path, depth, { ...about, isHead: true, adds: 'element' })
      for (const [index, one] of elements.entries())
        this.#json([...path, index], shape?.item ?? shape?.items?.[index], one, offset, depth + 1, hides, {
          index,
          of: elements.length,
        })
      return
    }
    const adds = shape?.item ? 'element' : shape?.kind === 'table' ? 'name' : undefined
    this.#add(path, depth, { ...about, isHead: Boolean(!node && adds), adds: node ? undefined : adds })
  }

  /** The branch of a union that is meant by what was sent. */
  #branch(shape: FieldOutline, node: Node | undefined): FieldOutline | undefined {
    const { branches } = shape
    if (branches === undefined) return undefined
    const names = new Set(node?.children?.map(({ children }) => String(children?.[0]?.value)))
    if (shape.tag !== undefined) {
      const tag = node?.children?.find(({ children }) => children?.[0]?.value === shape.tag)?.children?.[1]?.value
      const all = branches as { readonly [name: string]: FieldOutline }
      const found = typeof tag === 'string' && Object.hasOwn(all, tag) ? all[tag] : undefined
      return found ? this.#shape(found) : { kind: 'record', need: 'required', fields: {} }
    }
    const records = (branches as readonly FieldOutline[]).map((one) => this.#shape(one)).filter(({ fields }) => fields)
    const share = ({ fields = {} }: FieldOutline) => Object.keys(fields).filter((name) => names.has(name)).length
    return node?.type === 'object' ? records.sort((a, b) => share(b) - share(a))[0] : undefined
  }
}

const tagField = ({ branches = {} }: FieldOutline): FieldOutline => ({
  kind: 'choice',
  need: 'required',
  values: Object.keys(branches),
})

function propertiesOf(node: Node | undefined) {
  const properties = new Map<string, Node>()
  const counts = new Map<string, number>()
  for (const property of node?.children ?? []) {
    const name = String(property.children?.[0]?.value)
    properties.set(name, property)
    counts.set(name, (counts.get(name) ?? 0) + 1)
  }
  return { properties, counts }
}

export function cookiesIn(text: string, { from, to }: Slice): Pair[] {
  let at = from
  return text
    .slice(from, to)
    .split(';')
    .map((piece) => {
      const start = at + piece.length - piece.trimStart().length
      const whole = { from: start, to: at + piece.trimEnd().length }
      at += piece.length + 1
      const equals = text.slice(start, whole.to).indexOf('=')
      const end = equals < 0 ? whole.to : start + equals
      return {
        name: decoded(text.slice(start, end)),
        value: { from: Math.min(end + 1, whole.to), to: whole.to },
        whole,
      }
    })
}

/** The last step of an address, as it is written. */
const labelOf = (path: Path): string =>
  formatAddress(path)
    .slice(path.length === 1 ? 0 : formatAddress(path.slice(0, -1)).length)
    .replace(/^\./, '')
