/** The bodies of an operation as fields, by their media types (OpenAPI 3.1, section 4.8.13). */
import { file, list, record, text } from '../declare/fields.js'
import { readMediaRange } from '../grammar/media-range.js'
import { fieldNode } from '../kinds/kind.js'
import { isNamed } from '../kinds/run.js'
import { isJson, isLines } from '../read/media.js'
import { formatAddress } from '../terms/address.js'
import { put } from '../terms/own.js'
import type { Field, Fields } from '../terms/types.js'
import type { At, Description } from './description.js'
import type { Located } from './documents.js'
import type { Place } from './place.js'
import { again } from './translate.js'

export class Bodies {
  readonly #description: Description
  constructor(description: Description) {
    this.#description = description
  }

  /** The bodies by their media types. */
  of(body: At): { [mediaType: string]: Field } | undefined {
    const made: { [mediaType: string]: Field } = {}
    for (const [type, media] of this.#description.entries(body, body.value['content'], 'content')) {
      // Parameters of a media type, such as a charset, are negotiated and not matched.
      const range = readMediaRange(type.replace(/\s*;.*$/s, ''))
      if (!range || range.type === '*/*') {
        this.#description.note(media, `the media type ${type}`, 'Bodies of any other type are rejected')
        continue
      }
      const place = this.#description.place(media, 'schema')
      const field = again(
        this.#body(range.type, place, media),
        isJson(range.type) && place ? this.#examples(media, place) : {},
      )
      made[range.type] = body.value['required'] === true ? field : again(field, { optional: true })
    }
    return Object.keys(made).length > 0 ? made : undefined
  }
  /** Examples of a body, without those that its own schema rejects. */
  #examples(media: At, place: Place): { readonly examples?: readonly unknown[] } {
    const named = this.#description.entries(media, media.value['examples'], 'examples')
    const all = [
      ...('example' in media.value ? [['example', media.value['example']] as const] : []),
      ...named.flatMap(([name, { value }]) =>
        'value' in value ? [[`examples/${name}`, value['value']] as const] : [],
      ),
    ]
    if (this.#description.program.unlisted === 'refuse') return {}
    const right = all.filter(([name, example]) => {
      if (place.holds(example, this.#description.program.scope())) return true
      const [{ path, code } = { path: [], code: 'no_branch' }] = place.tell(example, this.#description.program.scope())
      const address = formatAddress(['body', ...path])
      return this.#description.note(
        media,
        `${name}, which its own schema rejects: ${address} ${code}`,
        'It is left out',
      )
    })
    return right.length > 0 ? { examples: right.map(([, example]) => example) } : {}
  }
  #body(type: string, place: Place | undefined, media: At): Field {
    const translated = place && this.#description.translator.field(place)
    if (isJson(type))
      return translated ?? this.#description.translator.field(this.#description.program.add(anyValue(media)))
    if (isLines(type) && translated && fieldNode(translated).kind === 'list')
      return again(translated, { lines: true } as object)
    if (type === 'multipart/form-data') return this.#form(place, media, true)
    if (type === 'application/x-www-form-urlencoded') return this.#form(place, media, false)
    if (type.startsWith('text/'))
      return translated && fieldNode(translated).kind === 'text' ? translated : text({ keepEmpty: true })
    if (place && !isBinary(place))
      this.#description.note(media, `the schema of ${type}`, 'The body is taken as a file, and not checked')
    return file()
  }
  /** A form: what is binary comes as a file, if files can come. */
  #form(place: Place | undefined, media: At, hasFiles: boolean): Field {
    const translated = place && this.#description.translator.field(place)
    const node = translated && fieldNode(translated)
    const whole = node?.kind === 'schema' ? node.base : node
    if (place && whole !== node)
      this.#description.note(media, 'what the schema of a form says besides its properties', 'It is not checked')
    if (!place || whole?.kind !== 'record') {
      if (place)
        this.#description.note(media, 'the schema of a form, which has no properties', 'Its parts are not checked')
      return record({}, { unlisted: 'keep' })
    }
    const encodings = isNamed(media.value['encoding']) ? media.value['encoding'] : {}
    const fields: { [name: string]: Field } = {}
    for (const [name, member] of Object.entries(whole.fields)) {
      const [own] = [place, ...place.applied].flatMap((one) => one.members(name))
      const encoding = Object.hasOwn(encodings, name) && isNamed(encodings[name]) ? encodings[name] : {}
      const types = typeof encoding['contentType'] === 'string' ? encoding['contentType'].split(/\s*,\s*/) : undefined
      const binary = file(types ? { types: types as readonly `${string}/${string}`[] } : {})
      const isList = own?.elements(0).some(isBinary)
      const made = !hasFiles ? undefined : own && isBinary(own) ? binary : isList ? list(binary) : undefined
      put(fields, name, made ? again(made, member.need === 'required' ? {} : { optional: true }) : member)
    }
    return record(fields as Fields, { unlisted: whole.unlisted ?? 'keep' })
  }
}

const anyValue = ({ located }: At): Located => ({ ...located, schema: {} })

const isBinary = (place: Place): boolean => {
  const { schema } = place.located
  const { type, format, contentMediaType, contentEncoding } = isNamed(schema) ? schema : {}
  return format === 'binary' || (contentMediaType !== undefined && contentEncoding === undefined && type === undefined)
}
