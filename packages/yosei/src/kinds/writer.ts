/** Collects the lines of generated code, and the constants that it is given. */
import { formatAddress } from '../terms/address.js'
import { quote } from './quote.js'

/** Source text, and the values of the names `k0`, `k1`, … in it. */
export interface Code {
  readonly source: string
  readonly constants: readonly unknown[]
  /** How constants are made that stand in no declaration. */
  readonly made: ReadonlyMap<unknown, Made>
}
/** A function of the library, and what it was called with: code that is prepared calls it once more. */
export interface Made {
  readonly maker: (...from: never[]) => unknown
  readonly from: readonly unknown[]
}

export interface Writer {
  /** How many declarations have been written. */
  count: number
  line(text: string): void
  /** Writes a line that opens a block, the block, and the line that closes it. Returns what the block does. */
  block<T>(opening: string, inside: () => T, closing?: string): T
  /** The function that the code gives. In parentheses V8 compiles it at once; else it parses it twice. */
  gives(head: string, inside: () => void): void
  /** The lines that something writes, which stand nowhere yet; `undefined` if it says that it could not. */
  aside(write: () => boolean): readonly string[] | undefined
  /** A variable name that is not used yet. */
  name(letter: string): string
  /** The name of a value that the code is given; a value has one name. */
  bind(value: unknown): string
  /** What a function of the library makes, which code may bind: `makers` has each of these functions. */
  derive<A extends readonly unknown[], T>(maker: (...from: A) => T, ...from: A): T
  /** The name of the same. */
  make<A extends readonly unknown[]>(maker: (...from: A) => unknown, ...from: A): string
  /** The name of a function that stands before all others and is written once for each id. */
  once(id: string, letter: string, write: (name: string) => void): string
  /** A path as code: a constant where no index is in it. */
  path(place: { readonly path: readonly string[]; readonly address: readonly (string | number)[] }): string
  code(): Code
}

export function createWriter(): Writer {
  const constants: unknown[] = []
  const bound = new Map<unknown, string>()
  const made = new Map<unknown, Made>()
  const written = new Map<string, string>()
  const functions: string[][] = []
  const main: string[] = []
  let lines = main
  let depth = 0
  let names = 0

  const writer: Writer = {
    count: 0,
    line: (text) => void lines.push('  '.repeat(depth) + text),
    block(opening, inside, closing = '}') {
      writer.line(opening)
      depth++
      const result = inside()
      depth--
      writer.line(closing)
      return result
    },
    gives: (head, inside) => writer.block(`return (function ${head} {`, inside, '})'),
    aside(write) {
      const outer = { lines, depth }
      const own: string[] = []
      lines = own
      depth = 0
      const isWritten = write()
      lines = outer.lines
      depth = outer.depth
      return isWritten ? own : undefined
    },
    name: (letter) => `${letter}${names++}`,
    bind(value) {
      const known = bound.get(value)
      if (known !== undefined) return known
      const name = `k${constants.push(value) - 1}`
      bound.set(value, name)
      return name
    },
    derive(maker, ...from) {
      const value = maker(...from)
      if (!from.includes(value as never)) made.set(value, { maker, from })
      return value
    },
    make: (maker, ...from) => writer.bind(writer.derive(maker, ...from)),
    once(id, letter, write) {
      const known = written.get(id)
      if (known !== undefined) return known
      const name = writer.name(letter)
      written.set(id, name)
      const outer = { lines, depth }
      lines = []
      depth = 0
      functions.push(lines)
      write(name)
      lines = outer.lines
      depth = outer.depth
      return name
    },
    path({ path, address }) {
      const isConstant = path.length > 0 && path.every((step) => step.startsWith('"'))
      const steps = `[${path.join(', ')}]`
      if (!isConstant) return steps
      return writer.once(path.join(), 'p', (name) =>
        writer.line(`const ${name} = at(${path.join(', ')}) // ${quote(formatAddress(address))}`),
      )
    },
    code: () => ({ source: [...functions.flat(), ...main].join('\n'), constants, made }),
  }
  return writer
}
