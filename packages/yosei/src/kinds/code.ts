/** What the code of several kinds has in common. */
import type { EmitContext, Spot } from './kind.js'
import { access, quote } from './quote.js'

/** Writes `if (test) … else` the interpreter. */
export function choose({ writer, interpretInstead }: EmitContext, test: string, inside: () => void): void {
  writer.block(`if (${test}) {`, inside, `} else ${interpretInstead()}`)
}

export const below = (place: Spot, code: string, step: string | number): Spot => ({
  ...place,
  path: [...place.path, code],
  address: [...place.address, step],
})

/** Names on the prototype of every object have to be looked for on the object itself. */
export const property = (object: string, name: string): string =>
  name in Object.prototype
    ? `(Object.hasOwn(${object}, ${quote(name)}) ? ${object}${access(name)} : undefined)`
    : `${object}${access(name)}`

/** What the library has parsed itself is plain when it is no list; what a program gives may have any prototype. */
export const isPlain = (read: string): string =>
  `typeof ${read} === "object" && ${read} !== null && (parsed ? !Array.isArray(${read}) : prototypeOf(${read}) === plain)`
