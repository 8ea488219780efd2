/** What stands in an error for words of the caller's language, which are made when the error is worded. */
import type { Path } from '../terms/address.js'

/** What phrases are made with. */
export interface Speech {
  /** A text of the catalogue with these values in its places; empty if the catalogue has none. */
  say(key: string, values: { readonly [name: string]: unknown }): string
  /** A value, as messages write it. */
  show(value: unknown): string
  /** What a place is called. */
  address(path: Path): string
}

/** A kind of phrase stands beside the kind or rule that reports it, so that a page has those alone that it uses. */
export abstract class Phrase {
  abstract words(speech: Speech): string
}

/** Words that are made already. */
export class Said extends Phrase {
  constructor(readonly text: string) {
    super()
  }
  words(): string {
    return this.text
  }
}

/** The address of a path, and perhaps the value there. */
export class Place {
  constructor(
    readonly path: Path,
    readonly value?: unknown,
  ) {}
}

/** An instant that was read. */
export class Moment {
  constructor(readonly instant: Date) {}
}

/** A value that may not be echoed. */
export class Unshown {
  constructor(readonly kind: string) {}
}

/** Values as a list can have them: a text in quotes if it would be lost, or taken for two, without them. */
export const quoted = (values: unknown, areAll = false): unknown =>
  Array.isArray(values)
    ? values.map((one) => quoted(one, areAll))
    : typeof values === 'string' && (areAll || /^$|,|^\s|\s$/.test(values))
      ? JSON.stringify(values)
      : values

/** `a or b`; with a comma before the last, `a, b, or c`. */
export function alternatives(each: readonly string[], { say }: Speech, beforeLast = ''): string {
  const or = say('when.any', {}) || ', '
  return each.length < 3 ? each.join(or) : `${each.slice(0, -1).join(', ')}${beforeLast}${or}${each.at(-1)}`
}
