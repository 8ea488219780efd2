/** A new element of a list: as the last one is, with other values if elements must differ. */
import { parseAddress } from 'yosei'
import type { FieldOutline } from '../../src/terms.ts'
import { foldedAddress } from './declared.ts'
import { blankOf, inserted, isRightBelow, jsonWith, leaf, rawAt, type Scene, shownText, typed } from './edits.ts'
import type { Line } from './lines.ts'

/** Adds an element to a list: as the last one is, or as an example has it. */
export function withElement(scene: Scene, head: Line, example: string | undefined): string {
  const elements = scene.ledger.lines.filter(({ path, element }) => element && isRightBelow(path, head.path))
  const last = elements.at(-1)
  const item = leaf(head.field).item
  const line: Line = {
    ...head,
    path: [...head.path, elements.length],
    field: item,
    slice: undefined,
    isHead: false,
    codec: head.part === 'body' && head.codec === 'plain' ? 'json' : head.codec,
  }
  if (!last?.slice) return inserted(scene, line, example ?? blankOf(item))
  const raws = elements.map((one) => rawAt(scene.text, one))
  const raw = raws.at(-1) ?? ''
  if (line.codec !== 'json') {
    if (!isDistinct(scene, head) && leaf(item).kind !== 'choice') return inserted(scene, line, raw)
    const other = otherThan(
      raws.map((one) => shownText(one, line)),
      leaf(item),
    )
    return typed(scene, line, String(other))
  }
  return inserted(scene, line, differing(scene, head, raws.map(parsed), raw))
}

/** What an element's JSON becomes, so that it is not the same as the others at once. */
function differing(scene: Scene, head: Line, values: readonly unknown[], raw: string): string {
  const item = leaf(head.field).item
  if (leaf(item).kind === 'choice' || (isDistinct(scene, head) && typeof values.at(-1) !== 'object'))
    return JSON.stringify(otherThan(values, leaf(item)))
  return distinctIn(scene, head).reduce((json, path) => {
    const own = values.map((value) => valueAt(value, path))
    const field = fieldAt(item, path)
    if (own.at(-1) === undefined || !field) return json
    return jsonWith(json, path, JSON.stringify(otherThan(own, leaf(field))), [])
  }, raw)
}

const isDistinct = (scene: Scene, head: Line): boolean =>
  leaf(head.field)['distinct'] === true || distinctIn(scene, head).some((path) => path.length === 0)

/** Where elements of a list must differ: by its own option, and by a rule. */
function distinctIn({ outline }: Scene, head: Line): readonly (readonly string[])[] {
  const { distinct } = leaf(head.field)
  const own = typeof distinct === 'string' ? [[distinct]] : []
  const list = `${foldedAddress(head.path)}[]`
  const ruled = outline.rules
    .filter(({ rule }) => rule === 'distinct')
    .flatMap(({ reads }) => reads.filter((address) => address === list || address.startsWith(`${list}.`)).slice(0, 1))
    .map((address) => (parseAddress(address.slice(list.length).replace(/^\./, '')) ?? []).map(String))
  return [...own, ...ruled]
}

function fieldAt(field: FieldOutline | undefined, [name, ...more]: readonly string[]): FieldOutline | undefined {
  if (name === undefined) return field
  const { fields = {} } = leaf(field)
  return Object.hasOwn(fields, name) ? fieldAt(fields[name], more) : undefined
}
const valueAt = (value: unknown, path: readonly string[]): unknown =>
  path.reduce<unknown>(
    (one, name) =>
      typeof one === 'object' && one !== null && Object.hasOwn(one, name)
        ? (one as { readonly [name: string]: unknown })[name]
        : undefined,
    value,
  )
function parsed(json: string): unknown {
  try {
    return JSON.parse(json)
  } catch {
    return undefined
  }
}

const dayLength = 86_400_000
/** A value of the kind of the last one that none of them has; the last one if there is none. */
export function otherThan(values: readonly unknown[], field: FieldOutline): unknown {
  const last = values.at(-1)
  const isFree = (one: unknown) => !values.includes(one)
  const next = (step: (times: number) => unknown): unknown => {
    for (let times = 1; times <= values.length + 1; times++) if (isFree(step(times))) return step(times)
    return last
  }
  if (field.values) return field.values.find((one) => isFree(one) && isFree(String(one))) ?? last
  if (typeof last === 'boolean') return next(() => !last)
  const step = typeof field['step'] === 'number' ? field['step'] : 1
  if (typeof last === 'number') return next((times) => last + times * step)
  if (typeof last !== 'string' || last === '') return last
  if (field.kind === 'instant' || field.kind === 'day') {
    const time = Date.parse(last)
    if (Number.isNaN(time)) return last
    return next((times) => {
      const later = new Date(time + times * dayLength).toISOString()
      return field.kind === 'day' ? later.slice(0, 10) : later.replace('.000Z', 'Z')
    })
  }
  // The last number in it, or one behind its first word: an address of mail stays one.
  const [, before = '', digits, after = ''] = /^(.*?)(\d+)(\D*)$/s.exec(last) ?? []
  if (digits !== undefined)
    return next((times) => `${before}${String(BigInt(digits) + BigInt(times)).padStart(digits.length, '0')}${after}`)
  return next((times) => last.replace(/^[\p{L}\p{N}_-]*/u, (word) => `${word}${times + 1}`))
}
