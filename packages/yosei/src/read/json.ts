/** JSON (RFC 8259), with the place of a syntax error. */
import { compareDecimals, isWhole } from '../grammar/numbers.js'
import type { Path } from '../terms/address.js'

export interface SyntaxFault {
  /** From 1. */
  readonly line: number
  /** From 1, in UTF-16 units. */
  readonly column: number
}

/** The value of a JSON text, or where its grammar is broken first. */
export function readJson(text: string): { readonly value: unknown } | SyntaxFault {
  const plain = text.charCodeAt(0) === 0xfeff ? text.slice(1) : text
  try {
    return { value: JSON.parse(plain) }
  } catch {
    return placeOf(plain, brokenAt(plain))
  }
}

/** The paths of names that stand twice in an object of a JSON text (RFC 7493, section 2.3), at most so many. */
export function repeatedNames(text: string, most: number): Path[] {
  const found: Path[] = []
  scan(text, {
    repeated(path) {
      if (found.length < most) found.push([...path])
    },
  })
  return found
}

/**
 * Whether a JSON text may have a name twice in one object: it has more names than the value that was read of it. Texts in
 * it can look like names, so that there may be more than there are, and never fewer.
 */
export function mayRepeat(text: string, read: unknown): boolean {
  let names = 0
  for (let colon = text.indexOf(':'); colon >= 0; colon = text.indexOf(':', colon + 1)) {
    let before = colon - 1
    while (isBlank(text.charCodeAt(before))) before--
    if (text.charCodeAt(before) === quotationMark) names++
  }
  const due: unknown[] = [read]
  for (let one = due.pop(); one !== undefined; one = due.pop()) {
    if (typeof one !== 'object' || one === null) continue
    const inside = Object.values(one)
    if (!Array.isArray(one)) names -= inside.length
    for (const value of inside) if (typeof value === 'object' && value !== null) due.push(value)
  }
  return names !== 0
}
const quotationMark = 34
const isBlank = (code: number) => code === 32 || code === 10 || code === 13 || code === 9

/** What is looked for in a text that is known to be JSON. Paths are those of the walk, which goes on. */
interface Looking {
  number?(written: string, path: Path): void
  repeated?(path: Path): void
}

/**
 * Whether a number may have lost digits: one of 16 or more, or one with a negative exponent of three. A run so long holds
 * every 16th place of the text, or the 8th before or after it.
 */
function mayLose(text: string): boolean {
  for (let at = 15; at < text.length; at += 16) {
    if (!isOfNumber(text, at) || !(isOfNumber(text, at - 8) || isOfNumber(text, at + 8))) continue
    let [from, to] = [at, at + 1]
    while (isOfNumber(text, from - 1)) from--
    while (isOfNumber(text, to)) to++
    if (to - from >= 16) return true
  }
  // What has fewer digits is rounded to a whole number only if it is rounded to zero.
  for (let at = text.indexOf('-'); at >= 0; at = text.indexOf('-', at + 1))
    if ((text.charCodeAt(at - 1) | 32) === 101 && isOfNumber(text, at + 3)) return true
  return false
}
/** Whether a digit stands there, or a point. */
const isOfNumber = (text: string, at: number) => {
  const code = text.charCodeAt(at)
  return (code >= 48 && code <= 57) || code === 46
}

/** A number as it was written, whose digits JavaScript has not kept. */
export interface Rounded {
  readonly path: Path
  readonly written: string
}

/**
 * The numbers in a JSON text that have a fraction, and have lost it when they were read: 5.00000000000000001 is no whole
 * number, but JavaScript has no other for it than 5. And those that were rounded to a number of which `counts` says that
 * each digit does.
 */
export function lostDigits(text: string, counts: ((read: number) => boolean) | undefined): readonly Rounded[] {
  if (!mayLose(text)) return noneLost
  const lost: Rounded[] = []
  scan(text, {
    number(written, path) {
      if (path.length > deepest || lost.length === mostLost) return
      const read = Number(written)
      const isLost = Number.isInteger(read) && !isWhole(written)
      if (isLost || (counts?.(read) && Number.isFinite(read) && compareDecimals(written, String(read)) !== 0))
        lost.push({ path: [...path], written })
    },
  })
  return lost
}
const noneLost: readonly Rounded[] = []

/** So many are kept, and none that lies deeper than any declaration: a path is copied for each. */
const mostLost = 10_000
const deepest = 256

const number = /-?[0-9]+(?:\.[0-9]+)?(?:[eE][+-]?[0-9]+)?/y

/** Where the value at a path begins in a JSON text; of what is not there, if that begins which should hold it. */
export function placeIn(text: string, path: Path): number {
  let found = 0
  const way: (string | number)[] = []
  let nameIsDue = false
  for (let at = 0; at < text.length; at++) {
    const one = text[at] as string
    if (' \t\r\n:'.includes(one)) continue
    if (one === '}' || one === ']') {
      way.pop()
      nameIsDue = false
    } else if (one === ',') {
      const last = way.at(-1)
      nameIsDue = typeof last === 'string'
      if (typeof last === 'number') way[way.length - 1] = last + 1
    } else if (nameIsDue) {
      const end = stringEnd(text, at)
      way[way.length - 1] = JSON.parse(text.slice(at, end + 1)) as string
      at = end
      nameIsDue = false
    } else {
      // A value begins.
      if (way.length <= path.length && way.every((key, index) => key === path[index])) {
        found = at
        if (way.length === path.length) break
      }
      if (one === '{' || one === '[') {
        nameIsDue = one === '{'
        way.push(one === '{' ? '' : 0)
      } else if (one === '"') at = stringEnd(text, at)
      else while (at + 1 < text.length && !',]} \t\r\n'.includes(text[at + 1] as string)) at++
    }
  }
  return found
}

/** The text is known to be JSON, so a scan of its strings, brackets and numbers is enough. */
function scan(text: string, looking: Looking): void {
  /** The names of each open object, or the index in each open list; and what stands before the value that is due. */
  const open: (Set<string> | number)[] = []
  const path: (string | number)[] = []
  let nameIsDue = false
  for (let at = 0; at < text.length; at++) {
    const one = text[at]
    if (one === '{' || one === '[') {
      open.push(one === '{' ? new Set<string>() : 0)
      path.push(0)
      nameIsDue = one === '{'
    } else if (one === '}' || one === ']') {
      open.pop()
      path.pop()
    } else if (one === ',') {
      const inside = open.at(-1)
      nameIsDue = typeof inside !== 'number'
      if (typeof inside === 'number') path[path.length - 1] = open[open.length - 1] = inside + 1
    } else if (one === '"') {
      const end = stringEnd(text, at)
      const raw = text.slice(at, end + 1)
      at = end
      if (!nameIsDue) continue
      nameIsDue = false
      const name = JSON.parse(raw) as string
      const names = open.at(-1) as Set<string>
      path[path.length - 1] = name
      if (looking.repeated && names.has(name)) looking.repeated(path)
      names.add(name)
    } else if (looking.number && (one === '-' || (one !== undefined && one >= '0' && one <= '9'))) {
      number.lastIndex = at
      const [token = one] = number.exec(text) ?? []
      looking.number(token, path)
      at += token.length - 1
    }
  }
}

function placeOf(text: string, offset: number): SyntaxFault {
  let line = 1
  let start = 0
  for (let at = 0; at < offset; at++) {
    const one = text.charCodeAt(at)
    if (one !== 10 && (one !== 13 || text.charCodeAt(at + 1) === 10)) continue
    line++
    start = at + 1
  }
  // Between a carriage return and its line feed the line has not ended.
  return { line, column: Math.max(0, offset - start) + 1 }
}

const space = /[ \t\r\n]*/y
const scalar = /-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?|true|false|null/y
// One at a time: a repeat of alternatives keeps a note of each, and a text of many millions has no room for them.
const plainCharacters = /[^"\\\u0000-\u001f]+/y
const escaped = /\\(?:["\\/bfnrt]|u[0-9a-fA-F]{4})/y

/** Where a string stops being one, from its opening mark on: at its closing mark, if it is sound. */
function stringEnd(text: string, at: number): number {
  let end = at + 1
  for (;;) {
    const grammar = text[end] === '\\' ? escaped : plainCharacters
    grammar.lastIndex = end
    const found = grammar.exec(text)
    if (!found) return end
    end += found[0].length
  }
}

/**
 * The offset at which a text stops being JSON. Walks with a stack of its own, so that no nesting can exhaust the
 * program's.
 */
function brokenAt(text: string): number {
  let at = 0
  const skip = (grammar: RegExp) => {
    grammar.lastIndex = at
    const found = grammar.exec(text)
    if (found) at += found[0].length
    return found !== null
  }
  const take = (one: string) => text[at] === one && ++at > 0
  const takeString = () => {
    if (text[at] !== '"') return false
    at = stringEnd(text, at)
    return take('"')
  }
  const takeName = () => takeString() && skip(space) && take(':')

  const open: ('{' | '[')[] = []
  for (;;) {
    // Here a value is due.
    skip(space)
    if (take('{')) {
      skip(space)
      if (!take('}')) {
        open.push('{')
        if (!takeName()) return at
        continue
      }
    } else if (take('[')) {
      skip(space)
      if (!take(']')) {
        open.push('[')
        continue
      }
    } else if (text[at] === '"') {
      if (!takeString()) return at
    } else if (!skip(scalar)) return at
    // Here a value is complete: what closes, closes; a comma asks for the next.
    for (;;) {
      skip(space)
      const inside = open.at(-1)
      if (inside === undefined) return at
      if (take(inside === '{' ? '}' : ']')) {
        open.pop()
        continue
      }
      if (!take(',')) return at
      skip(space)
      if (inside === '{' && !takeName()) return at
      break
    }
  }
}

/**
 * The places of what JSON has no way to write, or would write as something else: numbers that are not finite, big
 * integers, functions, `undefined` in a list, and what holds itself.
 */
export function notInJson(value: unknown): readonly Path[] {
  const found: Path[] = []
  const path: (string | number)[] = []
  const around = new Set<unknown>()
  const lookAt = (step: string | number, one: unknown) => {
    path.push(step)
    look(one)
    path.pop()
  }
  const look = (one: unknown): void => {
    if (typeof one !== 'object' || one === null) {
      const isRight = typeof one === 'number' ? Number.isFinite(one) : one === null || inJson.includes(typeof one)
      if (!isRight) found.push(path.slice())
    } else if (around.has(one) || path.length > mostLevels) found.push(path.slice())
    else if (typeof (one as { toJSON?: unknown }).toJSON !== 'function') {
      around.add(one)
      if (Array.isArray(one)) one.forEach((inner, index) => void lookAt(index, inner))
      else for (const [name, inner] of Object.entries(one)) if (inner !== undefined) lookAt(name, inner)
      around.delete(one)
    }
  }
  look(value)
  return found
}
const inJson: readonly string[] = ['string', 'boolean']
/** Deeper than any limit of nesting, and less deep than the stack of calls. */
const mostLevels = 1000
