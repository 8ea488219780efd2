/** Rejections as HTTP answers. */
import type { Rejected } from '../judge/verdict.js'

/** A problem document (RFC 9457); `fields` is our extension: the error map. */
export interface Problem {
  type: string
  title: string
  status: number
  detail: string
  instance: string
  fields?: { [address: string]: { code: string; detail: string; pointer?: string }[] }
}

const titles: { readonly [status: number]: string } = {
  400: 'Bad Request',
  404: 'Not Found',
  405: 'Method Not Allowed',
  415: 'Unsupported Media Type',
  422: 'Unprocessable Content',
}
const details: { readonly [status: number]: string } = {
  404: 'There is nothing at this path.',
  405: 'This path does not take this method.',
}

/**
 * The answer to a rejected request: its status, its header fields, and a problem document with every error at its field.
 *
 * @example
 * if (verdict.outcome === 'rejected') return answer(verdict)
 */
export function answer(verdict: Rejected): Response {
  const headers = { ...verdict.headers, 'content-type': 'application/problem+json', 'cache-control': 'no-store' }
  return new Response(JSON.stringify(problemOf(verdict)), { status: verdict.status, headers })
}

function problemOf({ status, errors, errorsByField, more }: Rejected): Problem {
  const [first] = errors
  const others = errors.length - 1 + more
  const fields = Object.entries(errorsByField).map(([address, at]) => [
    address,
    at.map(({ code, message, pointer }) => ({ code, detail: message, ...(pointer === undefined ? {} : { pointer }) })),
  ])
  return {
    type: 'about:blank',
    title: titles[status] ?? 'Rejected',
    status,
    detail: first
      ? `${first.address} ${first.message}${others > 0 ? `, and ${others} more` : ''}`
      : (details[status] ?? 'The request is not accepted.'),
    instance: `urn:uuid:${crypto.randomUUID()}`,
    ...(first ? { fields: Object.fromEntries(fields) } : {}),
  }
}
