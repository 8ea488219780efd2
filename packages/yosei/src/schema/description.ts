/** A description of an API as it is walked: what stands where, behind its references; and what is noted of it. */
import { isNamed } from '../kinds/run.js'
import { shown } from '../terms/option-types.js'
import type { Document, Located } from './documents.js'
import type { Place } from './place.js'
import { isSchema } from './positions.js'
import { type Note, Program, type ProgramOptions } from './program.js'
import { Translator } from './translate.js'

export type Json = { readonly [name: string]: unknown }

/** Something that stands in a document, with its place. */
export interface At {
  readonly value: Json
  readonly located: Located
  /** What stood beside the reference that led here, and where. */
  readonly beside?: { readonly value: Json; readonly located: Located }
}
/** Where a name of it stands. */
const homeOf = ({ located, beside }: At, name: string | undefined): Located =>
  beside && name !== undefined && Object.hasOwn(beside.value, name) ? beside.located : located

export class Description {
  readonly notes: Note[] = []
  readonly program: Program
  readonly translator: Translator
  readonly root: At

  constructor(
    document: Document & { readonly schema: Json },
    options: Omit<ProgramOptions, 'note' | 'where' | 'formats'> & { readonly where?: string },
  ) {
    this.program = new Program({
      where: 'readOpenApi()',
      ...options,
      formats: 'assert',
      note: (note) => this.notes.push(note),
    })
    this.translator = new Translator(this.program)
    this.root = { value: document.schema, located: this.program.document(document) }
  }

  note({ located }: At, what: string, consequence: string): undefined {
    this.notes.push({ pointer: this.program.pointerTo(located), what, consequence })
    return undefined
  }

  /** What stands below, wherever references lead. */
  at(above: At, steps: readonly string[]): At | undefined {
    const value = steps.reduce<unknown>(
      (at, step) => (isNamed(at) && Object.hasOwn(at, step) ? at[step] : undefined),
      above.value,
    )
    if (value === undefined) return undefined
    const located = this.program.step(homeOf(above, steps[0]), steps, isNamed(value) ? value : {})
    if (!isNamed(value))
      return this.program.mistake(
        located,
        `an object must stand here, and not ${shown(value)}`,
        'Write it as an object',
      )
    return this.led({ value, located })
  }
  /** Follows references. */
  led(at: At): At {
    let { value, located } = at
    let beside: At['beside']
    for (let steps = 0; typeof value['$ref'] === 'string'; steps++) {
      if (steps > 100)
        this.program.mistake(located, 'this reference leads back to itself', 'Let it lead to what it means')
      const { $ref, ...siblings } = value
      beside ??= { value: siblings, located }
      located = this.program.find($ref, located)
      const target = isNamed(located.schema) ? located.schema : {}
      // What many operations refer to stays one value, and is read once.
      value = Object.keys(siblings).length === 0 ? target : { ...target, ...siblings }
    }
    return beside ? { value, located, beside } : { value, located }
  }
  entries(above: At, held: unknown, ...steps: readonly string[]): readonly (readonly [name: string, at: At])[] {
    if (held === undefined) return []
    if (!isNamed(held))
      return this.program.mistake(above.located, `${steps.join('/')} is ${shown(held)}`, 'Write it as an object')
    return Object.keys(held).flatMap((name) => {
      const at = name.startsWith('x-') ? undefined : this.at(above, [...steps, name])
      return at ? [[name, at] as const] : []
    })
  }
  list(above: At, name: string): readonly At[] {
    const held = above.value[name] ?? []
    if (!Array.isArray(held))
      return this.program.mistake(above.located, `${name} is ${shown(held)}`, 'Write it as a list')
    return held.flatMap((one: unknown, index) => {
      if (!isNamed(one))
        return this.program.mistake(above.located, `${name}/${index} is ${shown(one)}`, 'Write it as an object')
      const located = this.program.step(homeOf(above, name), [name, String(index)], one)
      return [this.led({ value: one, located })]
    })
  }

  /** A schema below, made ready. */
  place(at: At, ...steps: readonly string[]): Place | undefined {
    const value = steps.reduce<unknown>((one, step) => (isNamed(one) ? one[step] : undefined), at.value)
    if (value === undefined) return undefined
    if (!isSchema(value))
      return this.program.mistake(at.located, `${steps.join('/')} is ${shown(value)}`, 'Write it as a schema')
    return this.program.add(this.program.within(at.located, steps, value))
  }
}
