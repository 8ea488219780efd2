/** JSON Schemas as fields. */
import { mistake } from '../terms/mistake.js'
import { isField, shown } from '../terms/option-types.js'
import type { Field, In, Out } from '../terms/types.js'
import { isSchema, type Schema } from './positions.js'
import { type Note, Program } from './program.js'
import { Translator } from './translate.js'

export type { Note } from './program.js'

/** The address of a schema without one: another than that of a description, of which it may be a copy. */
const unnamed = 'schema://schema/'

/** Options of `readJsonSchema`. */
export interface ReadSchemaOptions {
  /** Documents that references lead to, by their addresses. Nothing is fetched. Those of 2020-12 itself are known. */
  readonly documents?: { readonly [uri: string]: unknown }
  /** Whether `format` is checked; by the standard it is an annotation (2020-12 Validation, section 7.2.1). */
  readonly formats?: 'annotate' | 'assert'
  /** Is given what is not enforced as it stands there. */
  readonly notes?: (note: Note) => void
  /** The field that reads the value. The value must meet the schema too. */
  readonly field?: Field
}

/**
 * A JSON Schema (2020-12) as a field. Errors stand at the address of the value, with the codes of fields.
 *
 * @throws {DeclarationError} If it is no schema, or a reference leads nowhere.
 * @example
 * const target = readJsonSchema<{ name: string }>({ type: 'object', required: ['name'] })
 */
export function readJsonSchema<F extends Field>(
  document: boolean | object,
  options: ReadSchemaOptions & {
    /** The field that reads the value. The value must meet the schema too. */
    readonly field: F
  },
): Field<Out<F>, In<F>, F['need']>
export function readJsonSchema<T = unknown>(document: boolean | object, options?: ReadSchemaOptions): Field<T, T>
export function readJsonSchema(
  document: boolean | object,
  { documents = {}, formats = 'annotate', notes = () => undefined, field }: ReadSchemaOptions = {},
): Field {
  if (!isSchema(document))
    mistake('readJsonSchema()', `the schema is ${shown(document)}`, 'Give it an object of keywords, true or false')
  if (field !== undefined && !isField(field))
    mistake('readJsonSchema()', `its field is ${shown(field)}`, 'Give it a field, such as record({ … })')
  const program = new Program({ documents, formats, note: notes, where: 'readJsonSchema()' })
  const root = program.root(document as Schema, unnamed)
  const translator = new Translator(program)
  return field ? translator.narrowed(field, root) : translator.field(root)
}
