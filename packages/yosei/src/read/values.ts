/** The texts of a request's parts, by name, as their declarations carry them: OpenAPI's styles, split before decoding. */
import { type ListNode, type Node, type RecordNode, sentShape, type TupleNode } from '../declare/node.js'
import { type Decoded, decodePercent, malformed } from './percent.js'

/** The values of a part: a text for a name that came once, a list for one that came again or carries several. */
export type Values = { [name: string]: unknown }

const isList = (node: Node | undefined): node is ListNode | TupleNode => node?.kind === 'list' || node?.kind === 'tuple'
const shapeOf = ({ fields }: RecordNode, name: string) => (Object.hasOwn(fields, name) ? sentShape(fields[name] as Node) : undefined)

/** One text for a name that came once, all of them for one that came again; a list's elements stay a list, but for one empty text. */
const gather = (texts: readonly unknown[], shape: Node | undefined) =>
  texts.length === 1 && (!isList(shape) || texts[0] === '') ? texts[0] : texts

/** The raw segments of the path's parameters; a list's elements are joined by commas (`simple`). */
export function pathValues(raw: { readonly [name: string]: string }, declared: RecordNode): Values {
  return Object.fromEntries(
    Object.entries(raw).map(([name, segment]) => [
      name,
      isList(shapeOf(declared, name)) ? segment.split(',').map(decodePercent) : decodePercent(segment),
    ]),
  )
}

const separators = { form: /,/, spaceDelimited: /%20|\+/, pipeDelimited: /\||%7c/i }

/** How a list's elements are joined in one value; `undefined` where the name is repeated instead. */
function separatorOf(node: ListNode | TupleNode): RegExp | undefined {
  const { style = 'form', explode = style === 'form' } = node as Partial<ListNode>
  return explode ? undefined : separators[style]
}

const decode = (text: string): Decoded => decodePercent(text.replaceAll('+', ' '))
const deep = /^([^[\]]+)\[([^[\]]*)\]$/

/** The pairs of a query, with `+` for a blank; `malformed` where a name could not be decoded. */
export function queryValues(query: string, declared: RecordNode): { readonly values: Values; readonly malformed: boolean } {
  const sent = new Map<string, unknown[]>()
  const objects = new Map<string, Map<string, unknown[]>>()
  let broken = false
  for (const pair of query === '' ? [] : query.split('&')) {
    if (pair === '') continue
    const equals = pair.indexOf('=')
    const name = decode(equals < 0 ? pair : pair.slice(0, equals))
    if (name === malformed) {
      broken = true
      continue
    }
    const raw = equals < 0 ? undefined : pair.slice(equals + 1)
    const [, whole, key] = deep.exec(name) ?? []
    const holder = whole === undefined ? undefined : shapeOf(declared, whole)
    if (holder && (holder.kind === 'record' || holder.kind === 'table')) {
      const names = objects.get(whole as string) ?? new Map<string, unknown[]>()
      objects.set(whole as string, names)
      add(names, key as string, raw, memberOf(holder, key as string))
    } else add(sent, name, raw, shapeOf(declared, name))
  }
  const gathered = (names: ReadonlyMap<string, unknown[]>, shape: (name: string) => Node | undefined) =>
    Object.fromEntries([...names].map(([name, texts]) => [name, gather(texts, shape(name))]))
  const values = gathered(sent, (name) => shapeOf(declared, name))
  const deeper = [...objects].map(([name, names]) => [name, gathered(names, (key) => memberOf(shapeOf(declared, name), key))])
  return { values: { ...values, ...Object.fromEntries(deeper) }, malformed: broken }
}

/** The declaration of a name inside a record or table of the query. */
function memberOf(holder: Node | undefined, key: string): Node | undefined {
  if (holder?.kind === 'table') return sentShape(holder.value)
  return holder?.kind === 'record' ? shapeOf(holder, key) : undefined
}

/** Adds a value to those of its name. A bare name, without `=`, is a flag that is up, or an empty text. */
function add(values: Map<string, unknown[]>, name: string, raw: string | undefined, shape: Node | undefined): void {
  const separator = isList(shape) ? separatorOf(shape) : undefined
  const texts =
    raw === undefined ? [shape?.kind === 'flag' ? 'true' : ''] : separator && raw !== '' ? raw.split(separator).map(decode) : [decode(raw)]
  const all = values.get(name)
  if (all) all.push(...texts)
  else values.set(name, texts)
}

/** The declared header fields; the lines of a list are joined and split at commas (RFC 9110, section 5.6.1). */
export function headerValues(headers: readonly (readonly [string, string])[], declared: RecordNode): Values {
  const values: Values = {}
  for (const name of Object.keys(declared.fields)) {
    const lines = headers.filter(([field]) => field === name).map(([, value]) => value)
    if (lines.length === 0) continue
    values[name] = isList(shapeOf(declared, name))
      ? lines.flatMap((line) => line.split(',').map((one) => one.trim())).filter((one) => one !== '')
      : gather(lines, undefined)
  }
  return values
}
