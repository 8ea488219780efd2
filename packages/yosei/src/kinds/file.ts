/** A file in a `multipart/form-data` body, or the whole body of another media type. */
import { inRange, readMediaRange } from '../grammar/media-range.js'
import type { Declared, Size } from '../terms/declared.js'
import { aSize, aText, listOf } from '../terms/option-types.js'
import { readSize } from '../terms/units.js'
import type { CodeOf, KindOf, SoundOf } from './kind.js'
import { note, notOfKind, type Run, report, reportBelow, type Source } from './run.js'
import { isUpload } from './upload.js'

declare module './kind.js' {
  interface Kinds {
    file: FileNode
  }
}
export interface FileNode extends Declared {
  readonly kind: 'file'
  readonly bytes?: Size
  readonly types?: readonly string[]
}

export const fileWords = { 'wrong_type.file': 'must be a file', 'form.file': 'a file' }

export const file: KindOf<FileNode> = {
  words: fileWords,
  measures: () => ['file'],
  shape: 'file',
  children: () => [],
  inside: [
    ['bytes', { kind: 'integer', need: 'required', min: 0 }],
    ['type', { kind: 'text', need: 'required' }],
    ['name', { kind: 'text', need: 'required' }],
  ],
  hasEnd: () => true,
  read,
  takesNull: () => false,
  encode: (_, value) => value,
  mask: (_, value) => (isUpload(value) ? `(${value.bytes} bytes)` : undefined),
}

/** Whether its options make sense. */
export const fileSound: SoundOf<FileNode> = {
  options: { bytes: aSize, types: listOf(aText) },
  check({ types = [] }, refuse) {
    for (const type of types)
      if (readMediaRange(type)?.type !== type)
        refuse(`"${type}" is no media type`, "Write it as 'image/png' or 'image/*', in lower case", 'types')
  },
}

/** A declared size is reported as it is declared. */
export const sizeVariant = (size: Size | undefined) => (typeof size === 'string' ? 'size' : 'bytes')

function read(node: FileNode, value: unknown, _: Source, run: Run): unknown {
  if (Array.isArray(value)) return report(run, node, 'sent_twice', value.length)
  if (!isUpload(value)) return notOfKind(node, value, run)
  note(run, 'as is', value.name, value)
  if (value.bytes > readSize(node.bytes ?? Number.POSITIVE_INFINITY))
    report(run, node, 'too_large', node.bytes, sizeVariant(node.bytes))
  const type = value.type.split(';', 1)[0]?.trim().toLowerCase() ?? ''
  if (node.types && !node.types.some((range) => inRange(type, range)))
    reportBelow(run, node, 'wrong_media_type', [], {
      limit: node.types,
      sent: type,
      variant: node.types.length > 1 ? 'several' : undefined,
    })
  return value
}

export const fileCode: CodeOf<FileNode> = {
  absent: 'told',
  write: ({ writer, interpretInstead }) => writer.line(interpretInstead()),
}
