/** How the values of a body come, by its media type. */
import type { BodyNode } from '../declare/endpoint.js'
import type { Source } from '../kinds/run.js'

/** RFC 8259, with RFC 6839's suffix. */
export const isJson = (mediaType: string): boolean => mediaType === 'application/json' || mediaType.endsWith('+json')
export const isLines = (mediaType: string): boolean =>
  mediaType === 'application/x-ndjson' || mediaType === 'application/jsonl'

/** JSON has types; forms and texts have none. */
export const sourceOf = ({ mediaType }: BodyNode, coerce = false): Source =>
  isJson(mediaType) || isLines(mediaType) ? (coerce ? 'coerced' : 'json') : 'text'

/** Whether a body is read as text; an empty text then counts as not sent. */
export const isTextBody = (body: BodyNode | undefined): boolean => body !== undefined && sourceOf(body) === 'text'
