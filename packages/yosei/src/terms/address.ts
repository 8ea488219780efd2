/**
 * A field has one address, the same in rules, error maps, tools and pages: `body.exposures[2].seconds`.
 * Here are its static type, its text, and its parts.
 */

import type { Unpieced } from './pieces.js'
import type { Flat, Upload } from './types.js'

/** What rules can read of a file. */
type FilePart = 'bytes' | 'type' | 'name'
type Atom = string | number | boolean | bigint | Date | null | undefined | ((...args: never) => unknown)
type Less = [never, 0, 1, 2, 3, 4, 5, 6]
/** Joins an address and what stands behind it: a name after a dot, a bracket as it is. */
type Join<Head extends string, Rest> = Rest extends string
  ? Rest extends `[${string}` | `{}${string}`
    ? `${Head}${Rest}`
    : `${Head}.${Rest}`
  : never
/** Each element of a list, or the one at an index: `[0]` is the first, `[-1]` the last. */
type Element = '[]' | `[${number}]`
type Inside<T, Depth extends number> = Depth extends 0
  ? never
  : unknown extends T
    ? never
    : T extends Atom
      ? never
      : T extends Upload
        ? FilePart
        : T extends readonly (infer E)[]
          ? Element | Join<Element, Inside<NonNullable<Unpieced<E>>, Less[Depth]>>
          : T extends object
            ?
                | {
                    [K in keyof T & string]: string extends K
                      ? never
                      : K | Join<K, Inside<NonNullable<T[K]>, Less[Depth]>>
                  }[keyof T & string]
                | InTable<T, Depth>
            : never
type InTable<T, Depth extends number> = string extends keyof T
  ? '{}' | Join<'{}', Inside<NonNullable<T[keyof T]>, Less[Depth]>>
  : never
/**
 * The addresses inside an accepted input, to a depth of six: of each element of a list with `[]`, of one with its index,
 * of the values of a table with `{}`.
 */
export type Address<T> = Inside<T, 6>
/** The same, if it is known what the input is. */
export type PlaceIn<T> = unknown extends T ? string : Address<T>
/** Those of the addresses `A` that have a part `Each`: each is asked, since unions of patterns multiply. */
type Having<A, Each extends string> = A extends `${string}${Each}${string}` ? A : never
/** The addresses inside of lists, and of their elements. */
export type InList<T> = Having<Address<T>, '[]'>
/** The same, and those inside of tables. */
export type InMany<T> = Having<Address<T>, '[]' | '{}'>

/** What the addresses `A` are below `Head`. */
type Below<A extends string, Head extends string> = A extends `${Head}.${infer Rest}`
  ? Rest
  : A extends `${Head}[${infer Rest}`
    ? `[${Rest}`
    : never
type InElement<A extends string> = A extends `[].${infer Rest}` ? Rest : never
/** `T` where something is always there at the addresses `A`, if only what holds it is there. */
export type Present<T, A extends string> = [A] extends [never]
  ? T
  : unknown extends T
    ? T
    : T extends Atom | Upload
      ? T
      : T extends readonly (infer E)[]
        ? Present<E, InElement<A>>[]
        : Flat<
            { [K in keyof T as K extends A ? never : K]: Present<T[K], Below<A, K & string>> } & {
              [K in keyof T as K extends A ? K : never]-?: Exclude<T[K], undefined>
            }
          >

type Absent<T> = undefined extends T ? undefined : never
type Member<T, K extends string> = T extends unknown ? (K extends keyof T ? T[K] : undefined) : never
type Elements<T> = NonNullable<T> extends readonly (infer E)[] ? Unpieced<E> : never
type Named<T> = NonNullable<T> extends { readonly [name: string]: infer V } ? V : never
/** The element at an index: of a tuple the one that stands there, of a list one that may be missing. */
type ElementAt<T, Index extends string> =
  NonNullable<T> extends infer L extends readonly unknown[]
    ? number extends L['length']
      ? Elements<L> | undefined
      : Index extends `-${string}`
        ? Elements<L>
        : Index extends keyof L
          ? L[Index]
          : undefined
    : never
/** The value at an address: behind a `[]` or a `{}`, the list of the values there. */
export type At<T, A extends string> = A extends `${infer Head}.${infer Rest}`
  ? Head extends `${infer Name}${'[' | '{'}${string}`
    ? EachAt<Member<T, Name>, Head extends `${Name}${infer Each}` ? Each : never, Rest>
    : At<NonNullable<Member<T, Head>>, Rest> | Absent<Member<T, Head>>
  : A extends `${infer Name}${'[' | '{'}${string}`
    ? EachAt<Member<T, Name>, A extends `${Name}${infer Each}` ? Each : never, ''>
    : Member<T, A>
/** The values that `Each`, some brackets, goes to from a list or a table; and at `Rest` from each of them. */
type EachAt<V, Each extends string, Rest extends string> = Each extends `[]${infer More}`
  ? EachAt<Elements<V>, More, Rest>[] | Absent<V>
  : Each extends `{}${infer More}`
    ? EachAt<Named<V>, More, Rest>[] | Absent<V>
    : Each extends `[${infer Index}]${infer More}`
      ? EachAt<ElementAt<V, Index>, More, Rest> | Absent<V>
      : Rest extends ''
        ? V
        : At<NonNullable<V>, Rest> | Absent<V>

/** An address in its steps: the part, then names and indices. `EACH` stands for every element of a list. */
export type Path = readonly (string | number)[]
export const EACH = -1
/** Stands for every name of a table. */
export const EACH_NAME = -2
/** The step to an element that is counted from the end: to the last from 1. */
const fromEnd = (count: number) => EACH_NAME - count
/** Whether a step is to an element that is counted from the end. */
export const isFromEnd = (key: string | number | undefined): boolean => typeof key === 'number' && key < EACH_NAME
/** Where a path first goes to such an element; below zero if it goes to none. */
export function firstFromEnd(path: Path): number {
  for (let at = 0; at < path.length; at++) if (isFromEnd(path[at])) return at
  return -1
}
/** The index of an element that is counted from the end; below zero if there are not so many. */
export const indexFromEnd = (key: number, length: number): number => length + key - EACH_NAME
/** A path in this input: what it counts from the end, by its index, if there are so many. */
export function withIndices(root: unknown, path: Path): Path {
  const at = firstFromEnd(path)
  // Behind each of several, there are as many.
  if (at < 0 || (firstEach(path) >= 0 && firstEach(path) < at)) return path
  const list = valueAt(root, path.slice(0, at))
  const index = Array.isArray(list) ? indexFromEnd(path[at] as number, list.length) : EACH
  return index < 0 ? path : withIndices(root, path.with(at, index))
}
/** Whether a step stands for each of several. */
export const isEach = (key: string | number | undefined): boolean => key === EACH || key === EACH_NAME
/** Where a path first goes to each of several; below zero where it goes to one alone. */
export function firstEach(path: Path, from = 0): number {
  for (let at = from; at < path.length; at++) if (isEach(path[at])) return at
  return -1
}
/** Where a path last goes to each of several. */
export function lastEach(path: Path): number {
  let at = path.length - 1
  while (at >= 0 && !isEach(path[at])) at--
  return at
}
/** The steps from a value that a step to each stands for: indices of a list, names of a table. */
export const stepsOf = (value: unknown, each: string | number | undefined): Iterable<string | number> =>
  each === EACH ? (Array.isArray(value) ? value.keys() : []) : isNamed(value) ? Object.keys(value) : []
const isNamed = (value: unknown): value is object =>
  typeof value === 'object' && value !== null && !Array.isArray(value) && !(value instanceof Date)

const plainName = /^[A-Za-z_$][A-Za-z0-9_$-]*$/
const step = /(?:^|\.)([A-Za-z_$][A-Za-z0-9_$-]*)|\[(-[1-9][0-9]*|[0-9]*)\]|\[("(?:[^"\\]|\\.)*")\]|(\{\})/y

const written = /* @__PURE__ */ new Map<string, string>()
/** Names come from clients too, so not every one is kept. */
const mostWritten = 5000

/** A name as it stands in an address, behind what holds it. */
function writeName(name: string): string {
  const known = written.get(name)
  if (known !== undefined) return known
  const text = plainName.test(name) ? `.${name}` : `[${JSON.stringify(name)}]`
  if (written.size < mostWritten && name.length < 65) written.set(name, text)
  return text
}

const bracketOf = (step: number) =>
  step === EACH ? '[]' : step === EACH_NAME ? '{}' : `[${isFromEnd(step) ? step - EACH_NAME : step}]`

function joined(path: Path, write: (name: string) => string): string {
  let address = ''
  for (let i = 0; i < path.length; i++) {
    const key = path[i] as string | number
    address += typeof key === 'string' ? write(key) : bracketOf(key)
  }
  return address.startsWith('.') ? address.slice(1) : address
}

/** The address of a path: `['body', 'labels', 'a.b', 2]` → `body.labels["a.b"][2]`. */
export const formatAddress = (path: Path): string => joined(path, writeName)

/**
 * An address as a declaration has it, `[]` for each element: what is alike wherever in a list it came.
 *
 * @example
 * foldAddress('body.exposures[2].seconds') // 'body.exposures[].seconds'
 */
export const foldAddress = (address: string): string =>
  address.replace(/("(?:[^"\\]|\\.)*")|\[-?\d+\]/g, (_, quoted?: string) => quoted ?? '[]')

/** A longer name is reported shortened, so that what a client reads of its mistakes cannot outgrow what it sent. */
const longestTold = 64
const isLong = (key: string | number) => typeof key === 'string' && key.length > longestTold

/**
 * The address of a path as a client is reported it: a name of more than 64 characters is shortened in its middle, with its
 * length and a digest that keeps addresses apart. It is a label then, and not to be split again.
 */
export const tellAddress = (path: Path): string =>
  joined(path, (name) => (isLong(name) ? `[${JSON.stringify(shorten(name))}]` : writeName(name)))

/** The last name that was shortened: many errors lie below the same. It is forgotten when the work at hand is done. */
let last = { name: '', short: '' }
function shorten(name: string): string {
  if (last.name === name) return last.short
  if (last.name === '') queueMicrotask(forget)
  last = { name, short: `${name.slice(0, 32)} … ${name.length} characters, ${digest(name)} … ${name.slice(-12)}` }
  return last.short
}
function forget(): void {
  last = { name: '', short: '' }
}

/** 64 bits that differ where texts do, but for who wants them not to: two multiplicative hashes side by side. */
function digest(text: string): string {
  let a = 0x811c9dc5
  let b = 0x9e3779b9
  for (let i = 0; i < text.length; i++) {
    const code = text.charCodeAt(i)
    a = Math.imul(a ^ code, 0x01000193)
    b = Math.imul((b << 5) ^ (b >>> 27) ^ code, 0x85ebca6b)
  }
  return [a, b].map((half) => (half >>> 0).toString(16).padStart(8, '0')).join('')
}

const stepOf = (index: string) =>
  index === '' ? EACH : index.startsWith('-') ? fromEnd(-Number(index)) : Number(index)

/** The path of an address, or `undefined` if the text is not an address. The inverse of `formatAddress`. */
export function parseAddress(address: string): Path | undefined {
  const path: (string | number)[] = []
  step.lastIndex = 0
  while (step.lastIndex < address.length) {
    const found = step.exec(address)
    if (!found) return undefined
    const [, name, index, quoted, each] = found
    if (name !== undefined) path.push(name)
    else if (each !== undefined) path.push(EACH_NAME)
    else if (index !== undefined) path.push(stepOf(index))
    else {
      try {
        path.push(JSON.parse(quoted as string) as string)
      } catch {
        return undefined
      }
    }
  }
  return path.length === 0 ? undefined : path
}

/**
 * The JSON Pointer (RFC 6901) of a path inside the body; the whole body is the empty pointer. None if a name is reported
 * shortened, or is a secret.
 */
export function formatPointer(path: Path): string | undefined {
  let pointer = ''
  for (let i = 1; i < path.length; i++) {
    const key = path[i] as string | number
    if (isLong(key) || (typeof key === 'number' && key < 0)) return undefined
    const isPlain = typeof key === 'number' || !/[~/]/.test(key)
    pointer += `/${isPlain ? key : key.replaceAll('~', '~0').replaceAll('/', '~1')}`
  }
  return pointer
}

/** The value at a path, reading own properties only; behind a step to each, the list of the values there. */
export function valueAt(root: unknown, path: Path, from = 0): unknown {
  let value = root
  for (let i = from; i < path.length; i++) {
    const key = path[i] as string | number
    if (value === null || typeof value !== 'object') return undefined
    if (key === EACH)
      return Array.isArray(value)
        ? i + 1 === path.length
          ? value
          : value.map((element) => valueAt(element, path, i + 1))
        : undefined
    if (key === EACH_NAME)
      return isNamed(value) ? Object.values(value).map((element) => valueAt(element, path, i + 1)) : undefined
    const own = isFromEnd(key) && Array.isArray(value) ? indexFromEnd(key as number, value.length) : key
    value = Object.hasOwn(value, own) ? (value as Record<string | number, unknown>)[own] : undefined
  }
  return value
}
