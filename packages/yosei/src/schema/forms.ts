/** What a schema takes, in a few words: its title, its values, its type. */
import { alternatives, Phrase, quoted, type Speech } from '../kinds/phrase.js'

type Described = { readonly [keyword: string]: unknown }

/** Texts of the catalogue, by type. */
const forms: { readonly [type: string]: string } = {
  boolean: 'form.flag',
  integer: 'form.integer',
  number: 'form.number',
  string: 'form.text',
  array: 'form.list',
  object: 'form.record',
}
const mostForms = 12

/** `text or a number`. */
export class Forms extends Phrase {
  constructor(readonly schemas: readonly Described[]) {
    super()
  }
  words(speech: Speech): string {
    return alternatives(
      [...new Set(this.schemas.flatMap((one) => wordsOf(one, speech)))].slice(0, mostForms),
      speech,
      ',',
    )
  }
}

function wordsOf(schema: Described, speech: Speech): readonly string[] {
  const { title, type, required, enum: values } = schema
  if (typeof title === 'string') return [speech.show(title)]
  const constants = 'const' in schema ? [schema['const']] : Array.isArray(values) ? values : undefined
  if (constants?.every((one) => typeof one !== 'object' || one === null))
    return [speech.say(constants.length === 1 ? 'form.constant' : 'form.choice', { value: quoted(constants) })]
  const types = Array.isArray(type) ? type : type === undefined ? [] : [type]
  if (types.length === 0 && !Array.isArray(required)) return [speech.say('form.anything', {})]
  return (types.length === 0 ? ['object'] : types).map((one) => {
    if (one === 'null') return speech.say('form.constant', { value: 'null' })
    return one === 'object' && Array.isArray(required) && required.length > 0
      ? speech.say('form.names', { value: quoted(required) })
      : speech.say(forms[String(one)] ?? 'form.anything', {})
  })
}
