/** One JSON value a line (`application/x-ndjson`, `application/jsonl`), each judged whatever becomes of the others. */
import type { Path } from '../terms/address.js'
import { placeIn, type Rounded, type SyntaxFault } from './json.js'

/** Where each value of a body begins, for errors to be found in what was sent. */
export class Lines {
  constructor(
    /** Their values, of those that are broken why. */
    readonly values: readonly unknown[],
    readonly texts: readonly string[],
    /** Their lines, from 1. */
    readonly numbers: readonly number[],
    readonly rounded: readonly Rounded[],
    /** Whether one of them is. */
    readonly isBroken: boolean,
  ) {}

  /** The line and the column of a place below the body; of what is not there, of what should hold it. */
  placeOf([index, ...path]: Path): SyntaxFault | undefined {
    const text = typeof index === 'number' ? this.texts[index] : undefined
    return text === undefined
      ? undefined
      : { line: this.numbers[index as number] as number, column: placeIn(text, path) + 1 }
  }
}

/** What came of a line: its value, or why there is none. */
interface Line {
  readonly value: unknown
  readonly rounded: readonly Rounded[]
  readonly isBroken: boolean
}

/** Blank lines are none. */
const isBlank = /^[ \t\r]*$/

/** @param most No more lines than one beyond this are read. */
export function readLines(whole: string, most: number, read: (text: string, line: number) => Line): Lines {
  const [values, texts, numbers, rounded]: [unknown[], string[], number[], Rounded[]] = [[], [], [], []]
  let isBroken = false
  let start = whole.charCodeAt(0) === 0xfeff ? 1 : 0
  for (let line = 1; start <= whole.length && values.length <= most; line++) {
    const feed = whole.indexOf('\n', start)
    const end = feed < 0 ? whole.length : feed
    const text = whole.slice(start, end)
    start = end + 1
    if (isBlank.test(text)) continue
    const one = read(text, line)
    for (const { path, written } of one.rounded) rounded.push({ path: [values.length, ...path], written })
    values.push(one.value)
    texts.push(text)
    numbers.push(line)
    isBroken ||= one.isBroken
  }
  return new Lines(values, texts, numbers, rounded, isBroken)
}
